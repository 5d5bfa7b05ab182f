"""Whole files: found, whether the platform uses them, and those that only add to what stands further up."""
