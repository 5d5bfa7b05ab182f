"""The values that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "values"
PLACE = 60


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    slug, state = world.child.slug, world.behaviour.state
    return sorted(name for name, value in state.values.items() if value.site.theme == slug)
