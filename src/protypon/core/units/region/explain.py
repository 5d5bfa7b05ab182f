"""Regions explained: where they are declared and printed."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, place, unknown_of, words_of
from protypon.core.units.region.findings import hiding_copies, printed_regions
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    behaviour = world.behaviour
    for name in {str(m.name) for m in behaviour.state.regions} | {n for n in printed_regions(behaviour) if n}:
        yield Unit("region", name)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    return None if any(m.name == unit.path for m in world.behaviour.state.regions) else ()


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    behaviour = world.behaviour
    printed = printed_regions(behaviour).get(unit.path, [])
    declared = [m for m in behaviour.state.regions if m.name == unit.path]
    notes = [
        f"declared in {m.site.theme}/{m.site.path}" + (f" line {m.site.line}" if m.site.line else "") for m in declared
    ]
    if not declared:
        known = behaviour.uncertain or behaviour.state.blind_about("points")
        later = [s for s in behaviour.said if s.meaning.does == "region" and s.name == unit.path]
        notes += [f"{words_of(s.place)} would declare it, and does not run" for s in later]
        if not later:
            notes.append("whether a theme declares it is not known" if known else "declared by no theme of the lineage")
    if not printed:
        notes.append("no template in use prints it")
    return {
        "in_force": place(printed[0].place) if printed else None,
        "hidden": [
            place(where, how=f"your {copy.path} takes its place and does not print it")
            for where, copy in hiding_copies(behaviour, unit.path)
        ],
        "notes": notes,
        **unknown_of(behaviour),
    }
