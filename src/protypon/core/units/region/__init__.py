"""Regions that the child declares."""
