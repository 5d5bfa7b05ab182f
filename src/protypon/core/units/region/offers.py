"""The regions that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "regions"
PLACE = 30


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    slug, state = world.child.slug, world.behaviour.state
    return sorted({str(m.name) for m in state.regions if m.site.theme == slug})
