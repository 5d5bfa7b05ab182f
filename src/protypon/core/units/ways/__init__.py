"""How overrides inside code are written: each way in turn, until following the code shows that it has the effect that was asked for."""
