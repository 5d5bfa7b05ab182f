"""The formula, from facts alone: the first verdict that fits wins, and its next step is a command that parses."""

from __future__ import annotations

import itertools
import shlex
import unittest

import click

from protypon.cli.main import cli
from protypon.core.check.judge import Steps, judge, merge_of, ranges, source_of
from protypon.core.check.weights import VERDICTS, WEIGHTS
from protypon.core.model.actions import Action, Drop
from protypon.core.model.nouns import Candidate, Comparison, Facts, Unit
from protypon.render.commands import command as command_of
from protypon.render.commands import sentence

TEXTS = {"gone": None, "first": "b" * 40, "second": "c" * 40, "own": "a" * 40}


def facts(
    ours: str, theirs: str, listed: bool, reach: str, merge: str, fatal: bool, moved: bool, referred: bool, here: bool
) -> Facts:
    return Facts(
        unit=Unit("template", "parts/it's a foot.html"),
        listed=listed,
        how="copy",
        file="parts/it's a foot.html",
        ours=TEXTS[ours],
        base=TEXTS["first"] if listed else None,
        theirs=TEXTS[theirs],
        reach=reach,
        reach_because="nobody names it",
        reach_next=Drop,
        origin="pier",
        taken="1.0",
        now_from="pier" if TEXTS[theirs] else None,
        now="2.0",
        comparison=None if merge == "none" else Comparison(merge, False, ((1, 2),), ((4, 4),)),
        base_here=here,
        fatal="foot.html line 1: broken" if fatal else "",
        moved=(Candidate("pier", "parts/new.html", 0.8),) if moved else (),
        referred="pier/pages/home.html line 3" if referred else "",
    )


def by_the_book(f: Facts) -> str:
    """The table of verdicts, read from the top."""
    there = f.theirs is not None
    rules = [
        ("fatal", bool(f.fatal)),
        ("missing", f.listed and f.ours is None),
        ("idle", f.ours is not None and there and f.reach == "no"),
        ("moved", f.listed and not there and bool(f.moved)),
        ("stranded", f.listed and not there and not f.referred),
        ("needless", there and f.ours == f.theirs),
        ("unlisted", not f.listed),
        ("holds", f.theirs == f.base or not there),
        ("drifted", merge_of(f) == "clean"),
        ("conflicted", merge_of(f) == "conflict"),
        ("unknown", True),
    ]
    return next(name for name, fits in rules if fits)


class JudgeTest(unittest.TestCase):
    def test_the_first_verdict_that_fits_wins(self) -> None:
        flags = (True, False)
        seen = set()
        texts = itertools.product(("gone", "first", "second", "own"), ("gone", "first", "second"))
        states = itertools.product(("yes", "no", "unknown"), ("clean", "conflict", "none"))
        for (ours, theirs), (reach, merge), (listed, fatal, moved, referred, here) in itertools.product(
            texts, states, itertools.product(flags, repeat=5)
        ):
            if not listed and ours == "gone":
                continue
            f = facts(ours, theirs, listed, reach, merge, fatal, moved and theirs == "gone", referred, here)
            verdict = judge(f, Steps("gull", only_child=False, against="new.zip", against_theme="pier"))
            self.assertEqual(verdict.verdict, by_the_book(f), f)
            self.assertEqual(verdict.weight, VERDICTS[verdict.verdict])
            self.assertIn(source_of(f), ("same", "changed", "moved", "gone"))
            self.assertTrue(verdict.because and "\n" not in sentence(verdict.because))
            self.parses(verdict.next)
            seen.add(verdict.verdict)
        self.assertEqual(seen, set(VERDICTS))
        self.assertLessEqual(set(VERDICTS.values()), set(WEIGHTS))

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

    def test_what_only_adds_holds_until_a_part_it_sets_changes(self) -> None:
        from dataclasses import replace

        added = replace(
            facts("own", "second", True, "yes", "none", False, False, False, True), how="extends", adds=True
        )
        self.assertEqual(judge(added, Steps("gull")).verdict, "holds")
        touched = replace(added, blocks=("a", "b"))
        verdict = judge(touched, Steps("gull"))
        self.assertEqual(verdict.verdict, "drifted")
        self.assertIn("changed blocks a, b", sentence(verdict.because))
        self.parses(verdict.next)

    def test_ranges_in_words(self) -> None:
        self.assertEqual(ranges(((3, 3),)), "line 3")
        self.assertEqual(ranges(((1, 2), (5, 5), (7, 9), (11, 12))), "lines 1-2, 5, 7-9 and 1 more")


if __name__ == "__main__":
    unittest.main()
