"""Jinja templates: what they name, and what they do."""
