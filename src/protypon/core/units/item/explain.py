"""Registered items explained: what is registered, replaced and taken away."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, set_row, unknown_of, words_of
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    state = world.behaviour.state
    for kind, name in {*state.items, *state.removed, *_own_items(world)}:
        yield Unit("item", kind, name)


def _own_items(world: World) -> list[tuple[str, str]]:
    return [(kind, name) for kind, names in world.platform.code.items.items() for name in names]


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    return ("--remove",)


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    state = world.behaviour.state
    key = (unit.path, unit.name or "")
    found = state.items.get(key)
    own = key in _own_items(world)
    past = state.removed.get(key, [])
    alone = world.behaviour.parents.state.items.get(key) if world.behaviour.parents is not None else None
    in_force = set_row(found) if found is not None else None
    if in_force is None and own and not past:
        in_force = {"theme": world.platform.name, "file": "", "line": None, "value": None, "how": "the platform's own"}
    return {
        "in_force": in_force,
        "hidden": [
            {**set_row(old), "how": f"{how} in {words_of(place)}"} for old, place, how in past if old is not None
        ],
        "without": set_row(alone)
        if alone is not None and (found is None or found.site.theme == world.child.slug)
        else None,
        **unknown_of(world.behaviour, state.blind_about("items") or (found.doubt if found is not None else "")),
    }
