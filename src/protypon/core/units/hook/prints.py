"""Hook points as a way to change what callbacks print, and what passes through."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.actions import Override
from protypon.core.model.nouns import Unit
from protypon.core.units.code_prints import callbacks_of
from protypon.core.units.hook.explain import taking
from protypon.core.units.printing import HOOK_RANK, PrintedAt, WayToChange
from protypon.core.units.world import World


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """A callback taken off its point, or another one behind it that changes what it gives."""
    source = standing.source
    if source.function < 0 or source.theme is world.child:
        return
    for callback in callbacks_of(world, (source.theme.slug, source.path, source.function)):
        if callback.gone is not None:
            continue
        passes = callback.point in world.behaviour.passing
        unit = Unit("hook", callback.point, None if passes else callback.label)
        options = taking(world, unit)
        if options is None:
            continue
        what = (
            f"a callback of yours behind it at {callback.point}, which is given what it gives"
            if passes
            else f"taken off {callback.point}; attach one of yours there to print other words"
        )
        yield WayToChange(HOOK_RANK, Override(unit.address, world.child.slug, options), what)
