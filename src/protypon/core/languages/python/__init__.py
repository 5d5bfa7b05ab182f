"""Python: what a file says, and how it is edited."""
