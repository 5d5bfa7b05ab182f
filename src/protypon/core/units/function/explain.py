"""Functions explained: which is in force, which are hidden and why."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.effects import function_by_pattern
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.machine import Machine
from protypon.core.languages.code import Function
from protypon.core.model.nouns import Unit
from protypon.core.themes.reach import Location
from protypon.core.units.explaining import Table, place, unknown_of, words_of
from protypon.core.units.parent_functions import origin_of, own_function
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    behaviour = world.behaviour
    for _, function in _functions(behaviour):
        yield Unit("function", function.name)
    for said in behaviour.said:
        if said.meaning.does == "summon" and said.name:
            yield Unit("function", said.name)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    taken = origin_of(world, unit.path) is None or own_function(world, unit.path) is not None
    return None if taken else ()


def _functions(behaviour: Behaviour) -> list[tuple[Location, Function]]:
    """Every named function of the lineage's code files, the child's first."""
    found = []
    for theme in behaviour.lineage.themes:
        for path, code in behaviour.code_files(theme):
            found += [(Location(theme.slug, path, f.line), f) for f in code.functions if f.name]
    return found


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    behaviour, name = world.behaviour, unit.path
    winner = _in_force(behaviour, name)
    others = [(p, f) for p, f in _functions(behaviour) if _is_called(behaviour, f.name, name)]
    parents = _in_force(behaviour.parents, name) if behaviour.parents is not None else None
    mine = winner is not None and winner.theme == world.child.slug
    comment = next((f.doc for p, f in others if p.theme != world.child.slug and f.doc), "") or next(
        (f.doc for _, f in others if f.doc), ""
    )
    state = behaviour.state
    declared = state.functions.get(name) or state.functions.get(name.lower())
    notes = [
        f"attached at {c.point} with order {c.order}, {words_of(c.site)}"
        for c in state.callbacks
        if c.label.lower() == name.lower() and c.gone is None
    ]
    notes += [
        f"taken off {c.point} by {words_of(c.gone.site)}"
        for c in state.callbacks
        if c.label.lower() == name.lower() and c.gone is not None
    ]
    notes += [
        f"summoned in {words_of(s.place)}" for s in behaviour.said if s.meaning.does == "summon" and s.name == name
    ][:5]
    return {
        "in_force": place(winner) if winner is not None else None,
        "hidden": [place(p, how=_why_hidden(behaviour, p, f)) for p, f in others if p != winner],
        "without": place(parents) if mine and parents is not None else None,
        "comment": comment,
        "notes": notes,
        **unknown_of(behaviour, declared.doubt if declared is not None else ""),
    }


def _is_called(behaviour: Behaviour, full: str, name: str) -> bool:
    """Whether a function is called so, or is what a theme's name pattern makes of it."""
    rules = behaviour.platform.code
    names = (
        {name, *(rules.function_name(name, slug) for slug in behaviour.lineage.slugs)}
        if rules.meaning("summon")
        else {name}
    )
    return full.lower() in {n.lower() for n in names} if rules.declares == "all" else full in names


def _in_force(behaviour: Behaviour, name: str) -> Location | None:
    found = behaviour.state.functions.get(name) or behaviour.state.functions.get(name.lower())
    if found is None and behaviour.platform.code.meaning("summon") is not None:
        machine = Machine(behaviour.platform.code, FOLLOWING)
        machine.state = behaviour.state
        found = function_by_pattern(machine, name, list(behaviour.lineage.slugs))
    return found.site if found is not None else None


def _why_hidden(behaviour: Behaviour, place: Location, function: Function) -> str:
    """Why a declaration is not the one in force."""
    state = behaviour.state
    if (place.theme, place.path) not in state.loaded:
        return "its file is not loaded"
    for hidden, how in state.hidden:
        if hidden.site == place:
            if how == "replaced":
                return "replaced by a nearer theme's"
            return (
                "guarded: declared already"
                if _in_force(behaviour, function.name)
                else "under a condition that does not hold"
            )
    if behaviour.platform.code.declares == "marked" and not any(
        m.name in behaviour.platform.code.marked for m in function.marks
    ):
        return "known in its own file only"
    return "a nearer theme's comes first" if behaviour.platform.code.meaning("summon") is not None else "not declared"
