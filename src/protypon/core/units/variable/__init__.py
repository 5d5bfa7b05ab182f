"""Variables of templates."""
