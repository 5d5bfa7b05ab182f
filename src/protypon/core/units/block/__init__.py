"""Blocks of templates that a child's template sets, while it extends what the lineage has."""
