"""The overrides inside a child's code carried over: merged as texts of their own, renumbered, renamed or written anew, until each holds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from protypon.core.actions.carried_rows import TAKEN_UP, Row
from protypon.core.actions.carry import Carrying
from protypon.core.actions.records import remember
from protypon.core.check.examine import three_of
from protypon.core.check.judge import Steps, judge, merge_of
from protypon.core.merge import three_way as merge
from protypon.core.model.actions import Mend, Settle, Words, action_of, joined
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Facts, Place, Record, Unit, Verdict
from protypon.core.model.paths import Entry
from protypon.core.store import ledger
from protypon.core.store.overlay import content
from protypon.core.store.proposals import path_of
from protypon.core.units.draft import Draft
from protypon.core.units.function.copies import with_text
from protypon.core.units.function.own_words import names_of
from protypon.core.units.registry import has_text, in_code, is_in_code, is_part, mended
from protypon.core.units.world import World

ROUNDS = 4
"""How often one override is looked at again after a step: mended, then merged, then found to hold."""


def carry_code(carrying: Carrying, verdicts: Iterable[Verdict], steps: Steps) -> dict[Unit, Row]:
    """Carry over every override inside the code of a child, on top of what was done to its files."""
    work = _CodeCarrying(carrying, steps)
    rows = {v.unit: work.carry(v) for v in verdicts}
    work.finish()
    return rows


class _CodeCarrying:
    """One child's code while it is edited."""

    def __init__(self, carrying: Carrying, steps: Steps) -> None:
        self.carrying, self.steps = carrying, steps
        self.draft = Draft(self._world())

    def _world(self) -> World:
        """The child as its files are by now, with its records."""
        c = self.carrying
        lineage = replace(c.world.lineage, themes=(c.planned_child(), *c.world.ancestors))
        return World(c.world.platform, lineage, c.records, c.world.releases, c.sources, c.world.unplaced)

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
                note = joined([*said, step.note] if step.note else said)
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
        return Row(before.unit, before, done, joined(said), to=unit if unit != before.unit else None)

    def _verdict(self, unit: Unit) -> Verdict | None:
        """How an override stands in the draft."""
        world = self._now()
        found = next((f for f in in_code(unit.kind).find(world) if f.unit == unit), None)
        if found is None:
            return None
        three = three_of(world, found)
        compared = self.carrying.sources.compare([three]).get(three.key) if three is not None else None
        return judge(replace(found, comparison=compared) if compared is not None else found, self.steps)

    def _now(self) -> World:
        return self.draft.world.with_records(self.carrying.records)

    def _step(self, v: Verdict, before: Verdict) -> Row | tuple[Unit, str, Words]:
        """One step for an override: a row where that is the end of it, else its address, what was done, and the words."""
        f = v.facts
        if v.verdict == "holds" and not (f.comparison and f.comparison.layout_only and merge_of(f) == "clean"):
            self._record(f)
            return Row(v.unit, before, "left")
        if v.verdict == "needless" and before.verdict != "needless":
            return Row(v.unit, before, "left")
        if f.part is not None and v.verdict in ("holds", "drifted", "conflicted") and merge_of(f) != "none":
            return self._merge(v, before)
        if v.verdict == "drifted":
            self._record(f)
            return v.unit, "merged", v.because
        if isinstance(v.next, Mend) or (v.verdict == "moved" and len(f.moved) == 1):
            return self._mend(v)
        return Row(v.unit, before, "left", v.because, v.next)

    # Texts

    def _merge(self, v: Verdict, before: Verdict) -> Row | tuple[Unit, str, Words]:
        f = v.facts
        three = three_of(self._now(), f)
        if three is None:
            return Row(v.unit, before, "left", v.because, v.next)
        triple, merged = self.carrying.sources.merged([three])[three.key]
        if merged.text is not None and merge_of(f) == "clean":
            draft, records = self.draft, dict(self.carrying.records)
            self._write(f, merged.text)
            self._record(f)
            after = self._verdict(v.unit)
            settled = after is not None and (
                after.verdict in ("holds", "needless", "idle", "drifted") or isinstance(after.next, Settle)
            )
            if settled:
                left = self.carrying.discard(path_of(v.unit, f.file, is_part(v.unit.kind)))
                said = f"the parent's changes to {v.unit.path} are in it"
                return v.unit, "merged", left or ("nothing of yours was in it" if triple[0] == triple[1] else said)
            self.draft, self.carrying.records = draft, records
        target = path_of(v.unit, f.file, is_part(v.unit.kind))
        if merged.text is not None:
            merged = merge.Merged(None, merged.text)
        row = self.carrying.propose(v, target, triple, merged)
        if row.done == "merged" and row.note == TAKEN_UP:
            self._write(f, self.carrying.proposals.text(self.carrying.child.slug, target))
            self._record(f)
            self.carrying.discard(target, taken_up=True)
        part = f.part
        assert part is not None
        places = tuple(
            Place((p.ours[0] + part.own_line - 1, p.ours[1]), (p.theirs[0] + part.parent_line - 1, p.theirs[1]))
            for p in row.places
        )
        return replace(row, before=before, places=places)

    def _write(self, f: Facts, text: bytes) -> None:
        record = self.carrying.records[f.unit]
        names = {
            old: new
            for new, old in names_of(
                record, [r for r in self.carrying.records.values() if r.unit.kind == "function"]
            ).items()
        }
        theme = self.carrying.world.ancestor(f.now_from)
        label = theme.label if theme is not None else record.source
        self.draft = with_text(self.draft, record, text.rstrip(b"\n"), label, names)
        problem = self.draft.problem()
        if problem is not None:
            raise ProtyponError(
                f"the merged text of {f.unit.path} does not parse: {problem}",
                Settle(f.unit.address),
            )

    # Steps

    def _mend(self, v: Verdict) -> tuple[Unit, str, str]:
        record = self.carrying.records[v.unit]
        others = [r for r in self.carrying.records.values() if r.unit != v.unit and is_in_code(r.unit.kind)]
        self.draft, new, words = mended(self.draft, record, v.facts, others)
        self.carrying.records = {
            (new.unit if u == v.unit else u): (new if u == v.unit else r) for u, r in self.carrying.records.items()
        }
        if not has_text(v.unit.kind):
            self._take_claim(new)
        elif new.unit != v.unit:
            self._taken_as(new, v.facts)
        return new.unit, "moved" if new.unit != v.unit else "merged", words

    def _taken_as(self, new: Record, f: Facts) -> None:
        """A function that the parent calls otherwise now: what it was taken from, under the new name."""
        from protypon.core.languages.text_edits import renamed
        from protypon.core.languages.writers import writer
        from protypon.core.units.parent_functions import folds

        base = self.carrying.sources.blob(new.digest)
        rule = self.carrying.world.platform.rule_of(new.written.file)
        if base is None or rule is None:
            return
        text = renamed(base, {f.unit.path: new.unit.path}, writer(rule.language), folds(self.carrying.world))
        self._remember(text)
        self.carrying.records[new.unit] = replace(new, digest=content(text).digest)

    def _take_claim(self, record: Record) -> None:
        """What the parents do now is what a mended override is held against."""
        found = next((f for f in in_code(record.unit.kind).find(self._now()) if f.unit == record.unit), None)
        if found is not None and found.text:
            self._record(found)

    def _record(self, f: Facts) -> None:
        record = self.carrying.records.get(f.unit)
        if record is None or not f.text or f.theirs in (None, "?"):
            return
        self._remember(f.text)
        theme = self.carrying.world.ancestor(f.now_from)
        source, release = (theme.slug, theme.release) if theme is not None else (record.source, record.release)
        new = replace(record, source=source, release=release, digest=content(f.text).digest)
        self.carrying.records = ledger.changed(self.carrying.records, [new])

    def _remember(self, text: bytes) -> None:
        digest = content(text).digest
        remember(self.carrying.overlay, self.carrying.bench, digest, text)
        self.carrying.sources.remember(digest, text)

    def finish(self) -> None:
        """Put what was edited into the plan, and tell it to those below."""
        self.draft.put_into(self.carrying.overlay)
        for path, data in self.draft.files.items():
            mode = self.draft.child.files[path].mode if path in self.draft.child.files else 0
            self.carrying.files[path] = None if data is None else Entry(path, mode, len(data), content(data).digest)
        self.carrying.values |= self.draft.values
