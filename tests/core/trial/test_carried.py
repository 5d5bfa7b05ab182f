"""Overrides written and carried through random updates on platforms that exist only in the tests, held against runs on hosts made from their files."""

from __future__ import annotations

import random
import shutil
import unittest
from pathlib import Path

from protypon.core.trial.running import interpreter, laid_out, run
from protypon.core.trial.spec import spec_of
from tests.cases import seeds
from tests.core.analysis.test_oracle import Report
from tests.core.trial.random_lineages import WORDS, lineage
from tests.core.trial.test_trial import OWN, WALLED, world_in
from tests.core.units import test_carried
from tests.core.units.test_carried import Play

CASES = 24
CALLS = {
    "wharf": ("moor", {"moor": "moored"}), "shoal": ("moor", {}), "dune": ("dune_bind", {}), "beacon": ("beacon_turn", {}),
}  # fmt: skip


def play_of(name: str) -> Play:
    calls, wraps = CALLS[name]

    def make(root: Path, rng: random.Random) -> None:
        lineage(WORDS[name], root, rng)

    def ran(folder: Path) -> Report:
        """A run of the code and one page, in the form of the hosts that are written by hand."""
        world = world_in(folder, name)
        with laid_out(world.lineage, world.snapshot, not WALLED) as laid:
            pages = world.behaviour.page_kinds
            found, why = run(
                laid, spec_of(world.behaviour, pages[0], laid.themes, frozenset()), interpreter(not WALLED)
            )
        assert found is not None, why
        return {**found, "fatal": found["fatal"] or found["ended"], "items": found["items"] or {}}

    return Play(
        name, str(OWN / f"{name}.toml"), make, ran, ("head", "amount"), r"function (\w+_\w+)\(", rf"{calls}\(", wraps,
        (r"return '(t\d)' \. \$x", r"return '\g<1>{}' . $x"), r"if \(!function_exists\('all_\w+'\)\) \{",
    )  # fmt: skip


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class WharfTest(test_carried.CarriedTest):
    name = "wharf"

    def test_cases(self) -> None:
        self.play(play_of(self.name), seeds(CASES))


class ShoalTest(WharfTest):
    name = "shoal"


class DuneTest(WharfTest):
    name = "dune"


class BeaconTest(WharfTest):
    name = "beacon"


if __name__ == "__main__":
    unittest.main()
