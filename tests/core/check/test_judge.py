"""The formula, from evidence alone: one verdict fits each, in words, and its next step is a command that parses."""

from __future__ import annotations

import itertools
import shlex
import unittest
from collections.abc import Iterator
from dataclasses import replace

import click

from protypon.cli.main import cli
from protypon.core.check.judge import headline, judge, source_of
from protypon.core.check.weights import VERDICTS, WEIGHTS
from protypon.core.model.actions import Action, Drop, Mend, Update
from protypon.core.model.evidence import (
    Candidate,
    Comparison,
    Evidence,
    Gone,
    LinesOf,
    Lost,
    Missing,
    Own,
    Part,
    Place,
    Present,
    Stops,
    Subject,
    Supplied,
    Told,
    Unknowable,
    Unreached,
    Unseen,
)
from protypon.core.model.nouns import Unit
from protypon.core.units.file.words import ranges
from protypon.core.units.next_steps import NextSteps
from protypon.render.commands import command as command_of
from protypon.render.commands import sentence

B, T, O = "b" * 40, "c" * 40, "a" * 40  # noqa: E741
MERGES = {name: Comparison(name, False, ((1, 2),), ((4, 4),)) for name in ("clean", "conflict", "none")}
MERGES["layout"] = Comparison("clean", True, ((1, 2),), ())
MOVED = (Candidate("pier", "parts/new.html", 0.8),)
TIES = (*MOVED, Candidate("pier", "parts/other.html", 0.8))
STEPS = NextSteps("gull", only_child=False, against="new.zip", against_theme="pier")


def subject(listed: bool = True, base_here: bool = True) -> Subject:
    return Subject(
        Unit("template", "parts/it's a foot.html"), listed, "copy", "parts/it's a foot.html", base=B if listed else None,
        base_here=base_here, origin="pier", taken="1.0", now_from="pier", now="2.0",
    )  # fmt: skip


def present() -> Iterator[Present]:
    flags = (True, False)
    choices = itertools.product(
        flags, flags, (B, T), flags, ("", "it breaks"), MERGES, (None, (), ("a", "b")), flags, flags
    )
    for listed, base_here, theirs, same, clash, merge, adds, inside, newcomer in choices:
        part = Part(b"o", b"t", "php") if inside else None
        own = Own(theirs if same else O, "yes", adds=adds, part=part, comparison=MERGES[merge])
        yield Present(subject(listed, base_here), own, Supplied(theirs), same, clash, newcomer=newcomer)


def by_the_table(e: Present) -> str:
    """The table of verdicts for what is here and has a source, read from the top."""
    listed, changed, merge = e.subject.listed, e.source.digest != B, e.own.comparison.merge
    adds = e.own.adds is not None and e.subject.base_here
    rules = [
        ("holds", e.same and not e.clash and listed and not changed),
        ("needless", e.same and not e.clash),
        ("unlisted", not listed and bool(e.clash)),
        ("collides", not listed and e.newcomer),
        ("unlisted", not listed),
        ("conflicted", bool(e.clash)),
        ("holds", not changed),
        ("holds", e.own.part is not None and e.own.comparison.layout_only),
        ("holds", adds and not e.own.adds),
        ("drifted", adds or merge == "clean"),
        ("conflicted", merge == "conflict"),
        ("unknown", True),
    ]
    return next(name for name, fits in rules if fits)


class JudgeTest(unittest.TestCase):
    def check(self, e: Evidence, wanted: str) -> str:
        verdict = judge(e, STEPS)
        self.assertEqual(verdict.verdict, wanted, e)
        self.assertEqual(verdict.weight, VERDICTS[wanted])
        said = sentence(verdict.because)
        self.assertTrue(said and "\n" not in said)
        self.parses(verdict.next)
        return said

    def parses(self, step: Action | None) -> None:
        """There is no next step, or it is a command line that the program's own parser takes."""
        if step is None:
            return
        line = command_of(step)
        program, name, *rest = shlex.split(line)
        self.assertEqual(program, "protypon")
        command = cli.get_command(click.Context(cli), name)  # type: ignore[attr-defined]
        self.assertIsNotNone(command, line)
        command.make_context(name, rest)

    def test_what_is_here_and_has_a_source_goes_by_the_table(self) -> None:
        seen = set()
        for e in present():
            wanted = by_the_table(e)
            self.check(e, wanted)
            seen.add(wanted)
        self.assertEqual(seen, {"needless", "unlisted", "collides", "conflicted", "holds", "drifted", "unknown"})

    def test_what_is_gone_further_up_has_moved_is_named_still_or_is_stranded(self) -> None:
        for merge, reach in itertools.product(MERGES, ("yes", "no", "unknown")):
            own = Own(O, reach, comparison=MERGES[merge])
            self.check(Gone(subject(), own, Lost(MOVED)), "moved")
            self.assertIn("too alike to tell", self.check(Gone(subject(), own, Lost(TIES)), "moved"))
            self.check(Gone(subject(), own, Lost(referred="pier/home.html line 3")), "holds")
            self.check(Gone(subject(), own, Lost(since="2.0")), "stranded")
            self.check(Gone(subject(listed=False), own, Lost()), "unlisted")

    def test_what_stops_is_missing_never_used_or_not_known_is_said_first(self) -> None:
        sources = (Supplied(B), Supplied(T), Lost(), Lost(MOVED), Unseen(), Unseen("the parent is not here"))
        for listed, source in itertools.product((True, False), sources):
            about = subject(listed)
            self.check(Stops(about, Own(O), source, "line 1: broken"), "fatal")
            if listed:
                self.check(Missing(about, source), "missing")
            if isinstance(source, Unseen):
                self.check(Unknowable(about, Own(O), source), "unknown")
            if not isinstance(source, Lost):
                for step in (Mend, Drop):
                    self.check(Unreached(about, Own(O, "no", "nobody names it"), source, step), "idle")

    def test_every_verdict_has_a_weight_and_can_be_come_to(self) -> None:
        self.assertLessEqual(set(VERDICTS.values()), set(WEIGHTS))
        found = {headline(e) for e in present()} | {"fatal", "missing", "idle", "moved", "stranded"}
        self.assertEqual(found, set(VERDICTS))

    def test_what_became_of_the_source(self) -> None:
        for source, word in ((Supplied(B), "same"), (Supplied(T), "changed"), (Lost(), "gone"), (Lost(MOVED), "moved")):
            self.assertEqual(source_of(Missing(subject(), source)), word)
        self.assertEqual(source_of(Missing(subject(), Unseen())), "unknown")
        self.assertEqual(source_of(Missing(subject(listed=False), Supplied(T))), "same")

    def test_one_that_is_needed_holds_and_is_never_said_to_be_dropped(self) -> None:
        for told in ({}, {"needless": Told("says just what the parent says", Drop)}):
            e = Present(replace(subject(), told=told), Own(T), Supplied(T), same=True, needed="the other is edited")
            verdict = judge(e, STEPS)
            self.assertEqual((verdict.verdict, verdict.next), ("holds", None))
            self.assertIn("the other is edited", sentence(verdict.because))

    def test_a_kind_says_it_in_its_own_words_with_the_lines_of_both_files(self) -> None:
        words = ("P ", LinesOf.PARENT, " W ", LinesOf.OWN, " T ", LinesOf.THEIRS, " O ", LinesOf.OURS)
        about = replace(subject(), told={"drifted": Told(words, Update)})
        comparison = Comparison("clean", False, ((1, 2),), ((4, 4),), (Place((4, 1), (1, 2)),))
        own = Own(O, part=Part(b"", b"", "php", own_line=11, parent_line=101), comparison=comparison)
        verdict = judge(Present(about, own, Supplied(T)), STEPS)
        said = "P lines 101-102 W your line 14 merges with it T lines 101-102 O your line 14"
        self.assertEqual(sentence(verdict.because), said)
        self.assertEqual(verdict.next, Update("pier", "new.zip"))

    def test_ranges_in_words(self) -> None:
        self.assertEqual(ranges(((3, 3),)), "line 3")
        self.assertEqual(ranges(((1, 2), (5, 5), (7, 9), (11, 12))), "lines 1-2, 5, 7-9 and 1 more")


if __name__ == "__main__":
    unittest.main()
