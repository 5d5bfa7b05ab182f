"""JSON, and texts that say nothing to us."""
