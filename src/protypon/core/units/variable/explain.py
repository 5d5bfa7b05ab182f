"""Variables explained: who provides one last, and whose that hides."""

from __future__ import annotations

from protypon.core.model.nouns import Unit
from protypon.core.units.variable.kind import VARIABLE
from protypon.core.units.world import World

units, tell = VARIABLE.units, VARIABLE.tell


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    return ("--value", "V")
