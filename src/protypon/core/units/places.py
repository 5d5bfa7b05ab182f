"""Places in words."""

from __future__ import annotations

from protypon.core.themes.reach import Location


def place_words(place: Location) -> str:
    """A place as a person reads it."""
    return f"{place.theme}/{place.path}" + (f" line {place.line}" if place.line else "")
