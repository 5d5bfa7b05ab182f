"""Reports that are taken up again, and children that are examined in several processes: as if all were examined afresh."""

from __future__ import annotations

import json
import random
import re
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from protypon.core.actions.init import plan_init
from protypon.core.actions.override import plan_override
from protypon.core.check import examine
from protypon.core.check.check import check
from protypon.core.check.examine import world_of
from protypon.core.check.reuse import Reuse
from protypon.core.model.errors import ProtyponError
from protypon.core.store import apply, ledger
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.placing import Asked
from protypon.core.units.registry import kinds
from tests.cases import TIMES, few, seeds
from tests.core.analysis.random_themes import MAKERS
from tests.support import theme

COMMENTS = {".py": "# a remark\n", ".php": "// a remark\n", ".html": "{# a remark #}\n", ".css": "/* a remark */\n"}
CASES = 32


def children(root: Path, name: str, rng: random.Random, own: bool = False) -> Bench:
    """A bench of random themes with two children of the same parent, and some overrides in each; parents may be one's ``own``."""
    themes = root / "bench" / "themes"
    themes.mkdir(parents=True)
    MAKERS[name](themes, rng)
    (themes / "unknowable").unlink(missing_ok=True)
    (themes / "t0" / "overrides.toml").write_text(ledger.HEAD)
    shutil.copytree(themes / "t0", themes / "s0")
    for path in sorted((themes / "s0").rglob("*")):
        if path.is_file():
            path.write_text(path.read_text().replace("t0", "s0"))
            path.rename(path.with_name(path.name.replace("t0", "s0")))
    for parent in themes.iterdir():
        for path in sorted(parent.rglob("page*.*")) if parent.name not in ("t0", "s0") else ():
            for number in range(4):
                path.with_name(f"more{number}{path.name}").write_text(path.read_text())
        if own:
            (parent / "overrides.toml").write_text(ledger.HEAD)
    plan, bench, _ = plan_init(root / "bench", name)
    with apply.hold_lock(bench.store, "init"):
        apply.carry_out(plan, bench.store)
    for slug in ("t0", "s0"):
        bench = Bench(root / "bench")
        world = world_of(bench, bench.child(slug), Snapshot.of_bench(bench), {})
        units = sorted({u.address for t in world.ancestors for kind in kinds() for u in kind.supplied_units(world, t)})
        for address in rng.sample(units, min(4, len(units))):
            override(Bench(root / "bench"), slug, address)
    return Bench(root / "bench")


def override(bench: Bench, slug: str, address: str) -> None:
    with bench.writing("override"):
        try:
            plan, _ = plan_override(bench, bench.child(slug), [address], asked=Asked())
        except ProtyponError:
            return
        bench.carry_out(plan)


def edit(themes: Path, rng: random.Random) -> str:
    """Change something in a parent; returns what was done."""
    parents = sorted(p for p in themes.iterdir() if p.name not in ("t0", "s0"))
    files = [p for parent in parents for p in sorted(parent.rglob("*")) if p.is_file()]
    own = {p.relative_to(themes / slug).as_posix() for slug in ("t0", "s0") for p in (themes / slug).rglob("*")}
    overridden = [
        p for p in files if "/".join(p.relative_to(themes).parts[1:]) in own and p.suffix in (".html", ".php")
    ]
    more = [p for p in files if "more" in p.name]
    path = rng.choice(rng.choice([overridden or files, more or files, more or files, files]))
    lines = path.read_text().splitlines(keepends=True)
    way = rng.choice(["end", "end", "end", "top", "line", "word", "new", "gone", "rights"])
    remark = COMMENTS.get(path.suffix, "\n")
    if way == "end":
        path.write_text("".join(lines) + remark)
    elif way == "top":
        path.write_text("".join([*lines[:1], remark, *lines[1:]]))
    elif way == "line" and lines:
        lines.pop(rng.randrange(len(lines)))
        path.write_text("".join(lines))
    elif way == "word":
        path.write_text(re.sub(r"[a-z]{5,}", "another", path.read_text(), count=rng.randint(1, 3)))
    elif way == "new":
        path.with_name("new" + path.name).write_text(path.read_text())
    elif way == "gone":
        path.unlink()
    else:
        path.chmod(0o755)
    return f"{way} {path.relative_to(themes)}"


def afresh(bench: Bench) -> list[dict[str, Any]]:
    """The reports of a check that remembers nothing."""
    shutil.rmtree(bench.root / ".protypon/cache", ignore_errors=True)
    return check(Bench(bench.root)).reports


class ReuseTest(unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(tempfile.mkdtemp(prefix="protypon-reuse-"))
        self.addCleanup(shutil.rmtree, self.root, ignore_errors=True)

    def test_what_is_taken_up_again_is_what_would_be_found_afresh(self) -> None:
        taken_up = examined = 0
        reports = Reuse.report

        def counted(self: Reuse, slug: str, folders: list[str]) -> Any:
            nonlocal taken_up, examined
            found = reports(self, slug, folders)
            taken_up, examined = taken_up + (found is not None), examined + (found is None)
            return found

        for seed in seeds(CASES):
            name = list(MAKERS)[seed % len(MAKERS)]
            rng = random.Random(f"reuse {seed}")
            bench = children(self.root / str(seed), name, rng, seed % 8 >= 4)
            try:
                afresh(bench)
            except ProtyponError:
                continue
            done = []
            for _ in range(4):
                done.append(edit(bench.root / "themes", rng))
                with self.subTest(f"{name} {seed}: {done}"):
                    with mock.patch.object(Reuse, "report", counted):
                        found = check(Bench(bench.root)).reports
                    shutil.copytree(bench.root / ".protypon/cache", self.root / "cache")
                    self.assertEqual(json.dumps(found, indent=1), json.dumps(afresh(bench), indent=1))
                    shutil.rmtree(bench.root / ".protypon/cache")
                    shutil.move(self.root / "cache", bench.root / ".protypon/cache")
        if not few():
            self.assertGreater(taken_up, CASES // 2)
            self.assertGreater(examined, CASES // 2)

    def test_overrides_of_a_file_that_changed_are_judged_again_alone(self) -> None:
        """In parents of one's own nothing counts as edited: each change is one of the source."""
        verdicts, again, _ = self.changed_sources("own", True)
        if not few():
            self.assertEqual(verdicts, {"holds", "needless", "drifted", "conflicted"})
            self.assertGreater(again, 20)

    def test_an_edit_in_the_parents_folder_bears_on_what_is_asked_of_it_only(self) -> None:
        """What was released does not change by it; but a copy that says the same is needed once that very file is edited."""
        verdicts, _, taken_up = self.changed_sources("edited", False)
        if not few():
            self.assertEqual(verdicts, {"holds"})
            self.assertGreater(taken_up, 10)

    def changed_sources(self, name: str, own_parent: bool) -> tuple[set[str], int, int]:
        """Change overridden files of a parent again and again, and hold each check against one afresh.

        Gives the verdicts that there were, and how often overrides were judged again, or a report taken up.
        """
        rng = random.Random(name)
        themes = self.root / name / "themes"
        lines = [f"line {n}" for n in range(20)]
        names = [f"pages/p{n}.html" for n in range(6)]
        files = {"quay.toml": theme("pier"), **dict.fromkeys(["overrides.toml"] * own_parent, ledger.HEAD)}
        for path, text in {**files, **dict.fromkeys(names, "\n".join(lines))}.items():
            (themes / "pier" / path).parent.mkdir(parents=True, exist_ok=True)
            (themes / "pier" / path).write_text(text)
        plan, bench, _ = plan_init(self.root / name, "quayside")
        with apply.hold_lock(bench.store, "init"):
            apply.carry_out(plan, bench.store)
        (themes / "gull").mkdir()
        (themes / "gull/quay.toml").write_text(theme("gull", "pier"))
        (themes / "gull/overrides.toml").write_text(ledger.HEAD)
        for number, path in enumerate(names):
            override(Bench(bench.root), "gull", f"template:{path}")
            if number % 2 == 0:
                (themes / "gull" / path).write_text("\n".join([*lines[:9], "ours", *lines[10:]]))
        afresh(bench)
        made: list[Any] = []
        taken: list[Any] = []
        judged_again, reports = Reuse._judged_again, Reuse.report

        def counted_again(self: Reuse, *given: Any) -> Any:
            made.append(judged_again(self, *given))
            return made[-1]

        def counted(self: Reuse, *given: Any) -> Any:
            taken.append(reports(self, *given))
            return taken[-1]

        verdicts: set[str] = set()
        for number in range(int(40 * TIMES)):
            path, place = rng.choice(names), rng.choice((2, 9, 9, 15))
            own = (themes / "gull" / path).read_text()
            theirs = "\n".join([*lines[:place], f"theirs {number}", *lines[place + 1 :]])
            (themes / "pier" / path).write_text(rng.choice(("\n".join(lines), own, theirs, theirs)))
            with (
                mock.patch.object(Reuse, "_judged_again", counted_again),
                mock.patch.object(Reuse, "report", counted),
                self.subTest(number),
            ):
                found = check(Bench(bench.root)).reports
                shutil.copytree(bench.root / ".protypon/cache", self.root / "cache")
                self.assertEqual(json.dumps(found, indent=1), json.dumps(afresh(bench), indent=1))
                shutil.rmtree(bench.root / ".protypon/cache")
                shutil.move(self.root / "cache", bench.root / ".protypon/cache")
            verdicts |= {row["verdict"] for report in found for row in report["overrides"]}
        return verdicts, *(sum(report is not None for report in found) for found in (made, taken))  # type: ignore[return-value]

    def test_several_processes_find_what_one_finds(self) -> None:
        for name in MAKERS:
            with self.subTest(name):
                bench = children(self.root / name, name, random.Random(f"jobs {name}"))
                alone = afresh(bench)
                shutil.rmtree(bench.root / ".protypon/cache")
                with mock.patch.object(examine, "ALONE", 0.0):
                    self.assertEqual(check(Bench(bench.root), jobs=3).reports, alone)
                self.assertEqual(check(Bench(bench.root)).reports, alone)

    def test_a_process_that_ends_early_costs_only_time(self) -> None:
        bench = children(self.root / "bench", "quayside", random.Random("ends"))
        alone = afresh(bench)
        with (
            mock.patch.object(examine, "ALONE", 0.0),
            mock.patch.object(examine, "in_processes", lambda s: [None] * len(s)),
        ):
            shutil.rmtree(bench.root / ".protypon/cache")
            self.assertEqual(check(Bench(bench.root), jobs=2).reports, alone)


if __name__ == "__main__":
    unittest.main()
