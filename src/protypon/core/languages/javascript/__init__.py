"""Scripts."""
