"""Carry one child over to what its lineage will be: merge, follow, propose, record anew. The working copy is never mixed."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from protypon.core.actions.carried_rows import TAKEN_UP, Row
from protypon.core.actions.records import records_now, remember
from protypon.core.check.comparing import source_path, three_of
from protypon.core.check.examine import world_of
from protypon.core.files.listing import blob_digest
from protypon.core.merge import three_way as merge
from protypon.core.merge.markers import Clash, solutions, taken_apart
from protypon.core.model.actions import Drop, MovePath, OpenInEditor, Settle, Update
from protypon.core.model.evidence import Evidence, Subject, Verdict, comparison_of, moved_to
from protypon.core.model.nouns import Theme, Unit
from protypon.core.model.paths import FILE, Entry, quote_path
from protypon.core.store import proposals
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.proposing import Proposals, touched_note
from protypon.core.themes.bench import Bench
from protypon.core.themes.comparisons import merge_texts, parses
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.file import use
from protypon.core.units.file.headed import head_of, rest_of
from protypon.core.units.next_steps import own_file
from protypon.core.units.registry import is_in_code, spelled_out
from protypon.core.units.world import World

MERGED_BY = {
    "units": "function by function",
    "elements": "element by element",
    "keys": "key by key",
    "rules": "rule by rule",
    "layout": "where the parent changed only layout or comments, yours stayed",
}
"""What two sides were merged by, where lines alone would not do."""


class Carrying:
    """One child being carried over: what is written goes into the plan, and is laid over the snapshot."""

    def __init__(
        self,
        bench: Bench,
        builder: PlanBuilder,
        snapshot: Snapshot,
        child: Theme,
        planned: dict[str, Theme],
        only_child: bool,
        waiting: Proposals,
    ) -> None:
        self.bench, self.builder, self.child = bench, builder, child
        self.planned, self.only_child = planned, only_child
        self.world = world_of(bench, child, snapshot, planned)
        self.records = records_now(builder, bench, self.world)
        spelled = [text for _, _, text in spelled_out(self.world)]
        self.snapshot = snapshot.with_texts(content(text) for text in spelled if text is not None)
        self.proposals = waiting
        self.files: dict[str, Entry | None] = {}
        self.values: dict[str, Any] = {}
        """What changed in the manifest, by meaning."""

    def carry_files(self, verdicts: list[Verdict]) -> dict[Unit, Row]:
        """Carry over every override that is a whole file; those that follow a moved one last."""
        merges = self._merges(verdicts)
        first = {v.unit: self._carry(v, merges) for v in verdicts if v.verdict != "moved"}
        return first | {v.unit: self._follow(v, merges) for v in verdicts if v.verdict == "moved"}

    def planned_child(self) -> Theme:
        """The child as it will be, for those below it."""
        files = {**self.child.files, **{p: e for p, e in self.files.items() if e is not None}}
        kept = {p: e for p, e in files.items() if self.files.get(p, e) is not None}
        identity = self.child.identity if not self.files else blob_digest(repr(sorted(kept.items())).encode())
        return replace(self.child, files=kept, values={**self.child.values, **self.values}, identity=identity)

    def _merges(self, verdicts: list[Verdict]) -> dict[Unit, tuple[merge.Triple, merge.Merged]]:
        threes = {v.unit: three for v in verdicts if (three := three_of(self.world, v.evidence)) is not None}
        done = merge_texts(self.snapshot, list(threes.values()))
        return {unit: done[three.key] for unit, three in threes.items() if three.key in done}

    def _carry(self, v: Verdict, merges: dict[Unit, tuple[merge.Triple, merge.Merged]]) -> Row:
        if v.verdict == "holds":
            self._record(v.evidence, v.unit)
            return Row(v.unit, v, "left")
        if v.verdict == "drifted" and v.unit in merges and comparison_of(v.evidence).merge != "rewrite":
            triple, merged = merges[v.unit]
            assert merged.text is not None
            self._write(v.subject.file, merged.text, v.subject)
            self._record(v.evidence, v.unit)
            left = self.discard(v.subject.file)
            how = "nothing of yours was in it" if triple[0] == triple[1] else MERGED_BY.get(merged.by, "")
            return Row(v.unit, v, "merged", left or how)
        if v.verdict == "conflicted" and v.unit in merges:
            return self.propose(v, v.subject.file, *merges[v.unit])
        return Row(v.unit, v, "left", v.because, v.next)

    # Records and files

    def _write(self, path: str, data: bytes, o: Subject) -> None:
        old = self.child.files.get(o.file)
        mode = old.mode if old else FILE
        if o.inside:
            data = head_of(self.snapshot.read(self.child, o.file)) + data
        what = content(data, mode)
        self.builder.write(os.path.join(self.child.folder, path), what)
        self.snapshot = self.snapshot.with_texts([what])
        self.files[path] = Entry(path, mode, len(data), what.digest)

    def _record(self, e: Evidence, unit: Unit, path: str | None = None) -> None:
        """What the override is compared with from now on: what the lineage has today."""
        old = e.subject.unit
        record = self.records.get(old)
        theme = self.world.supplier(self._parent(e))
        if record is None or theme is None:
            return
        data = self.snapshot.read(theme, path or source_path(self.world, e.subject))
        data = rest_of(data) if e.subject.inside else data
        digest = content(data).digest
        if theme.maintained or digest != record.digest:
            remember(self.builder, self.bench, digest, data)
            self.snapshot = self.snapshot.with_texts([content(data)])
        new = replace(record.held_against(theme.slug, theme.release, digest), unit=unit)
        if unit == old:
            self.records[unit] = new
        else:
            self.records = {(unit if u == old else u): (new if u == old else r) for u, r in self.records.items()}

    def discard(self, file: str, taken_up: bool = False) -> str:
        """Take a proposal out; says where it stays because a person has edited it."""
        left = self.proposals.discard(self.child.slug, file, taken_up)
        return touched_note(left) if left else ""

    # Moved

    def _follow(self, v: Verdict, merges: dict[Unit, tuple[merge.Triple, merge.Merged]]) -> Row:
        """Bring an override to the new name of its template, unless something still uses the old one."""
        o, moved = v.subject, moved_to(v.evidence)
        if len(moved) > 1 or v.unit not in merges:
            return Row(v.unit, v, "left", v.because, v.next)
        target = moved[0].path
        after = World(
            self.bench.platform,
            replace(self.world.lineage, themes=(self.planned_child(), *self.world.ancestors)),
            {},
            (),
            self.snapshot,
        )
        rule = self.bench.platform.rule_of(o.file)
        naming = use.who_names(after, o.file, rule) if rule else None
        if naming is not None:
            own = own_file(after, naming.theme, naming.path)
            note = f"{naming.words} still names {quote_path(o.file)}; change that line, then follow the move"
            return Row(v.unit, v, "left", note, OpenInEditor(own) if own else Update(moved[0].theme))
        if target in self.child.files:
            return Row(
                v.unit,
                v,
                "left",
                f"{self.child.slug} has {quote_path(target)} already",
                Drop(v.unit.address),
            )
        triple, merged = merges[v.unit]
        if comparison_of(v.evidence).merge == "rewrite":
            merged = merge.Merged(triple[1])
        if merged.text is None or comparison_of(v.evidence).merge == "conflict":
            return self.propose(v, target, triple, merged)
        self._write(target, merged.text, o)
        self.builder.remove(os.path.join(self.child.folder, o.file))
        self.files[o.file] = None
        self._record(v.evidence, Unit(v.unit.kind, target), target)
        left = self.discard(target)
        note = f"now at {quote_path(target)}, {moved[0].alike:.0%} alike" + (f"; {left}" if left else "")
        return Row(v.unit, v, "moved", note, to=Unit(v.unit.kind, target))

    # Proposals

    def propose(self, v: Verdict, target: str, triple: merge.Triple, merged: merge.Merged) -> Row:
        """Take up a finished proposal, or write one; the working copy stays as it is."""
        where = proposals.place(self.child.slug, target)
        standing = self.proposals.find(self.child.slug, target)
        if standing is not None:
            clashes = [piece for piece in _places(triple, merged) if isinstance(piece, Clash)]
            self.proposals.asked |= {clash: where for clash in clashes if clash not in self.proposals.asked}
            row = self._take_up(v, target, where, standing, triple, merged)
            if row is not None:
                return row
        row = self._as_elsewhere(v, target, triple, merged)
        if row is not None:
            return row
        base, ours, theirs = (content(text).digest for text in triple)
        labels = self._labels(v.evidence)
        texts = _proposal_texts(where, triple, merged, labels)
        written = content(texts[where]).digest if where in texts else ""
        made = proposals.Proposal(
            v.unit.address, base, ours, theirs, written, labels if merged.token else (), self._parent(v.evidence)
        )
        in_the_way = self.proposals.put(self.child.slug, target, made, texts)
        if in_the_way:
            return self._aside(v, in_the_way, "has your edits in it, and a new proposal is to lie there")
        places = comparison_of(v.evidence).places
        if not written:
            note = f"both versions lie in proposals/{self.child.slug}/: keep yours (settle) or take the parent's (drop)"
            return Row(
                v.unit,
                v,
                "left",
                note,
                Settle(v.unit.address, "" if self.only_child else self.child.slug, "mine is wanted"),
                places,
                where + ".parents",
            )
        note = f"finish {quote_path(where)}, until no marker is left, then:"
        return Row(v.unit, v, "left", note, Update(self._parent(v.evidence)), places, where)

    def _as_elsewhere(self, v: Verdict, target: str, triple: merge.Triple, merged: merge.Merged) -> Row | None:
        """What comes of it where the very same places are solved, or asked about, in a proposal of another child."""
        places = _places(triple, merged)
        clashes = [piece for piece in places if isinstance(piece, Clash)]
        if not clashes or is_in_code(v.unit):
            return None
        where = proposals.place(self.child.slug, target)
        answers = [self.proposals.answers.get(clash) for clash in clashes]
        if None not in answers and self._answer(v, target, places):
            shown = ", ".join(dict.fromkeys(quote_path(answer[1]) for answer in answers if answer is not None))
            moved = moved_to(v.evidence)
            return Row(v.unit, v, "moved" if moved else "merged", f"with what you made of the same place in {shown}")
        asked = [self.proposals.asked.get(clash) for clash in clashes]
        if None not in asked and where not in asked:
            shown = ", ".join(dict.fromkeys(quote_path(each) for each in asked if each is not None))
            note = f"the same place as in {shown}: what you make of it there goes in here too; finish that one, then:"
            return Row(v.unit, v, "left", note, Update(self._parent(v.evidence)), comparison_of(v.evidence).places)
        self.proposals.asked |= dict.fromkeys(clashes, where)
        return None

    def _answer(self, v: Verdict, target: str, places: Sequence[bytes | Clash]) -> bool:
        """Write an override with every place as it was solved elsewhere; not where that would not parse."""
        o = v.subject
        text = b"".join(self.proposals.answers[p][0] if isinstance(p, Clash) else p for p in places)
        rule = self.world.platform.rule_of(o.file)
        if rule is not None and not parses(text, rule.language):
            return False
        self._write(target, text, o)
        if target != o.file:
            self.builder.remove(os.path.join(self.child.folder, o.file))
            self.files[o.file] = None
        self._record(v.evidence, Unit(v.unit.kind, target), target if moved_to(v.evidence) else None)
        self.discard(target)
        return True

    def _parent(self, e: Evidence) -> str:
        """The parent that supplies it today, or has it under another name; empty where none does."""
        moved = moved_to(e)
        return e.subject.now_from or (moved[0].theme if moved else "")

    def _labels(self, e: Evidence) -> tuple[str, str, str]:
        o, now = e.subject, self.world.ancestor(self._parent(e))
        return (
            f"{self.child.slug} (yours)",
            f"{o.origin} {o.taken or ''} (taken from)".replace("  ", " "),
            f"{now.label if now else 'parent'} (now)",
        )

    def _take_up(
        self,
        v: Verdict,
        target: str,
        where: str,
        standing: proposals.Proposal,
        triple: merge.Triple,
        merged: merge.Merged,
    ) -> Row | None:
        """Use a proposal that a person has finished. None: it is to be written anew."""
        state = self.proposals.state(self.child.slug, target)
        if state == proposals.FRESH:
            return None
        if state == proposals.ODD:
            return self._aside(v, self._odd_part(where), "is no plain file or folder, and is not read", where)
        _, ours, theirs = (content(t).digest for t in triple)
        if (ours, theirs) != (standing.ours, standing.theirs):
            return self._aside(v, where, "was made for other texts than there are now, and you have edited it")
        if state == proposals.OPEN:
            return Row(
                v.unit,
                v,
                "left",
                f"{quote_path(where)} still has markers",
                Update(self._parent(v.evidence)),
                proposal=where,
            )
        if is_in_code(v.unit):
            return Row(v.unit, v, "merged", TAKEN_UP)
        o, moved = v.subject, moved_to(v.evidence)
        finished = self.proposals.text(self.child.slug, target)
        for clash, text in solutions(_places(triple, merged), finished).items():
            self.proposals.answers.setdefault(clash, (text, where))
        self._write(target, finished, o)
        if target != o.file:
            self.builder.remove(os.path.join(self.child.folder, o.file))
            self.files[o.file] = None
        self._record(v.evidence, Unit(v.unit.kind, target), target if moved else None)
        self.discard(target, taken_up=True)
        return Row(v.unit, v, "moved" if moved else "merged", TAKEN_UP)

    def _odd_part(self, where: str) -> str:
        """Of a path that is not read, the first part that is no folder, or the file."""
        parts = where.split("/")
        above = ("/".join(parts[:count]) for count in range(1, len(parts)))
        return next((p for p in above if not self.builder.folder.is_folder(p)), where)

    def _aside(self, v: Verdict, where: str, why: str, proposal: str = "") -> Row:
        """What lies in the place of a proposal, and no command may write over."""
        path = os.path.join(self.builder.folder.root, where)
        step = MovePath(path, path + ".old")
        return Row(v.unit, v, "left", f"{quote_path(where)} {why}: move it aside", step, proposal=proposal or where)


def _places(triple: merge.Triple, merged: merge.Merged) -> list[bytes | Clash]:
    """A merge that did not come out, place by place; empty where it can't be told so."""
    return (taken_apart(merged.marked, merged.token, triple) or []) if merged.marked and merged.token else []


def _proposal_texts(
    where: str, triple: merge.Triple, merged: merge.Merged, labels: tuple[str, str, str]
) -> dict[str, bytes]:
    """The files of a proposal: one text with markers, or for what can't be mixed both versions."""
    if merged.marked is None:
        return {where + ".yours": triple[1], where + ".parents": triple[2]}
    return {where: merge.label(merged.marked, merged.token, *labels) if merged.token else merged.marked}
