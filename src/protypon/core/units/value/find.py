"""Values that the child sets before an ancestor does."""

from __future__ import annotations

from protypon.core.units.value.kind import VALUE

OPTIONS = frozenset({"--value"})
supplied, find, place = VALUE.supplied, VALUE.find, VALUE.place
