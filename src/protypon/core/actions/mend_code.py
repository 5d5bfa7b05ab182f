"""Mend inside code: overrides brought up to what the parents do, and calls that match nothing given what would match."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from protypon.core.actions.records import remember, write_ledger
from protypon.core.analysis.state import Callback
from protypon.core.check.examine import world_of
from protypon.core.model.actions import Check, Explain, Points
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, text_of
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.coder import coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.hook import write as hooks
from protypon.core.units.hook.findings import Match, matches
from protypon.core.units.mending import changed_calls
from protypon.core.units.registry import has_text, in_code, is_in_code, mended, taken_out

Row = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Mended:
    what: str
    """The unit or code."""
    done: str


def mend_code(bench: Bench, builder: PlanBuilder, child: Theme, wanted: list[tuple[str, Row]]) -> list[Mended]:
    """Carry out the mechanical steps of units inside code. Raises ProtyponError where one does not come out."""
    if not wanted:
        return []
    snapshot = Snapshot.of_bench(bench)
    work = _CodeMending(
        bench, builder, snapshot, Draft(world_of(bench, child, snapshot, {})), dict(bench.records(child))
    )
    told = []
    for name, row in wanted:
        unit = Unit.parse(name) if is_in_code(name.partition(":")[0]) else None
        if unit is not None and unit in work.records:
            told.append(Mended(name, work.override(unit)))
        else:
            told.append(Mended(name, work.call(unit, row)))
    work.draft.put_into(builder)
    if work.records != bench.records(child):
        write_ledger(builder, child, work.records)
    return told


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
        others = [r for r in self.records.values() if r.unit != unit and is_in_code(r.unit.kind)]
        self.draft, new, words = mended(self.draft, record, evidence, others)
        self.records = {(new.unit if u == unit else u): (new if u == unit else r) for u, r in self.records.items()}
        if not has_text(unit.kind):
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
        new = replace(record, source=source, release=release, digest=digest)
        self.records = ledger.changed(self.records, [new])

    def call(self, unit: Unit | None, row: Row) -> str:
        """A detachment without a record that matches nothing: what would match, written into it."""
        behaviour = self.draft.world.behaviour
        found = [
            m
            for m in matches(self.draft.world)
            if unit is None or (m.point, m.label.lower()) == (unit.path, (unit.name or "").lower())
        ]
        if not found:
            raise ProtyponError(
                f"{row['code']}: nothing would match it for certain",
                Points(child=behaviour.lineage.child.slug),
            )
        return "; ".join(self._matched(m) for m in found)

    def _matched(self, match: Match) -> str:
        to = match.to
        change: dict[str, object] = {"point": to.point, "callback": to.label}
        if isinstance(to.order, int) and match.order is not None:
            change["order"] = to.order
        made = changed_calls(self.draft, match.path, {"detach": change}, match.point, match.label)
        if not hooks.is_off(made.world, to):
            made = self._at_another_moment(match, to)
        said = [
            f"{what} is {new}, was {old}"
            for what, new, old in (("the point", to.point, match.point), ("the callback", to.label, match.label), ("the order", to.order, match.order))
            if new != old and not (what == "the order" and match.order is None)
        ]  # fmt: skip
        self.draft = made
        return f"{match.path} line {match.line}: {'; '.join(said) or 'it waits until the callback is there'}"

    def _at_another_moment(self, match: Match, to: Callback) -> Draft:
        unit = Unit("hook", match.point, match.label)
        out = taken_out(self.draft, Record(unit, "detach", "", None, ""), [])
        code, _ = coder(out)
        try:
            off = hooks.taken_off(out, to, code)
        except LookupError as error:
            raise ProtyponError(f"{unit.address}: {error}", Explain(f"hook:{match.point}")) from error
        made, _, _ = put(out, [off.text], match.path)
        return made
