"""Functions of the parents that a child puts its own in place of."""
