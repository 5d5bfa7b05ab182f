"""Texts of the interface that the platform lays over the parents', by key."""
