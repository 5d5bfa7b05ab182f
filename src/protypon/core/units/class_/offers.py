"""The classes that a theme's own code offers."""

from __future__ import annotations

from protypon.core.units.world import World

LABEL = "classes"
PLACE = 15


def names(world: World) -> list[str]:
    """Their names, as addresses have them."""
    slug, state = world.child.slug, world.behaviour.state
    return sorted(
        c.name for c in state.classes.values() if c.file.theme == slug and c.file.folds and ":class@" not in c.name
    )
