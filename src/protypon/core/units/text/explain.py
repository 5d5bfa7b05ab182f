"""Keys explained: what is in force, who says so, and what would be there without the child."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

units, taking, tell = TEXT.units, TEXT.taking, TEXT.tell
