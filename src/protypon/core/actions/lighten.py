"""Lighten: a copied file of a child that differs in little becomes overrides that say just that, if all stays the same."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace

from protypon.core.actions.lightest import Edit, Lightest, lightest
from protypon.core.actions.records import choose, records_now, remember
from protypon.core.check.examine import present_world, world_of
from protypon.core.model.actions import Compare, Survey, Update
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.nouns import Plan, Record, Theme, Unit
from protypon.core.store import ledger
from protypon.core.store.ledger import LEDGER
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.registry import is_in_code
from protypon.core.units.world import World

WORTH = 0.5
"""A copy is a candidate where at least so much of its lines are the parent's."""


@dataclass(frozen=True)
class Lightened:
    """What became of one copy."""

    unit: Unit
    result: Lightest
    before: int
    """Bytes of the copy."""
    after: int
    """Bytes that say it now."""


def plan_lighten(bench: Bench, child: Theme, texts: Sequence[str], force: bool = False) -> tuple[Plan, list[Lightened]]:
    """Plan lighter overrides for the named copies, or for all that can be; what can't is told and stays.

    Raises UnknownName for a name that is no copy of the child, ProtyponError for one that the parent has changed since.
    """
    snapshot = Snapshot.of_bench(bench)
    world = world_of(bench, child, snapshot, {})
    copies = {unit: record for unit, record in world.records.items() if record.how == "copy" and not is_in_code(unit)}
    named = [choose(text, copies) if copies else _none(child, text) for text in texts]
    chosen = named or [unit for unit in copies if _is_worth(world, unit)]
    builder = PlanBuilder(bench.folder)
    records = records_now(builder, bench, world)
    present = present_world(bench, child, snapshot, {})
    files: dict[str, bytes | None] = {}
    values: dict[str, object] = {}
    told: list[Lightened] = []
    for unit in chosen:
        reference = Draft(present, files, values)
        theme, edit = _edit(world, unit, copies[unit])
        base = Draft(present, {**files, unit.path: None}, values)
        result = lightest(reference.world, base, theme, edit, False)
        before = len(edit.ours or b"")
        if result.state is None:
            told.append(Lightened(unit, result, before, before))
            continue
        draft = result.state.draft
        after = _bytes_added(reference, draft, unit.path)
        if after >= before:
            why = f"what says the same would take {after:,} bytes in the place of {before:,}"
            told.append(Lightened(unit, result._replace(state=None, why=why), before, after))
            continue
        files, values = dict(draft.files), dict(draft.values)
        made = [replace(r, why=r.why or copies[unit].why) for r in result.state.records]
        records = ledger.change_records(records, made, [unit])
        for _, text in result.state.texts:
            remember(builder, bench, content(text).digest, text)
        told.append(Lightened(unit, result, before, after))
    _write(builder, child, files, records)
    names = " ".join(each.unit.address for each in told if each.result.state is not None)
    return builder.plan(f"lighten {names} --child {child.slug}"), told


def _none(child: Theme, text: str) -> Unit:
    raise UnknownName(f"{child.slug} has no copied file, so {text!r} is none", Survey(units=True))


def _edit(world: World, unit: Unit, record: Record) -> tuple[Theme, Edit]:
    """A copy against the parent's file. Raises ProtyponError where the parent's is another one than it was taken from."""
    theme = next((t for t in world.ancestors if unit.path in t.files), None)
    if theme is None or unit.path not in world.child.files:
        raise ProtyponError(
            f"{unit.address}: the parent has no such file any more", Compare(unit.address, world.child.slug)
        )
    if theme.files[unit.path].digest != record.digest:
        raise ProtyponError(
            f"{unit.address}: {theme.label} changed it since it was taken; carry it over first", Update(theme.slug)
        )
    data = world.snapshot.read(theme, unit.path)
    return theme, Edit(unit.path, data, world.snapshot.read(world.child, unit.path))


def _is_worth(world: World, unit: Unit) -> bool:
    """Whether a copy has most of its lines from the parent, and the parent has not changed since."""
    theme = next((t for t in world.ancestors if unit.path in t.files), None)
    if theme is None or unit.path not in world.child.files:
        return False
    if theme.files[unit.path].digest not in (world.records[unit].digest,):
        return False
    return differs_little(world.snapshot.read(theme, unit.path), world.snapshot.read(world.child, unit.path))


def differs_little(theirs: bytes, ours: bytes) -> bool:
    """Whether a text has most of its lines from another one, and some of its own."""
    if theirs == ours or b"\0" in ours[:8192]:
        return False
    rows = ours.splitlines()
    known = set(theirs.splitlines())
    return bool(rows) and sum(row in known for row in rows) / len(rows) >= WORTH


def _bytes_added(before: Draft, after: Draft, path: str) -> int:
    """How many bytes more the child has than without the copy."""

    def size(draft: Draft) -> int:
        return sum(entry.size for name, entry in draft.child.files.items() if name != path)

    copy = after.child.files.get(path)
    return size(after) - size(before) + (copy.size if copy is not None else 0)


def _write(builder: PlanBuilder, child: Theme, files: dict[str, bytes | None], records: dict[Unit, Record]) -> None:
    for path, data in files.items():
        full = os.path.join(child.folder, path)
        if data is None:
            builder.remove(full)
        else:
            standing = child.files.get(path)
            builder.write(full, content(data, standing.mode) if standing is not None else content(data))
    if files:
        path = os.path.join(child.folder, LEDGER)
        text = builder.read(path).decode("utf-8")
        builder.write(path, content(ledger.write(text, records).encode("utf-8")))
