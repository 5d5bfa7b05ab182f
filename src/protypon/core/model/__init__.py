"""The nouns: units, themes, releases, verdicts, plans; names and paths that were checked; bounds; errors."""
