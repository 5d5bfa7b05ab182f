"""Variables explained: who provides one last, and whose that hides."""

from __future__ import annotations

from protypon.core.model.nouns import Unit
from protypon.core.units.variable.kind import VARIABLE
from protypon.core.units.world import World

units, tell = VARIABLE.units, VARIABLE.tell


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    return ("--value", "V")
