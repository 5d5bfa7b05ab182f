"""The documentation, held against the program."""
