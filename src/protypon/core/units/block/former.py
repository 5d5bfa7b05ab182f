"""Records as ledgers had them once: one for a whole template that only extends, which stands for each of its blocks."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Record, Unit
from protypon.core.units.block.find import base_of, records_of
from protypon.core.units.world import World


def spelled_out(world: World) -> Iterator[tuple[Record, Unit, bytes | None]]:
    """Each record that another one stands for, the unit of that one, and the text that it was taken from."""
    for unit, record in records_of(world).items():
        whole = Unit("template", unit.path)
        if unit not in world.records and whole in world.records:
            yield record, whole, base_of(world, record)
