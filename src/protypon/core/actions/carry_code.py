"""The overrides inside a child's code carried over: merged as texts of their own, renumbered, renamed or written anew, until each holds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from protypon.core.actions.carried_rows import TAKEN_UP, Row
from protypon.core.actions.carry import Carrying
from protypon.core.actions.records import remember
from protypon.core.check.comparing import three_of
from protypon.core.check.examine import evidence_of
from protypon.core.check.judge import judge
from protypon.core.merge import three_way as merge
from protypon.core.model.actions import Mend, Settle, Words, action_of, join_words
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import (
    Evidence,
    Place,
    Subject,
    Verdict,
    comparison_of,
    moved_to,
    own_of,
    text_of,
    with_comparison,
)
from protypon.core.model.nouns import Record, Unit
from protypon.core.model.paths import Entry
from protypon.core.store import ledger
from protypon.core.store.plan_builder import content
from protypon.core.store.proposals import path_of
from protypon.core.themes.comparisons import compare, merge_texts
from protypon.core.units.draft import Draft
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.registry import has_text, in_code, is_in_code, is_part, mend_draft, texts_of
from protypon.core.units.world import World

ROUNDS = 4
"""How often one override is looked at again after a step: mended, then merged, then found to hold."""


def carry_code(carrying: Carrying, verdicts: Iterable[Verdict], steps: NextSteps) -> dict[Unit, Row]:
    """Carry over every override inside the code of a child, on top of what was done to its files."""
    work = _CodeCarrying(carrying, steps)
    rows = {v.unit: work.carry(v) for v in verdicts}
    work.finish()
    return rows


class _CodeCarrying:
    """One child's code while it is edited."""

    def __init__(self, carrying: Carrying, steps: NextSteps) -> None:
        self.carrying, self.steps = carrying, steps
        self.draft = Draft(self._world())

    def _world(self) -> World:
        """The child as its files are by now, with its records."""
        c = self.carrying
        lineage = replace(c.world.lineage, themes=(c.planned_child(), *c.world.ancestors))
        return World(c.world.platform, lineage, c.records, c.world.releases, c.snapshot, c.world.unplaced)

    def carry(self, before: Verdict) -> Row:
        """Take one override as far as it goes without a person."""
        unit, done, said = before.unit, "left", list[Words]()
        for _ in range(ROUNDS):
            now = self._verdict(unit)
            if now is None or unit not in self.carrying.records:
                return Row(before.unit, before, done, before.because, before.next)
            try:
                step = self._step(now, before)
            except ProtyponError as error:
                return Row(before.unit, before, done, error.message, action_of(error.hint) or now.next)
            if isinstance(step, Row):
                note = join_words([*said, step.note] if step.note else said)
                waits = step.done == "left" and bool(step.next)
                return replace(
                    step,
                    done=step.done if waits or done == "left" else done,
                    note=note,
                    before=before,
                    unit=before.unit,
                    to=unit if unit != before.unit else None,
                )
            unit, what, words = step
            done = "moved" if "moved" in (what, done) else what
            said.append(words)
        return Row(before.unit, before, done, join_words(said), to=unit if unit != before.unit else None)

    def _verdict(self, unit: Unit) -> Verdict | None:
        """How an override stands in the draft."""
        world = self._now()
        stops = world.behaviour.state.stopped is not None
        every = evidence_of(world) if stops else in_code(unit.kind).find(world)
        found = next((e for e in every if e.subject.unit == unit), None)
        if found is None:
            return None
        three = three_of(world, found)
        comparison = compare(world.snapshot, [three]).get(three.key) if three is not None else None
        return judge(with_comparison(found, comparison) if comparison is not None else found, self.steps)

    def _now(self) -> World:
        return self.draft.world.with_records(self.carrying.records)

    def _step(self, v: Verdict, before: Verdict) -> Row | tuple[Unit, str, Words]:
        """One step for an override: a row where that is the end of it, else its address, what was done, and the words."""
        comparison, own = comparison_of(v.evidence), own_of(v.evidence)
        if v.verdict == "holds" and not (comparison.layout_only and comparison.merge == "clean"):
            self._record(v.evidence)
            return Row(v.unit, before, "left")
        if v.verdict == "needless" and before.verdict != "needless":
            return Row(v.unit, before, "left")
        if v.verdict in ("drifted", "conflicted") and own is not None and own.adds:
            if isinstance(v.next, Mend):
                return self._mend(v)
            return Row(v.unit, before, "left", v.because, v.next)
        has_part = own is not None and own.part is not None
        if has_part and v.verdict in ("holds", "drifted", "conflicted", "fatal") and comparison.merge != "none":
            return self._merge(v, before)
        if v.verdict == "drifted":
            self._record(v.evidence)
            return v.unit, "merged", v.because
        if isinstance(v.next, Mend) or (v.verdict == "moved" and len(moved_to(v.evidence)) == 1):
            return self._mend(v)
        return Row(v.unit, before, "left", v.because, v.next)

    # Texts

    def _merge(self, v: Verdict, before: Verdict) -> Row | tuple[Unit, str, Words]:
        o, own = v.subject, own_of(v.evidence)
        three = three_of(self._now(), v.evidence)
        if three is None:
            return Row(v.unit, before, "left", v.because, v.next)
        triple, merged = merge_texts(self.carrying.snapshot, [three])[three.key]
        if merged.text is not None and comparison_of(v.evidence).merge == "clean":
            draft, records = self.draft, dict(self.carrying.records)
            self._write(o, merged.text)
            self._record(v.evidence)
            after = self._verdict(v.unit)
            settled = after is not None and (
                after.verdict in ("holds", "needless", "idle", "drifted") or isinstance(after.next, Settle)
            )
            if settled:
                left = self.carrying.discard(path_of(v.unit, o.file, is_part(v.unit)))
                said = f"the parent's changes to {v.unit.path} are in it"
                return v.unit, "merged", left or ("nothing of yours was in it" if triple[0] == triple[1] else said)
            self.draft, self.carrying.records = draft, records
        target = path_of(v.unit, o.file, is_part(v.unit))
        if merged.text is not None:
            merged = merge.Merged(None, merged.text)
        row = self.carrying.propose(v, target, triple, merged)
        if row.done == "merged" and row.note == TAKEN_UP:
            self._write(o, self.carrying.proposals.text(self.carrying.child.slug, target))
            self._record(v.evidence)
            self.carrying.discard(target, taken_up=True)
        assert own is not None and own.part is not None
        part = own.part
        places = tuple(
            Place((p.ours[0] + part.own_line - 1, p.ours[1]), (p.theirs[0] + part.parent_line - 1, p.theirs[1]))
            for p in row.places
        )
        return replace(row, before=before, places=places)

    def _write(self, o: Subject, text: bytes) -> None:
        record, texts = self.carrying.records[o.unit], texts_of(o.unit.kind)
        theme = self.carrying.world.ancestor(o.now_from)
        label = theme.label if theme is not None else record.source
        if texts is not None:
            self.draft = texts.with_merged(self.draft, record, text, label, list(self.carrying.records.values()))
        problem = self.draft.problem()
        if problem is not None:
            raise ProtyponError(
                f"the merged text of {o.unit.path} does not parse: {problem}",
                Settle(o.unit.address),
            )

    # Steps

    def _mend(self, v: Verdict) -> tuple[Unit, str, str]:
        record = self.carrying.records[v.unit]
        others = [r for r in self.carrying.records.values() if r.unit != v.unit and is_in_code(r.unit)]
        self.draft, new, words = mend_draft(self.draft, record, v.evidence, others)
        self.carrying.records = {
            (new.unit if u == v.unit else u): (new if u == v.unit else r) for u, r in self.carrying.records.items()
        }
        if not has_text(v.unit):
            self._take_claim(new)
        elif new.unit != v.unit:
            self._taken_as(new, v.unit)
        return new.unit, "moved" if new.unit != v.unit else "merged", words

    def _taken_as(self, new: Record, old: Unit) -> None:
        """A copy of what the parent calls otherwise now: what it was taken from, under the new name."""
        base, texts = self.carrying.snapshot.blob(new.digest), texts_of(old.kind)
        text = texts.under_new_name(self.carrying.world, base, old, new) if texts and base is not None else None
        if text is not None:
            self._remember(text)
            self.carrying.records[new.unit] = replace(new, digest=content(text).digest)

    def _take_claim(self, record: Record) -> None:
        """What the parents do now is what a mended override is held against."""
        found = next((e for e in in_code(record.unit.kind).find(self._now()) if e.subject.unit == record.unit), None)
        if found is not None:
            self._record(found)

    def _record(self, e: Evidence) -> None:
        record, text = self.carrying.records.get(e.subject.unit), text_of(e)
        if record is None or not text:
            return
        self._remember(text)
        theme = self.carrying.world.ancestor(e.subject.now_from)
        source, release = (theme.slug, theme.release) if theme is not None else (record.source, record.release)
        new = record.held_against(source, release, content(text).digest)
        self.carrying.records = ledger.change_records(self.carrying.records, [new])

    def _remember(self, text: bytes) -> None:
        what = content(text)
        remember(self.carrying.builder, self.carrying.bench, what.digest, text)
        self.carrying.snapshot = self.carrying.snapshot.with_texts([what])
        self.draft = self.draft.with_texts([what])

    def finish(self) -> None:
        """Put what was edited into the plan, and tell it to those below."""
        self.draft.put_into(self.carrying.builder)
        self.carrying.snapshot = self.carrying.snapshot.with_texts(self.draft.contents.values())
        for path, data in self.draft.files.items():
            mode = self.draft.child.files[path].mode if path in self.draft.child.files else 0
            self.carrying.files[path] = None if data is None else Entry(path, mode, len(data), content(data).digest)
        self.carrying.values |= self.draft.values
