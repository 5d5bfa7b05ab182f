"""Source text into facts: what a file says, and how it is edited; one module a language."""
