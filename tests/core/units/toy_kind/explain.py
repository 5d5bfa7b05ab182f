"""Lamps: explained."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, place
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    return (Unit("lamp", str(m.name)) for m in world.behaviour.state.provided)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    return ()


def tell(world: World, unit: Unit) -> Table:
    mark = [m for m in world.behaviour.state.provided if m.name == unit.path][-1]
    return {"in_force": place(mark.site, value=mark.value)}
