"""Values explained: which one counts, and which came too late."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, set_row, unknown_of
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    for name in world.behaviour.state.values.keys() | world.platform.code.values.keys():
        yield Unit("value", name)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    return ("--value", "V")


def tell(world: World, unit: Unit) -> Table:
    state = world.behaviour.state
    found = state.values.get(unit.path)
    own = world.platform.code.values.get(unit.path)
    alone = world.behaviour.parents.state.values.get(unit.path) if world.behaviour.parents is not None else None
    late = state.passed_over.get(unit.path, [])
    platform_own = (
        {"theme": world.platform.name, "file": "", "line": None, "value": own, "how": "the platform's own"}
        if own is not None
        else None
    )
    mine = found is not None and found.site.theme == world.child.slug
    return {
        "in_force": set_row(found) if found is not None else platform_own,
        "hidden": [{**set_row(r), "how": "it was set already"} for r in late]
        + ([platform_own] if found is not None and platform_own else []),
        "without": (set_row(alone) if alone is not None else platform_own) if mine else None,
        **unknown_of(world.behaviour, state.blind_about("values") or (found.doubt if found is not None else "")),
    }
