"""Folders into themes and lineages; which file wins, and what would without it."""
