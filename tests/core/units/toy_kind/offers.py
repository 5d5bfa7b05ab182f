"""The lamps that a theme lights."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "lamps"
PLACE = 70


def names(world: World) -> list[str]:
    return sorted(str(m.name) for m in world.behaviour.state.provided if m.site.theme == world.child.slug)
