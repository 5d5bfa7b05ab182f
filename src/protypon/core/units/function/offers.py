"""The functions that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "functions"
PLACE = 10


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    slug, state = world.child.slug, world.behaviour.state
    return sorted(d.name for d in state.functions.values() if d.site.theme == slug)
