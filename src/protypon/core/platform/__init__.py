"""The platform file: its format, what it says, and the manifests that are read through it."""
