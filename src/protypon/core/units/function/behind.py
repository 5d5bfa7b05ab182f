"""What stands behind a function that stops the site: the child without it, and what is its doing."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.draft import Draft
from protypon.core.units.function import remove
from protypon.core.units.function.copies import own_text
from protypon.core.units.function.write import again
from protypon.core.units.taking_out import out_of
from protypon.core.units.world import World


def out_of_the_way(world: World, records: Iterable[Record]) -> World:
    """The child as it would be without the functions that stop the site: written anew where that works, else taken out."""
    draft = Draft(world)
    for record in records:
        others = [r for r in world.records.values() if r.unit != record.unit]
        out = out_of(draft, record, others, remove)
        text = own_text(draft, record, others)
        try:
            draft = again(out, record, {record.unit.path: text} if text is not None else {}).draft
        except ProtyponError:
            draft = out
    return draft.world


def is_its_doing(stopping: Unit, other: Evidence) -> bool:
    """Whether an override without a record is only there because the function was written anew."""
    unit = other.subject.unit
    return not other.subject.listed and unit.name is not None and unit.name.lower() == stopping.path.lower()
