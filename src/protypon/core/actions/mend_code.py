"""Mend inside code: overrides brought up to what the parents do, and calls that match nothing given what would match."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from protypon.core.actions.records import remember, write_ledger
from protypon.core.check.examine import present_world, world_of
from protypon.core.model.actions import Check
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, text_of
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.model.paths import unquote_path
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.file.registering import by_call
from protypon.core.units.file.use import DOES
from protypon.core.units.registry import KINDS, has_text, in_code, is_in_code, kinds_in_code, loose_of, mend_draft

Row = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Mended:
    """One mechanical step that was taken."""

    what: str
    """The unit or code."""
    done: str


def mend_code(bench: Bench, builder: PlanBuilder, child: Theme, wanted: list[tuple[str, Row]]) -> list[Mended]:
    """Carry out the mechanical steps of units inside code. Raises ProtyponError where one does not come out.

    Overrides are brought up to their parents as released; then what else is found is mended as the site runs, which is
    something else where a parent was edited in its folder.
    """
    if not wanted:
        return []
    snapshot = Snapshot.of_bench(bench)
    world = world_of(bench, child, snapshot, {})
    work = _CodeMending(bench, builder, snapshot, Draft(world), dict(bench.records(child)))
    told: dict[str, Mended] = {}
    units = {name: Unit.parse(name) for name, _ in wanted if name.partition(":")[0] in KINDS.keys() - DOES.keys()}
    for name, unit in units.items():
        if unit in work.records:
            told[name] = Mended(name, work.override(unit))
    present = present_world(bench, child, snapshot, {}, world)
    if present is not world:
        work.draft = Draft(present, work.draft.files, work.draft.values)
    for name, row in wanted:
        kind = name.partition(":")[0]
        if kind in DOES:
            work.draft, done = by_call(work.draft, kind, unquote_path(row["file"]))
            told[name] = Mended(name, done)
        elif name not in told:
            told[name] = Mended(name, work.call(units.get(name), row["code"]))
    work.draft.put_into(builder)
    if work.records != bench.records(child):
        write_ledger(builder, child, work.records)
    return list(told.values())


class _CodeMending:
    def __init__(
        self, bench: Bench, builder: PlanBuilder, snapshot: Snapshot, draft: Draft, records: dict[Unit, Record]
    ) -> None:
        self.bench, self.builder, self.snapshot, self.draft, self.records = bench, builder, snapshot, draft, records

    def _evidence(self, unit: Unit) -> Evidence | None:
        world = self.draft.world.with_records(self.records)
        return next((e for e in in_code(unit.kind).find(world) if e.subject.unit == unit), None)

    def override(self, unit: Unit) -> str:
        """One listed override: what it was taken from stays as it was, where the text is a copy."""
        evidence = self._evidence(unit)
        if evidence is None:
            raise ProtyponError(f"{unit.address}: is no override of {self.draft.child.slug}", Check())
        record = self.records[unit]
        others = [r for r in self.records.values() if r.unit != unit and is_in_code(r.unit)]
        self.draft, new, words = mend_draft(self.draft, record, evidence, others)
        self.records = {(new.unit if u == unit else u): (new if u == unit else r) for u, r in self.records.items()}
        if not has_text(unit):
            self._take_claim(new)
        return words

    def _take_claim(self, record: Record) -> None:
        found = self._evidence(record.unit)
        text = text_of(found) if found is not None else b""
        if found is None or not text:
            return
        digest = content(text).digest
        remember(self.builder, self.bench, digest, text)
        theme = self.draft.world.ancestor(found.subject.now_from)
        source, release = (theme.slug, theme.release) if theme is not None else (record.source, record.release)
        new = record.held_against(source, release, digest)
        self.records = ledger.change_records(self.records, [new])

    def call(self, unit: Unit | None, code: str) -> str:
        """What has no record and does nothing: what would do something, written into it."""
        kinds = [unit.kind] if unit is not None else kinds_in_code()
        mending = next(found for kind in kinds if (found := loose_of(kind)) is not None)
        self.draft, words = mending.mend_draft(self.draft, unit, code)
        return words
