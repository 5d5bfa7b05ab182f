"""Running a lineage apart, and holding what ran against what was worked out."""
