"""Values explained: which one counts, and which came too late."""

from __future__ import annotations

from protypon.core.model.nouns import Unit
from protypon.core.units.value.kind import VALUE
from protypon.core.units.world import World

units, tell = VALUE.units, VALUE.tell


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    return ("--value", "V")
