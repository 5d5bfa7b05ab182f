"""What functions and code files print or give back."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.code import Function
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Theme, Unit
from protypon.core.units import code_prints
from protypon.core.units.function.explain import taking
from protypon.core.units.printing import FUNCTION_RANK, PrintedAt, PrintSource, Sought, WayToChange
from protypon.core.units.world import World

running = code_prints.running


def sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    """Every function of the lineage's code files that is no method, and what stands outside of any."""
    for each in code_prints.flows(world, sought):
        if each.function is None or "::" not in each.function.name:
            source = each.source(_unit(each.path, each.function))
            names = _names(world, each.theme, each.function) if each.function is not None else ()
            yield source._replace(names=names)


def _unit(path: str, function: Function | None) -> Unit:
    """A function as its address has it; a closure is a part of its file."""
    return Unit("function", function.name) if function is not None and function.name else Unit("code", path)


def _names(world: World, theme: Theme, function: Function) -> tuple[str, ...]:
    """What a function is called as: by its name, and by what the platform summons it by."""
    rules = world.platform.code
    said = {s.name for s in world.behaviour.said if s.meaning.does == "summon" and s.name}
    summoned = sorted(name for name in said if rules.function_name(name, theme.slug) == function.name)
    return (function.name, *summoned) if function.name else ()


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """A function of its own in the place of the parent's."""
    source = standing.source
    if source.unit.kind != "function" or source.theme is world.child:
        return
    options = taking(world, source.unit)
    if options is not None:
        what = "the function, replaced by one of yours"
        yield WayToChange(FUNCTION_RANK, Override(source.unit.address, world.child.slug, options), what)
