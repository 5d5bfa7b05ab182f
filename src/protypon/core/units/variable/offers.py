"""The variables that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.variable.kind import VARIABLE

LABEL = "variables"
PLACE = 50
names = VARIABLE.names
