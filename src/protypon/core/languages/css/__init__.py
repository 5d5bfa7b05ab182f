"""Style sheets."""
