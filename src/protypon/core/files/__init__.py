"""Bytes in and out, safely: the one room that opens, makes, lists and renames what lies on the disk."""
