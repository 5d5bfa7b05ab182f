"""Variables of templates that the child provides in an ancestor's place."""

from __future__ import annotations

from protypon.core.units.variable.kind import VARIABLE

OPTIONS = frozenset({"--value"})
supplied_units, find, place = VARIABLE.supplied_units, VARIABLE.find, VARIABLE.place
