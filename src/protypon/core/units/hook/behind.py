"""What stands behind a detachment that stops the site, because what it asks for is gone: the child without it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Record, Unit
from protypon.core.themes.reach import Location
from protypon.core.units.draft import Draft
from protypon.core.units.hook import remove, write
from protypon.core.units.taking_out import out_of
from protypon.core.units.world import World


class Stop(NamedTuple):
    """Where the site stops, and because of what."""

    site: Location
    because: str


def stop_of(world: World, record: Record) -> Stop | None:
    """Where the site stops in what an override wrote, because what it asks for is not there; None where it does not."""
    if world.lineage.cut:
        return None
    state, path = world.behaviour.state, record.written.file
    stops = [
        Stop(u.site, f"asks for the {u.kind} {u.name}, and nothing has it any more")
        for u in state.unsupplied
        if not u.doubt
    ]
    if state.stopped is not None:
        stops.append(Stop(state.stopped.site, state.stopped.because))
    stops = [stop for stop in stops if (stop.site.theme, stop.site.path) == (world.child.slug, path)]
    lines = _lines(Draft(world), record) if stops else range(0)
    return next((stop for stop in stops if stop.site.line in lines), None)


def _lines(draft: Draft, record: Record) -> range:
    """The lines that an override wrote into its file."""
    out, path = without(draft, record), record.written.file
    before, after = (d.read(path).splitlines() if d.has(path) else [] for d in (draft, out))
    same = next(
        (n for n, (a, b) in enumerate(zip(before, after, strict=False)) if a != b), min(len(before), len(after))
    )
    return range(same + 1, same + 1 + len(before) - len(after))


def without(draft: Draft, record: Record) -> Draft:
    """The child without an override; as it is where it can't be told what belongs to it."""
    others = [r for r in draft.start.records.values() if r.unit != record.unit]
    try:
        return out_of(draft, record, others, remove)
    except ProtyponError:
        return draft


def anew(draft: Draft, record: Record) -> Draft:
    """It is written in the way that works now. Raises ProtyponError where none does."""
    point, label = record.unit.path, record.unit.name or ""
    if record.how == "reorder" and record.written.to is not None:
        return write.reorder_callback(draft, point, label, record.written.to).draft
    return write.detach_callback(draft, point, label).draft


def out_of_the_way(world: World, records: Iterable[Record]) -> World:
    """The child as it would be without the detachments that stop the site: written anew where that works, else taken out."""
    draft = Draft(world)
    for record in records:
        draft = without(draft, record)
        try:
            draft = anew(draft, record)
        except ProtyponError:
            continue
    return draft.world


def is_its_doing(stopping: Unit, other: Evidence) -> bool:
    """Whether an override without a record is only there because the detachment was written anew."""
    return not other.subject.listed and other.subject.unit == stopping
