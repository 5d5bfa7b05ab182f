"""Regions explained: where they are declared and printed."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, place, unknown_of
from protypon.core.units.region.findings import hiding_copies, printed_regions
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    behaviour = world.behaviour
    for name in {str(m.name) for m in behaviour.state.regions} | {n for n in printed_regions(behaviour) if n}:
        yield Unit("region", name)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    return ()


def tell(world: World, unit: Unit) -> Table:
    behaviour = world.behaviour
    printed = printed_regions(behaviour).get(unit.path, [])
    declared = [m for m in behaviour.state.regions if m.name == unit.path]
    return {
        "in_force": place(printed[0].place) if printed else None,
        "hidden": [
            place(where, how=f"your {copy.path} takes its place and does not print it")
            for where, copy in hiding_copies(behaviour, unit.path)
        ],
        "notes": [
            f"declared in {m.site.theme}/{m.site.path}" + (f" line {m.site.line}" if m.site.line else "")
            for m in declared
        ]
        or ["declared by no theme of the lineage"],
        **unknown_of(behaviour),
    }
