"""Code as text that is taken apart, put together and changed without losing a byte."""
