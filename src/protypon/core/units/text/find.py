"""Keys that the child sets over the parents'."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

OPTIONS, supplied_units, find, place = TEXT.options, TEXT.supplied_units, TEXT.find, TEXT.place
