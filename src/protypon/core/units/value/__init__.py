"""Values that are set only where nobody has set them before."""
