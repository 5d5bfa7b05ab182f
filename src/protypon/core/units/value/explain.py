"""Values explained: which one counts, and which came too late."""

from __future__ import annotations

from protypon.core.model.nouns import Unit
from protypon.core.units.value.kind import VALUE
from protypon.core.units.world import World

units, tell = VALUE.units, VALUE.tell


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    return ("--value", "V")
