"""What stands behind a class that stops the site: the child without it."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.class_ import remove
from protypon.core.units.draft import Draft
from protypon.core.units.taking_out import out_of
from protypon.core.units.world import World


def out_of_the_way(world: World, records: Iterable[Record]) -> World:
    """The child as it would be without the classes and methods that stop the site."""
    draft = Draft(world)
    for record in records:
        draft = out_of(draft, record, [r for r in world.records.values() if r.unit != record.unit], remove)
    return draft.world


def is_its_doing(stopping: Unit, other: Evidence) -> bool:
    """Whether an override without a record is only there because that was done."""
    return False
