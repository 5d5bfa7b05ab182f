"""Drop: take an override out, and fall back to the parent's. The dropped text stays in the store."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from protypon.core.actions.records import choose, records_now, write_ledger
from protypon.core.check.examine import world_of
from protypon.core.model.actions import Drop, Explain
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.evidence import Evidence, Missing, Supplied, own_of
from protypon.core.model.nouns import Plan, Record, Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.proposals import path_of
from protypon.core.store.proposing import Proposals
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.file.headed import head_of
from protypon.core.units.registry import explain_of, is_in_code, is_part, kinds, taken_out
from protypon.core.units.taking_out import handed_on
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class Dropped:
    """One override that was taken out."""

    unit: Unit
    file: str
    was_there: bool
    digest: str | None
    """Under which the store keeps the text."""
    falls_back: str | None
    """The theme that supplies it now, or what it then belongs to."""
    in_code: bool = False
    """It stood inside a code file, and was taken out of that."""
    left: str = ""
    """A proposal that stays, because a person has edited it."""
    headed: bool = False
    """Its file holds the manifest, which stays."""
    child: str = ""


DONE = ("hook", "region")
"""Kinds of which nothing is supplied: their overrides do something."""


def overrides_of(bench: Bench, child: Theme, snapshot: Snapshot) -> dict[Unit, Evidence]:
    """Every override of a child, listed or not."""
    world = world_of(bench, child, snapshot, {})
    return {e.subject.unit: e for kind in kinds() for e in kind.find(world)}


def plan_drop(
    bench: Bench, children: Sequence[Theme], texts: Iterable[str], where: bool = False
) -> tuple[Plan, list[Dropped]]:
    """Plan to take overrides out, in each child; with ``where``, in those that have them.

    Raises UnknownName for a name that is no override of a child, or of none of them.
    """
    builder = PlanBuilder(bench.folder)
    waiting = Proposals(builder)
    dropped: list[Dropped] = []
    for child, units in meant_in(bench, children, list(texts), where):
        dropped += _dropped_of(bench, child, builder, waiting, units)
    names = " ".join(shlex.quote(u) for u in dict.fromkeys(d.unit.address for d in dropped))
    options = " --all-children" if where else "".join(f" --child {child.slug}" for child in children)
    return builder.plan(f"drop {names}{options}"), dropped


def meant_in(
    bench: Bench, children: Sequence[Theme], texts: Sequence[str], where: bool
) -> Iterator[tuple[Theme, list[Unit]]]:
    """The overrides that some texts mean in each child; with ``where``, only in the children that have them.

    Raises UnknownName for a text that means nothing in a child, or with ``where`` nothing in any.
    """
    missed: UnknownName | None = None
    met = set[str]()
    for child in children:
        found = sorted(overrides_of(bench, child, Snapshot.of_bench(bench)))
        units = []
        for text in texts:
            try:
                units.append(choose(text, found))
                met.add(text)
            except UnknownName as error:
                if not where:
                    raise
                missed = missed or error
        if units:
            yield child, units
    if missed is not None and len(met) < len(set(texts)):
        raise missed


def _dropped_of(
    bench: Bench, child: Theme, builder: PlanBuilder, waiting: Proposals, units: list[Unit]
) -> list[Dropped]:
    found = overrides_of(bench, child, Snapshot.of_bench(bench))
    records = records_now(builder, bench, world_of(bench, child, Snapshot.of_bench(bench), {}))
    units = _with_chains(units, records)
    draft = Draft(world_of(bench, child, Snapshot.of_bench(bench), {}))
    dropped: list[Dropped] = []
    gone: list[str] = []
    for unit in units:
        e, o, own = found[unit], found[unit].subject, own_of(found[unit])
        if is_in_code(unit):
            draft, records = _out_of_code(draft, unit, e, records)
            left = waiting.discard(child.slug, path_of(unit, o.file, is_part(unit)))
            dropped.append(Dropped(unit, o.file, False, None, o.now_from, own is not None, left))
            continue
        left = waiting.discard(child.slug, o.file)
        if o.inside:
            head = head_of(builder.read(os.path.join(child.folder, o.file))).rstrip() + b"\n"
            builder.write(os.path.join(child.folder, o.file), content(head, child.files[o.file].mode))
        elif own is not None:
            builder.remove(os.path.join(child.folder, o.file))
            gone.append(o.file)
        back = None if o.inside else o.now_from
        dropped.append(
            Dropped(unit, o.file, own is not None, own.text if own else None, back, left=left, headed=o.inside)
        )
    draft.put_into(builder)
    for path in gone:
        draft = draft.with_file(path, None)
    dropped = [
        each
        if found[each.unit].subject.inside and not each.in_code
        else replace(each, falls_back=_supplier(draft.world, each.unit))
        for each in dropped
    ]
    if records != bench.records(child) or any(unit in records for unit in units):
        write_ledger(builder, child, ledger.change_records(records, drop=units))
    return [replace(each, child=child.slug) for each in dropped]


def _supplier(world: World, unit: Unit) -> str | None:
    """Whose a unit is, once the child's own is out of the way."""
    explainer = explain_of(unit)
    if unit.kind in DONE or unit not in explainer.units(world):
        return None
    try:
        found = explainer.tell(world, unit)["in_force"]
    except UnknownName:  # nobody has it any more
        return None
    return found["theme"] if found is not None else None


def _with_chains(units: list[Unit], records: Mapping[Unit, Record]) -> list[Unit]:
    """With the functions that were copied for the sake of another one; those can't go alone."""
    found: list[Unit] = []
    for unit in units:
        head = records[unit].written.part_of if unit in records else ""
        if head and head not in {u.address for u in units}:
            raise ProtyponError(
                f"{unit.address} was copied for the sake of {head}, which calls it or is called by it",
                ("drop both with: ", Drop(head)),
            )
        found += [unit, *(r.unit for r in records.values() if r.written.part_of == unit.address)]
    return list(dict.fromkeys(found))


def _out_of_code(
    draft: Draft, unit: Unit, e: Evidence, records: dict[Unit, Record]
) -> tuple[Draft, dict[Unit, Record]]:
    o, record = e.subject, records.get(unit)
    if record is None:
        digest = e.source.digest if isinstance(e.source, Supplied) else ""
        record = Record(unit, o.how, o.origin or "", o.now, digest, written=o.written)
    others = [r for r in records.values() if r.unit != unit]
    made = taken_out(draft, record, others)
    if not isinstance(e, Missing) and made.files == draft.files:
        raise ProtyponError(
            f"{unit.address}: what does it in {quote_path(o.file)} does other things too, so it was left",
            ("take it out by hand; see where with: ", Explain(unit.address, draft.child.slug)),
        )
    return made, ledger.change_records(records, handed_on(record, others), drop=[unit])
