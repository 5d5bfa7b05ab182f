"""Variables of templates that the child provides in an ancestor's place."""

from __future__ import annotations

from protypon.core.units.variable.kind import VARIABLE

OPTIONS = frozenset({"--value"})
supplied, find, place = VARIABLE.supplied, VARIABLE.find, VARIABLE.place
