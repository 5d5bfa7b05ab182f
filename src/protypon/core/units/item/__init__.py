"""Items that are registered by name."""
