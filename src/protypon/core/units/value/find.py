"""Values that the child sets before an ancestor does."""

from __future__ import annotations

from protypon.core.units.value.kind import VALUE

OPTIONS = frozenset({"--value"})
supplied_units, find, place = VALUE.supplied_units, VALUE.find, VALUE.place
