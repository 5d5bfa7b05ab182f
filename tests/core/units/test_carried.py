"""Overrides inside code, written and carried through random updates of a parent: what the check foretold is what a run shows.

Each case is run three ways by the stand-in: without the child's overrides, with them, and with them after the update.
"""

from __future__ import annotations

import os
import random
import re
import shutil
import tempfile
import traceback
import unittest
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from protypon.core.actions.drop import plan_drop
from protypon.core.actions.init import plan_init
from protypon.core.actions.override import plan_override
from protypon.core.actions.update import plan_update
from protypon.core.check.against import look_at
from protypon.core.check.check import check
from protypon.core.check.examine import world_of
from protypon.core.files.archives import open_intake
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Unit
from protypon.core.store import apply, ledger
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.placing import Asked
from protypon.standin import hosted
from tests.cases import few, seeds
from tests.core.analysis.random_themes import MAKERS, POINTS, VALUE_POINT
from tests.core.analysis.test_oracle import KIND, Report, ran_quayside

CASES = {"quayside": 360, "millrace": 60, "hedgerow": 60, "kiln": 60}
"""Multiplied by what PROTYPON_CASES says."""


@dataclass(frozen=True)
class Play:
    """A platform, random lineages of it, and how their text is changed from release to release."""

    name: str
    platform: str
    make: Callable[[Path, random.Random], None]
    ran: Callable[[Path], Report]
    """What a run of the lineage of ``t0`` in a folder of themes shows."""
    points: tuple[str, ...]
    functions: str
    """A pattern of the names of functions that a release gives another name; of its parts the first."""
    calls: str
    """A pattern of calls at the left edge that a release leaves out."""
    wraps: Mapping[str, str] = field(default_factory=dict)
    """For a call that attaches, the moment at which a release attaches it instead."""
    body: tuple[str, str] = (r"return (\$?)v ([+*-]) \d", r"return \g<1>v \g<2> {}")
    """What a body gives back, and what it gives back then."""
    guard: str = r"if \(!function_exists\(.crane_(\d).\)\) \{\n"
    python: bool = False

    @property
    def seen(self) -> tuple[str, ...]:
        return (*self.points, *(f"{p}_anew" for p in self.points))


def _play(name: str, calls: str, wraps: Mapping[str, str] | None = None) -> Play:
    python = name == "quayside"
    return Play(
        name, name, MAKERS[name], ran_quayside if python else lambda folder: hosted.run(name, folder, "t0", KIND),
        (*POINTS, VALUE_POINT), r"(?:def|function) ((?:t\d_)?crane_\d)\(", calls, wraps or {}, python=python,
    )  # fmt: skip


PLAYS = {
    "quayside": _play("quayside", r"quay\.on\("),
    "millrace": _play("millrace", "mill_engage", {"mill_engage": "sluice_open"}),
    "hedgerow": _play("hedgerow", "hedgerow_graft", {"hedgerow_graft": "rooted"}),
    "kiln": _play("kiln", "$^"),
}


@dataclass
class Counts:
    """What was seen, over all cases."""

    written: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    verdicts: Counter[str] = field(default_factory=Counter)
    done: Counter[str] = field(default_factory=Counter)

    def add(self, other: Counts) -> None:
        for name in ("written", "refused", "verdicts", "done"):
            getattr(self, name).update(getattr(other, name))


class Case:
    """One lineage in a bench, with overrides of its child ``t0``."""

    def __init__(self, play: Play, root: Path, seed: int, counts: Counts, test: unittest.TestCase) -> None:
        self.play, self.root, self.counts, self.test = play, root, counts, test
        self.rng = random.Random(f"carried {play.name} {seed}")
        self.themes = root / "bench" / "themes"
        self.said = ""
        self.themes.mkdir(parents=True)
        play.make(self.themes, self.rng)
        self.unknowable = (self.themes / "unknowable").exists()
        (self.themes / "unknowable").unlink(missing_ok=True)
        (self.themes / "t0" / "overrides.toml").write_text(ledger.HEAD)
        plan, bench, _ = plan_init(root / "bench", play.platform)
        with apply.hold_lock(bench.store, "init"):
            apply.carry_out(plan, bench.store)

    @property
    def bench(self) -> Bench:
        return Bench(self.root / "bench")

    def without(self) -> Report:
        """A run of the same parents with the child as it was before it had overrides."""
        folder = self.root / "without"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(self.themes, folder)
        shutil.rmtree(folder / "t0")
        shutil.copytree(self.root / "plain", folder / "t0")
        return self.play.ran(folder)

    def begin(self) -> bool:
        """Write some overrides; whether any was written."""
        shutil.copytree(self.themes / "t0", self.root / "plain")
        self.before = self.play.ran(self.themes)
        if self.before["fatal"]:
            return False
        written = 0
        for text, asked in self.wishes():
            bench = self.bench
            with bench.writing("override"):
                try:
                    plan, taken = plan_override(bench, bench.child("t0"), [text], asked=asked)
                except ProtyponError as error:
                    self.counts.refused[
                        f"{text.partition(':')[0]}: {re.sub('[0-9]+|t[0-9]_?|crane_', '', error.message)[:60]}"
                    ] += 1
                    continue
                bench.carry_out(plan)
            written += 1
            self.said += " ".join(note for note, _ in taken[0].notes)
            self.counts.written[taken[0].unit.kind] += 1
        return written > 0

    def wishes(self) -> list[tuple[str, Asked]]:
        bench = self.bench
        world = world_of(bench, bench.child("t0"), Snapshot.of_bench(bench), {})
        parents = world.behaviour.parents
        if world.behaviour.uncertain or parents is None:
            return []
        rng = self.rng
        functions = sorted(
            {d.name for d in parents.state.functions.values()}
            | {c.label for c in parents.state.callbacks if re.fullmatch(r"\w+", c.label)}
        )
        hooks = sorted(
            {
                (c.point, c.label)
                for s in parents.states
                for c in s.callbacks
                if c.point in self.play.points and re.fullmatch(r"\w+", c.label)
            }
        )
        found: list[tuple[str, Asked]] = [
            (f"function:{n}", Asked()) for n in rng.sample(functions, min(2, len(functions)))
        ]
        for point, label in rng.sample(hooks, min(2, len(hooks))):
            found.append(
                (f"hook:{point}#{label}", Asked(detach=True) if rng.random() < 0.6 else Asked(order=rng.randint(1, 99)))
            )
        found.append(
            (f"hook:{rng.choice(self.play.points)}", Asked(attach=f"own_{rng.randint(0, 9)}", order=rng.randint(1, 99)))
        )
        found += [(f"item:{k}#{n}", Asked(remove=True)) for k, n in list(parents.state.items)[:1]]
        found += [(f"value:{n}", Asked(value=rng.randint(50, 99), valued=True)) for n in list(parents.state.values)[:1]]
        rng.shuffle(found)
        return found[: rng.randint(1, 4)]

    def records(self) -> dict[Unit, Record]:
        bench = self.bench
        return bench.records(bench.child("t0"))

    # What a run shows

    def in_place(self, record: Record, off: Report, on: Report) -> bool | None:
        """Whether an override has its effect: the run with it against the run without. None: the runs can't tell."""
        unit, w = record.unit, record.written
        gone, new = differences(off, on)
        if unit.kind == "hook":
            name = (unit.name or "").lower()
            taken = [row for row in gone.get(unit.path, []) if str(row[0]).lower() == name]
            if record.how == "attach":
                return [name, w.to] in [[str(r[0]).lower(), r[1]] for r in new.get(unit.path, [])]
            if not any(str(r[0]).lower() == name and w.order in (None, r[1]) for r in off["points"].get(unit.path, [])):
                return None  # it stands there on pages of other kinds only
            if record.how == "detach":
                return bool(taken)
            label = (w.called or unit.name or "").lower()
            return bool(taken) and any(str(r[0]).lower() == label and r[1] == w.to for r in new.get(unit.path, []))
        if unit.kind == "function":
            called = w.called or unit.path
            place = found(on["functions"], called)
            if place is None and self.play.python:
                there = any(str(r[0]) == called for rows in new.values() for r in rows) or called in str(on["rung"])
                taken = all(any(str(r[0]) == unit.path for r in gone.get(at.rpartition(" ")[0], [])) for at in w.at)
                return there and taken
            if place is None or not place[0].startswith("t0/"):
                return False
            return all(
                any(str(r[0]).lower() == unit.path.lower() for r in gone.get(at.rpartition(" ")[0], [])) or not w.called
                for at in w.at
            )
        if unit.kind == "value":
            return on["values"].get(unit.path) == w.value
        if unit.kind == "item":
            return unit.name not in (on["items"].get(unit.path) or {})
        return None

    def edit_copies(self) -> None:
        """Change what some of the copies do, as a person would."""
        for record in self.records().values():
            if record.unit.kind == "function" and self.rng.random() < 0.6:
                file = self.themes / "t0" / record.written.file
                name = re.escape(record.written.called or record.unit.path)
                text = file.read_text()
                if self.play.python:
                    text = re.sub(rf"(def {name}\(.*\):\n)( +)", r"\1\2_ = 1000\n\2", text, count=1)
                else:
                    text = re.sub(rf"(?i)(function {name}\(.*\) \{{.*\n)", r"\1    $w0 = 1000;\n", text, count=1)
                file.write_text(text)

    # The parent's next release

    def next_release(self) -> tuple[str, Path]:
        """A changed copy of one of the parents."""
        slug = self.rng.choice(sorted(p.name for p in self.themes.iterdir() if p.name != "t0"))
        new = self.root / "new" / slug
        shutil.copytree(self.themes / slug, new)
        files = sorted(p for p in new.rglob("*") if p.suffix in (".py", ".php", ".html"))
        first = self.play.points[0]
        for _ in range(self.rng.randint(1, 3)):
            change = self.rng.choice(
                [
                    self.renamed,
                    self.renumbered,
                    self.rebodied,
                    self.unguarded,
                    partial(self.repointed, first),
                    self.shortened,
                    self.later,
                ]
            )
            for file in files:
                file.write_text(change(file.read_text()))
        manifest = next(p for p in new.iterdir() if p.suffix in (".toml", ".json", ".yaml", ".ini", ".css"))
        text = manifest.read_text().replace('"1.0.0"', '"2.0.0"').replace('"release": "1"', '"release": "2"')
        text = text.replace("Release: 1.0", "Release: 2.0")
        manifest.write_text(
            text.replace("title: ", "release: 2\ntitle: ").replace("[theme]\ntitle", "[theme]\nrelease = 2\ntitle")
        )
        return slug, new

    def renamed(self, text: str) -> str:
        names = re.findall(self.play.functions, text)
        return re.sub(rf"\b{names[0]}\b", names[0] + "_anew", text) if names else text

    def renumbered(self, text: str) -> str:
        return re.sub(
            r"(?<=[ =])(0|5|30|50|100)(?=\))", lambda m: str(int(m[0]) + 7) if self.rng.random() < 0.4 else m[0], text
        )

    def rebodied(self, text: str) -> str:
        old, new = self.play.body
        return re.sub(old, lambda m: m.expand(new.format(self.rng.randint(5, 9))), text)

    def unguarded(self, text: str) -> str:
        return re.sub(self.play.guard, lambda m: "if (true) {" + "\n" * m[0].endswith("\n"), text, count=1)

    def repointed(self, point: str, text: str) -> str:
        return re.sub(rf"(['\"]){point}\1", rf"\1{point}_anew\1", text)

    def shortened(self, text: str) -> str:
        """A call at the left edge goes."""
        lines = text.split("\n")
        calls = [n for n, line in enumerate(lines) if re.match(self.play.calls, line) and not line.endswith("{")]
        if calls:
            del lines[self.rng.choice(calls)]
        return "\n".join(lines)

    def later(self, text: str) -> str:
        """What was attached at once is attached at a moment."""
        found = re.search(rf"(?m)^({'|'.join(self.play.wraps) or '$^'})\(([^\n]*)\);$", text)
        if found and "{" not in found[2] and "$" not in found[2] and "new" not in found[2]:
            moment = self.play.wraps[found[1]]
            wrapped = f"{found[1]}('{moment}', function () {{\n    {found[1]}({found[2]});\n}});"
            return text[: found.start()] + wrapped + text[found.end() :]
        return text

    # The whole

    def run(self) -> None:
        if not self.begin():
            return
        on = self.play.ran(self.themes)
        self.test.assertFalse(on["fatal"], on["fatal"])
        for record in self.records().values():
            self.test.assertIsNot(self.in_place(record, self.before, on), False, record)
        if not self.unknowable:
            self.collateral(self.before, on)
        if self.rng.random() < 0.3:
            self.drop_all()
            return
        self.edit_copies()
        slug, new = self.next_release()
        foretold = self.foretold(new)
        shutil.copytree(self.themes / slug, self.root / "old")
        shutil.rmtree(self.themes / slug)
        shutil.copytree(new, self.themes / slug)
        self.test.assertEqual(self.foretold(None), foretold)
        self.agree(foretold)
        shutil.rmtree(self.themes / slug)
        shutil.copytree(self.root / "old", self.themes / slug)
        self.update(slug, new)

    def foretold(self, new: Path | None) -> dict[str, str]:
        bench = self.bench
        against = None
        if new is not None:
            with open_intake(new) as intake:
                against = look_at(bench, intake)
                report = check(bench, ["t0"], against).reports[0]
        else:
            report = check(bench, ["t0"]).reports[0]
        return {
            row["unit"]: row["verdict"]
            for row in report["overrides"]
            if row["listed"] and row["unit"].partition(":")[0] in ("function", "hook", "item", "value")
        }

    def agree(self, foretold: dict[str, str]) -> None:
        """Hold verdicts against a run with the overrides as they stand."""
        on = self.play.ran(self.themes)
        self.counts.verdicts.update(foretold.values())
        if "fatal" in foretold.values():
            self.test.assertTrue(on["fatal"], foretold)
        if on["fatal"]:
            wrapped = any(r.how == "reorder" and r.written.called for r in self.records().values())
            self.test.assertTrue(
                "fatal" in foretold.values() or wrapped or not {"holds", "drifted"} & set(foretold.values()),
                (foretold, on["fatal"]),
            )
            return
        off = self.without()
        if off["fatal"]:
            return
        for unit, record in self.records().items():
            verdict = foretold.get(unit.address)
            there = self.in_place(record, off, on)
            if verdict in ("holds", "drifted", "needless") and there is not None:
                self.test.assertTrue(there, (unit.address, verdict, record.written, foretold))
            if verdict == "idle" and unit.kind == "value":
                self.test.assertFalse(there, (unit.address, verdict, record.written))
            if verdict == "idle" and record.how == "detach" and unit.kind == "hook":
                was, now = (
                    sum(str(r[0]).lower() == (unit.name or "").lower() for r in run["points"].get(unit.path, []))
                    for run in (off, on)
                )
                self.test.assertTrue(now or not was, (unit.address, verdict, record.written))

    def update(self, slug: str, new: Path) -> None:
        bench = self.bench
        with bench.writing("update"), open_intake(new) as intake:
            plan, updated = plan_update(bench, slug, intake)
            bench.carry_out(plan)
        for row in updated.children.get("t0", []):
            self.counts.done[f"{row.before.verdict} -> {row.done}"] += 1
        self.agree(self.foretold(None))

    def drop_all(self) -> None:
        """Taken out again, every file is as it was."""
        units = [u.address for u in self.records()]
        self.rng.shuffle(units)
        for unit in units:
            if unit in {u.address for u in self.records()}:
                bench = self.bench
                with bench.writing("drop"):
                    plan, _ = plan_drop(bench, [bench.child("t0")], [unit])
                    bench.carry_out(plan)
        for path in sorted(
            {p.relative_to(f) for f in (self.root / "plain", self.themes / "t0") for p in f.rglob("*") if p.is_file()}
        ):
            if path.name != "overrides.toml":
                was, now = self.root / "plain" / path, self.themes / "t0" / path
                self.test.assertTrue(was.exists() and now.exists(), path)
                self.test.assertEqual(now.read_bytes(), was.read_bytes(), path)
        self.counts.done["dropped"] += 1

    def collateral(self, off: Report, on: Report) -> None:
        """Nothing but the overrides' own callbacks came or went."""
        gone, new = differences(off, on)
        mine = self.records().values()
        names = {n.lower() for r in mine for n in (r.unit.path, r.unit.name or "", r.written.called) if n}
        for rows in (gone, new):
            for point, found_rows in rows.items():
                if point not in self.play.seen:
                    continue
                names |= {n.lower() for n in re.findall(rf"(\w+) at {point}", self.said)}
                found_rows = [
                    r for r in found_rows
                    if not re.match("<lambda>|closure ", str(r[0])) or not ("function" in names or any(m.unit.kind == "function" for m in mine))
                ]  # fmt: skip
                self.test.assertLessEqual(
                    {str(r[0]).lower().rpartition("::")[2] for r in found_rows}, names, (point, found_rows)
                )


def differences(off: Report, on: Report) -> tuple[dict[str, list[Any]], dict[str, list[Any]]]:
    """Point by point: the callbacks that only one of two runs has."""
    gone, new = {}, {}
    for point in sorted({*off["points"], *on["points"]}):
        a, b = off["points"].get(point, []), on["points"].get(point, [])
        gone[point] = less(a, b)
        new[point] = less(b, a)
    return gone, new


def less(rows: list[Any], others: list[Any]) -> list[Any]:
    left = list(others)
    result = []
    for row in rows:
        if row in left:
            left.remove(row)
        else:
            result.append(row)
    return result


def found(functions: dict[str, Any], name: str) -> Any:
    return next((place for n, place in functions.items() if n.lower() == name.lower()), None)


def one(play: Play, seed: int) -> tuple[Counts, str]:
    """Run one case: what was seen, and what was wrong."""
    counts = Counts()
    with tempfile.TemporaryDirectory(prefix="protypon-carried-") as folder:
        try:
            Case(play, Path(folder), seed, counts, unittest.TestCase()).run()
        except AssertionError as failed:
            return counts, str(failed) or "an assertion failed"
        except Exception:
            return counts, traceback.format_exc()
    return counts, ""


class CarriedTest(unittest.TestCase):
    """Some of the cases of one platform."""

    maxDiff = 2000

    def compare(self, name: str, part: int = 0, parts: int = 1) -> None:
        self.play(PLAYS[name], seeds(CASES[name], part, parts))

    def play(self, play: Play, mine: range) -> None:
        counts = Counts()
        for seed in mine:
            seen, error = one(play, seed)
            counts.add(seen)
            with self.subTest(platform=play.name, seed=seed):
                self.assertEqual(error, "")
        if os.environ.get("PROTYPON_FIGURES"):
            print(play.name, len(mine), counts)
        if not few():
            self.assertGreater(sum(counts.written.values()), len(mine) / 2, counts)
            self.assertLess(counts.verdicts["unknown"], sum(counts.verdicts.values()) / 6, counts)


class QuaysideTest(CarriedTest):
    def test_first_third(self) -> None:
        self.compare("quayside", 0, 3)


class QuaysideMoreTest(CarriedTest):
    def test_second_third(self) -> None:
        self.compare("quayside", 1, 3)


class QuaysideRestTest(CarriedTest):
    def test_last_third(self) -> None:
        self.compare("quayside", 2, 3)


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class MillraceTest(CarriedTest):
    def test_cases(self) -> None:
        self.compare("millrace")


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class HedgerowTest(CarriedTest):
    def test_cases(self) -> None:
        self.compare("hedgerow")


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class KilnTest(CarriedTest):
    def test_cases(self) -> None:
        self.compare("kiln")


if __name__ == "__main__":
    unittest.main()
