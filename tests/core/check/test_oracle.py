"""Random lineages and releases: what the check says must be what an independent, simple oracle predicts.

The oracle knows how each case was made, and asks Git's own ``merge-file`` whether two sides merge.
"""

from __future__ import annotations

import json
import random
import shutil
import subprocess
import tempfile
import unittest
from collections import Counter
from contextlib import redirect_stdout
from dataclasses import dataclass
from io import StringIO
from pathlib import Path

from protypon.cli.main import run
from protypon.core.check.against import look_at
from protypon.core.check.check import Report, check
from protypon.core.files.archives import open_intake
from protypon.core.themes.bench import Bench
from tests.cases import TIMES, few
from tests.support import state, theme

BENCHES = int(100 * TIMES)
OVERRIDES = 18
WORDS = [
    "tide",
    "lamp",
    "rope",
    "anchor",
    "buoy",
    "gull",
    "mast",
    "keel",
    "hull",
    "oar",
    "sail",
    "quay",
    "pier",
    "wave",
    "salt",
]


@dataclass
class Case:
    """One override: its page, and what the platform has before and after the release."""

    path: str
    first: bytes
    second: bytes | None
    ours: bytes | None
    listed: bool
    moved_to: str | None = None
    moved_text: bytes | None = None
    layout_only: bool = False
    base_theme: bytes | None = None


class Maker:
    """Makes cases from a seeded generator."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng

    def text(self, name: str) -> bytes:
        lines = [f"<p>{name} {' '.join(self.rng.choices(WORDS, k=6))} {n}</p>" for n in range(self.rng.randint(8, 20))]
        return ("\n".join(lines) + "\n").encode()

    def edited(self, text: bytes, mark: str) -> bytes:
        lines = text.decode().splitlines()
        for _ in range(self.rng.randint(1, 2)):
            at = self.rng.randrange(len(lines))
            what = self.rng.random()
            if what < 0.4:
                lines.insert(at, f"<i>{mark} {self.rng.random()}</i>")
            elif what < 0.8:
                lines[at] = f"<b>{mark} {self.rng.random()}</b>"
            elif len(lines) > 6:
                del lines[at]
        return ("\n".join(lines) + "\n").encode()

    def case(self, number: int) -> Case:
        rng, path = self.rng, f"pages/p{number}.html"
        first = self.text(f"p{number}")
        ours = rng.choice([first, self.edited(first, "ours"), self.edited(first, "ours"), None])
        case = Case(path, first, first, ours, listed=rng.random() < 0.85 or ours is None)
        fate = rng.random()
        if fate < 0.35:
            case.second = self.edited(first, "theirs")
        elif fate < 0.45 and ours is not None:
            case.second = ours
        elif fate < 0.55:
            case.second, case.moved_to = None, f"pages/moved/q{number}.html"
            case.moved_text = rng.choice([first, self.edited(first, "moved")])
        elif fate < 0.65:
            case.second = None
            case.base_theme = self.edited(first, "base") if rng.random() < 0.3 else None
        elif fate < 0.75:
            case.second, case.layout_only = first.replace(b"\n", b"  \n\n", 3), True
        return case


def merged(base: bytes, ours: bytes, theirs: bytes) -> bytes | None:
    """Ask ``git merge-file``; None where it does not come out."""
    with tempfile.TemporaryDirectory() as folder:
        for name, data in (("base", base), ("ours", ours), ("theirs", theirs)):
            Path(folder, name).write_bytes(data)
        done = subprocess.run(["git", "merge-file", "-p", "ours", "base", "theirs"], cwd=folder, capture_output=True)
    return done.stdout if done.returncode == 0 else None


def predicted(case: Case) -> str | None:
    """The verdict by the formula, from how the case was made. None: no override at all."""
    theirs = case.second if case.second is not None else case.base_theme
    if case.ours is None:
        return "missing"
    if not case.listed:
        return "needless" if case.ours == theirs else "unlisted"
    if theirs is None:
        return "moved" if case.moved_to else "stranded"
    if theirs == case.first:
        return "holds"
    if case.ours == theirs:
        return "needless"
    return "conflicted" if merged(case.first, case.ours, theirs) is None else "drifted"


class OracleTest(unittest.TestCase):
    def test_verdicts_are_what_a_simple_oracle_predicts(self) -> None:
        seen: dict[str, int] = {}
        for seed in range(BENCHES):
            with tempfile.TemporaryDirectory(prefix="protypon-oracle-") as folder, redirect_stdout(StringIO()):
                self._bench(Path(folder), random.Random(seed), seen, seed)
        self.assertGreater(sum(seen.values()), 15 * BENCHES)
        wanted = {"missing", "moved", "stranded", "needless", "unlisted", "holds", "drifted", "conflicted"}
        self.assertEqual(set(seen), wanted)
        if not few():
            self.assertGreater(min(seen.values()), 20, seen)

    def _bench(self, root: Path, rng: random.Random, seen: dict[str, int], seed: int) -> None:
        cases = [Maker(rng).case(n) for n in range(OVERRIDES)]
        self._lay_out(root, cases)
        self._run(root, "init", "--platform", "quayside")
        self._run(root, "new", "child", "--parent", "parent")
        listed = [f"template:{c.path}" for c in cases if c.listed]
        if listed:
            self._run(root, "override", *listed)
        for case in cases:
            self._as_made(root / "themes" / "child" / case.path, case)
        self._next_base(root, cases)
        self._release(root / "next", cases)
        with open_intake(root / "next") as intake:
            foretold = check(Bench(root), [], look_at(Bench(root), intake)).reports[0]
        self._judged(foretold, cases, seed, seen)
        if seed % 2:
            self._replaced_by_someone(root, cases, foretold, seed)
        else:
            self._updated(root, cases, seed)

    def _run(self, root: Path, *arguments: str) -> None:
        self.assertEqual(run(["-C", str(root), *arguments]), 0, arguments)

    def _judged(self, report: Report, cases: list[Case], seed: int, seen: dict[str, int]) -> None:
        found = {row["unit"]: row for row in report["overrides"]}
        for case in cases:
            row = found.get(f"template:{case.path}")
            want = predicted(case)
            if want == "conflicted" and row and row["verdict"] == "drifted":
                want = "drifted"  # by elements or layout, where Git has lines only; what came of it is seen after the update
            self.assertEqual(row and row["verdict"], want, f"seed {seed}: {case.path}: {row and json.dumps(row)}")
            seen[str(want)] = seen.get(str(want), 0) + 1
            if want == "moved" and row:
                self.assertEqual(row["to"], case.moved_to)
            if want in ("drifted", "conflicted") and row:
                self.assertEqual(row["layout_only"], case.layout_only, case)

    def _replaced_by_someone(self, root: Path, cases: list[Case], foretold: Report, seed: int) -> None:
        """What ``--against`` foretold is what is found when the folder has been replaced."""
        self._release(root / "themes", cases)
        now = check(Bench(root)).reports[0]
        plain = ("unit", "verdict", "reach", "source", "merge", "layout_only", "to", "alike", "file")
        rows = [{key: row[key] for key in plain} for row in now["overrides"]]
        self.assertEqual(rows, [{key: row[key] for key in plain} for row in foretold["overrides"]], seed)

    def _updated(self, root: Path, cases: list[Case], seed: int) -> None:
        """After an update each file is what Git would have made of it, or untouched; undo gives every byte back."""
        before = state(root / "themes"), state(root / "proposals") if (root / "proposals").exists() else {}
        self._run(root, "update", "parent", "--to", str(root / "next"))
        for case in cases:
            want, where = case.ours, case.path
            verdict = predicted(case)
            if verdict in ("drifted", "moved"):
                theirs = case.moved_text if case.moved_to else case.second or case.base_theme
                assert theirs is not None and case.ours is not None
                text = merged(case.first, case.ours, theirs)
                want, where = (text, case.moved_to or case.path) if text is not None else (want, where)
            if verdict in ("conflicted", "moved") and want == case.ours and self._by_elements(root, case):
                continue
            file = root / "themes" / "child" / where
            self.assertEqual(
                file.read_bytes() if file.exists() else None, want, f"seed {seed}: {case.path} was {verdict}"
            )
            proposal = root / "proposals" / "child" / case.path
            self.assertEqual(proposal.exists(), verdict == "conflicted")
        self.assertEqual(state(root / "themes" / "parent"), state(root / "next" / "parent"))
        self._run(root, "undo")
        after = state(root / "themes"), state(root / "proposals") if (root / "proposals").exists() else {}
        self.assertEqual(after, before)

    def _by_elements(self, root: Path, case: Case) -> bool:
        """Whether what Git could not merge was merged: then it has each line of either side as often as it must, layout aside."""
        file = root / "themes" / "child" / (case.moved_to or case.path)
        theirs = case.moved_text if case.moved_to else case.second or case.base_theme
        if not file.exists() or (root / "proposals" / "child" / (case.moved_to or case.path)).exists():
            return False
        made, ours, new, base = (
            Counter(line.strip() for line in (text or b"").splitlines() if line.strip())
            for text in (file.read_bytes(), case.ours, theirs, case.first)
        )
        wanted = Counter({line: ours[line] + new[line] - base[line] for line in {*ours, *new, *base}})
        self.assertEqual(+made, +wanted, case)
        return True

    def _lay_out(self, root: Path, cases: list[Case]) -> None:
        for slug, above in (("base", ""), ("parent", "base")):
            folder = root / "themes" / slug
            folder.mkdir(parents=True)
            (folder / "quay.toml").write_text(theme(slug, above))
        for case in cases:
            file = root / "themes" / "parent" / case.path
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_bytes(case.first)

    def _as_made(self, file: Path, case: Case) -> None:
        if case.ours is None:
            file.unlink()
        else:
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_bytes(case.ours)

    def _next_base(self, root: Path, cases: list[Case]) -> None:
        for case in cases:
            if case.base_theme is not None and case.second is None:
                file = root / "themes" / "base" / case.path
                file.parent.mkdir(parents=True, exist_ok=True)
                file.write_bytes(case.base_theme)
        (root / "themes" / "base" / "quay.toml").write_text(theme("base", release="1.1.0"))

    def _release(self, root: Path, cases: list[Case]) -> None:
        """The parent's next release in a folder; what stands there goes, as with its maker's installer."""
        folder = root / "parent"
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        (folder / "quay.toml").write_text(theme("parent", "base", "2.0.0"))
        files = {c.path: c.second for c in cases} | {c.moved_to: c.moved_text for c in cases if c.moved_to}
        for path, data in files.items():
            if path is not None and data is not None:
                (folder / path).parent.mkdir(parents=True, exist_ok=True)
                (folder / path).write_bytes(data)


if __name__ == "__main__":
    unittest.main()
