"""Callbacks at hook points: attached, taken off, renumbered."""
