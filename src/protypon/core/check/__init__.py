"""Evidence into verdicts, and findings: the report of a check, and its cache."""
