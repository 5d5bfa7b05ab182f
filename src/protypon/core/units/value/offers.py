"""The values that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.value.kind import VALUE

LABEL = "values"
PLACE = 60
names = VALUE.names
