"""What methods print or give back."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.actions import Override
from protypon.core.model.nouns import Unit
from protypon.core.units import code_prints
from protypon.core.units.class_.explain import taking
from protypon.core.units.printing import FUNCTION_RANK, PrintedAt, PrintSource, Sought, WayToChange
from protypon.core.units.world import World

running = code_prints.running


def sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    """Every method of the lineage's code files."""
    for each in code_prints.flows(world, sought):
        owner, colons, method = each.function.name.rpartition("::") if each.function is not None else ("", "", "")
        if colons:
            yield each.source(Unit("class", owner, method))


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """The class, replaced by one of the child's."""
    source = standing.source
    if source.unit.kind != "class" or source.theme is world.child:
        return
    unit = Unit("class", source.unit.path)
    options = taking(world, unit)
    if options is not None:
        what = "the class that it is a method of, replaced by one of yours"
        yield WayToChange(FUNCTION_RANK, Override(unit.address, world.child.slug, options), what)
