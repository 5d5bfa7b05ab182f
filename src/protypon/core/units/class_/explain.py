"""Classes explained: which is in force, which are hidden and why, what extends them."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.code import Class
from protypon.core.model.nouns import Unit
from protypon.core.units.class_.reading import (
    ClassDeclaration,
    classes_in,
    in_force,
    origin_of,
    own_class,
    parents_method,
)
from protypon.core.units.explaining import Table, place, unknown_of, words_of
from protypon.core.units.parent_functions import same_name
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    if world.platform.code.declares == "all":
        for cls in classes_in(world.behaviour, world.lineage.themes):
            yield Unit("class", cls.name)
            yield from (Unit("class", cls.name, name) for name in _methods(world, cls))


def _methods(world: World, cls: ClassDeclaration) -> list[str]:
    return [m.rpartition("::")[2] for m in world.behaviour.methods_of(cls.name)]


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    own = own_class(world, unit.path)
    if unit.name is None:
        return () if own is None and origin_of(world, unit.path) is not None else None
    return () if own is not None and parents_method(world, own, unit.name) is not None else None


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    behaviour = world.behaviour
    if unit.name is not None:
        return _method(world, unit)
    winner = in_force(behaviour, unit.path)
    found = [c for c in classes_in(behaviour, world.lineage.themes) if same_name(world, c.name, unit.path)]
    parents = in_force(behaviour.parents, unit.path) if behaviour.parents is not None else None
    mine = winner is not None and winner.theme.slug == world.child.slug
    notes = [
        f"extended by {c.name}, {words_of(c.place)}"
        for c in classes_in(behaviour, world.lineage.themes)
        if isinstance(c.node, Class) and any(same_name(world, b, unit.path) for b in c.node.bases)
    ]
    notes += [
        f"{c.label.rpartition('::')[2]} is attached at {c.point} with order {c.order}, {words_of(c.site)}"
        for c in behaviour.state.callbacks
        if c.gone is None and c.label.lower().startswith(f"{unit.path.lower()}::")
    ]
    doubt = behaviour.state.classes.get(unit.path.lower())
    return {
        "in_force": place(winner.place) if winner is not None else None,
        "hidden": [
            place(c.place, how=_why_hidden(world, c, winner)) for c in found if winner is None or c.key != winner.key
        ],
        "without": place(parents.place) if mine and parents is not None else None,
        "comment": "",
        "notes": notes,
        **unknown_of(behaviour, doubt.doubt if doubt is not None else ""),
    }


def _why_hidden(world: World, declared: ClassDeclaration, winner: ClassDeclaration | None) -> str:
    if (declared.theme.slug, declared.path) not in world.behaviour.state.loaded:
        return "its file is not loaded"
    return "guarded: declared already" if winner is not None else "under a condition that does not hold"


def _method(world: World, unit: Unit) -> Table:
    """Which class of the line a method comes from, and what it hides."""
    behaviour = world.behaviour
    sites = (behaviour.place_of_method(cls, unit.name or "") for cls in behaviour.line_of(unit.path))
    found = [place(site) for site in sites if site is not None]
    return {
        "in_force": found[0] if found else None,
        "hidden": [{**row, "how": "overridden further down"} for row in found[1:]],
        "without": found[1] if len(found) > 1 and found[0]["theme"] == world.child.slug else None,
        "comment": "",
        "notes": [],
        **unknown_of(world.behaviour),
    }
