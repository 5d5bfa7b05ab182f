"""Children put onto another parent: a twin of the old one with another name and random changes. What was foretold is what a run shows."""

from __future__ import annotations

import re
import shutil
import tempfile
import unittest
from pathlib import Path

from protypon.core.actions.onto import plan_onto
from protypon.core.actions.twin import plan_twin
from protypon.core.model.errors import ProtyponError
from tests.cases import few, seeds
from tests.core.units.test_carried import PLAYS, Case, Counts

CASES = {"quayside": 60, "millrace": 20, "hedgerow": 20, "kiln": 20}
OTHER = "t8"
FIRM = ("holds", "needless", "drifted")


class OntoRun(Case):
    """One lineage, and a second parent."""

    def run(self) -> None:
        if not self.begin() or self.play.ran(self.themes)["fatal"]:
            return
        self.edit_copies()
        parent = self.second_parent()
        if not parent:
            return
        bench = self.bench
        with bench.writing("update"):
            plan, told = plan_onto(bench, parent, OTHER, ["t0"])
            bench.carry_out(plan)
        rows = told.children["t0"]
        after = self.foretold(None)
        for row in rows:
            self.counts.done[f"{row.before.verdict} -> {row.done}"] += 1
            address = (row.to or row.unit).address
            if address in after and row.done != "left" and after[address] not in FIRM:
                self.test.assertEqual((row.before.verdict, after[address]), ("idle", "idle"), address)
            if address in after and row.done == "left" and row.before.verdict == "holds":
                self.test.assertIn(after[address], FIRM, (address, after))
        self.plain_onto(parent)
        self.agree(after)

    def second_parent(self) -> str:
        """The child's parent under another name, changed as a release would; empty where it can't be made."""
        bench = self.bench
        parent = next(iter(bench.theme("t0").parents))
        with bench.writing("twin"):
            try:
                plan, _ = plan_twin(bench, bench.theme(parent), OTHER)
            except ProtyponError:
                return ""
            bench.carry_out(plan)
        folder = self.themes / OTHER
        (folder / "overrides.toml").unlink()
        files = sorted(p for p in folder.rglob("*") if p.suffix in (".py", ".php", ".html"))
        for _ in range(self.rng.randint(0, 2)):
            change = self.rng.choice(
                [self.renamed, self.renumbered, self.rebodied, self.unguarded, self.shortened, self.later]
            )
            for file in files:
                file.write_text(change(file.read_text()))
        return parent if self.play.ran(self.themes)["fatal"] is None else ""

    def plain_onto(self, parent: str) -> None:
        """The child without its overrides, onto the same parent."""
        manifest = next(p for p in (self.root / "plain").iterdir() if p.suffix in (".toml", ".json", ".yaml", ".ini"))
        manifest.write_text(re.sub(rf"\b{parent}\b", OTHER, manifest.read_text()))


class OntoCase(unittest.TestCase):
    def compare(self, name: str) -> None:
        counts = Counts()
        for seed in seeds(CASES[name]):
            root = Path(tempfile.mkdtemp(prefix="protypon-onto-"))
            self.addCleanup(shutil.rmtree, root, ignore_errors=True)
            with self.subTest(seed=seed):
                OntoRun(PLAYS[name], root, 50_000 + seed, counts, self).run()
        if not few():
            self.assertGreater(sum(counts.done.values()), CASES[name] // 2, counts)


class QuaysideOntoTest(OntoCase):
    def test_quayside(self) -> None:
        self.compare("quayside")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class HostedOntoTest(OntoCase):
    def test_millrace(self) -> None:
        self.compare("millrace")

    def test_hedgerow(self) -> None:
        self.compare("hedgerow")

    def test_kiln(self) -> None:
        self.compare("kiln")
