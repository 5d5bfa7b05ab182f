"""Keys of settings files that the platform lays over the parents'."""
