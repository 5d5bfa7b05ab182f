"""What a visitor sees of what a source prints: read from its code, put together, and held against words of a page."""
