"""The items that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "items"
PLACE = 40


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    slug, state = world.child.slug, world.behaviour.state
    return sorted(f"{kind}#{name}" for (kind, name), item in state.items.items() if item.site.theme == slug)
