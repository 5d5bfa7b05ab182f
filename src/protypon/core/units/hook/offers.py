"""The points that a theme's own code fires."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "points"
PLACE = 20


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    fired = world.behaviour.fired.items()
    return sorted({name for name, calls in fired if any(s.theme is world.child for s in calls)})
