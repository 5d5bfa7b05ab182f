"""A theme under another name: where the old one stands, in which spelling, and which of those places count."""
