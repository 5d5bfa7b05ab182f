"""The trial as an oracle: random lineages on hosts made from platform files, and an analysis that is spoiled on purpose."""

from __future__ import annotations

import random
import shutil
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any
from unittest import mock

from protypon.core.analysis import effects, lookups
from protypon.core.analysis.asking import Asking
from protypon.core.analysis.lookups import Lookups
from protypon.core.analysis.state import State
from protypon.core.files.listing import look
from protypon.core.platform import platform
from protypon.core.themes.discover import by_slug, lineage_of, themes_in
from protypon.core.themes.snapshot import Snapshot
from protypon.core.trial.difference import comparable
from protypon.core.trial.running import interpreter, laid_out, run
from protypon.core.trial.spec import spec_of
from protypon.core.trial.trial import Trial, try_out
from protypon.core.units.world import World
from protypon.standin import hosted
from tests.cases import few, seeds
from tests.core.analysis.random_themes import MAKERS
from tests.core.analysis.test_oracle import ran_quayside
from tests.core.trial.random_lineages import WORDS, lineage

CASES = 60
OWN = Path(__file__).parents[2] / "platforms"
WALLED = bool(shutil.which("bwrap"))


def world_in(folder: Path, name: str) -> World:
    """The lineage of ``t0`` in a folder, on a platform that ships or is one of the tests' own."""
    found = platform.load(name if name in MAKERS else str(OWN / f"{name}.toml"))
    themes = by_slug(themes_in(look(str(folder)), found))
    return World(found, lineage_of(themes["t0"], themes, found), {}, (), Snapshot.of_folders())


def made(name: str, seed: int) -> Iterator[World]:
    with tempfile.TemporaryDirectory(prefix="protypon-tried-") as folder:
        rng = random.Random(f"tried {name} {seed}")
        if name in MAKERS:
            MAKERS[name](Path(folder), rng)
        else:
            lineage(WORDS[name], Path(folder), rng)
        yield world_in(Path(folder), name)


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class OracleTest(unittest.TestCase):
    """What was said for sure comes so, whatever the lineage."""

    def compare(self, name: str) -> None:
        answers = 0
        for seed in seeds(CASES):
            for world in made(name, seed):
                for trial in try_out(world, (), not WALLED):
                    with self.subTest(platform=name, seed=seed, page=trial.page):
                        self.assertEqual((trial.differences, trial.untried), ((), ""))
                    answers += trial.answers
        if not few():
            self.assertGreater(answers, CASES * 10)

    def test_quayside(self) -> None:
        self.compare("quayside")

    def test_millrace(self) -> None:
        self.compare("millrace")

    def test_hedgerow(self) -> None:
        self.compare("hedgerow")

    def test_kiln(self) -> None:
        self.compare("kiln")

    def test_wharf(self) -> None:
        self.compare("wharf")

    def test_shoal(self) -> None:
        self.compare("shoal")

    def test_dune(self) -> None:
        self.compare("dune")

    def test_beacon(self) -> None:
        self.compare("beacon")


def _swapped(callbacks: Any, descending: bool) -> Any:
    """Ties the wrong way round."""
    return sorted(callbacks, key=lambda c: (c.order if isinstance(c.order, int) else 0, -c.number))


def _spoiled_at(state: State, point: str, descending: bool) -> Any:
    return _swapped([c for c in state.callbacks if c.point == point and c.gone is None], descending)


def _furthest(files: Lookups, name: str, themes: Any) -> Any:
    return next((lookups.Supply(t, name) for t in reversed(themes) if name in t.files), None)


SPOILED: dict[str, tuple[Any, str, Any]] = {
    "the order of ties": (State, "at", _spoiled_at),
    "guards of functions": (Asking, "function_exists", lambda self, name: False),
    "guards of classes": (Asking, "class_exists", lambda self, name: False),
    "a missed reference": (Lookups, "_run", lambda self, supply, once, env, frame: True),
    "what is looked up": (Lookups, "_nearest", _furthest),
    "which callback is taken off": (effects, "same_target", lambda one, other, folds: False),
}


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class SpoiledTest(unittest.TestCase):
    """A trial can fail: each way of spoiling what is worked out is reported, with both sides."""

    def test_each_is_found(self) -> None:
        for name, (owner, what, spoiled) in SPOILED.items():
            with self.subTest(name), ExitStack() as stack:
                stack.enter_context(mock.patch.object(owner, what, spoiled))
                self.assertTrue(self.found(), name)

    def test_so_are_those_of_a_platform_in_python(self) -> None:
        for name in ("the order of ties", "which callback is taken off"):
            owner, what, spoiled = SPOILED[name]
            with self.subTest(name), mock.patch.object(owner, what, spoiled):
                self.assertTrue(self.found("quayside"), name)

    def found(self, *names: str) -> list[Any]:
        for seed in range(60):
            for name in names or ("hedgerow", "wharf"):
                for world in made(name, seed):
                    tried: list[Trial] = try_out(world, (), not WALLED)
                    told = [each for trial in tried for each in trial.differences]
                    if told:
                        self.assertTrue(all(each.worked_out != each.ran for each in told), told)
                        return told
        return []

    def test_without_spoiling_nothing_is_found(self) -> None:
        for seed in range(3):
            for world in made("wharf", seed):
                self.assertEqual([t.differences for t in try_out(world, (), not WALLED) if t.differences], [])


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class HostsAgreeTest(unittest.TestCase):
    """The hosts that are written by hand are those platforms: one made from the platform file comes to the same."""

    def test_the_same_comes_of_both(self) -> None:
        for name in sorted(MAKERS):
            by = interpreter(not WALLED, "python" if name == "quayside" else "php")
            for seed in seeds(CASES)[:30]:
                with tempfile.TemporaryDirectory(prefix="protypon-tried-") as folder:
                    MAKERS[name](Path(folder), random.Random(f"agree {name} {seed}"))
                    world = world_in(Path(folder), name)
                    theirs = _by_hand(name, Path(folder))
                    page = world.behaviour.site.page_kinds["exhibit"]
                    with laid_out(world.lineage, world.snapshot, not WALLED) as laid:
                        ours, why = run(laid, spec_of(world.behaviour, page, laid.themes, frozenset()), by)
                with self.subTest(platform=name, seed=seed):
                    assert ours is not None, why
                    self.assertEqual(bool(ours["fatal"]), bool(theirs["fatal"]))
                    if theirs["fatal"]:
                        continue
                    self.assertEqual(_plain(ours["functions"]), _plain(theirs["functions"]))
                    self.assertEqual(_standing(ours["points"]), _standing(theirs["points"]))
                    self.assertEqual(_rung(ours), _rung(theirs))
                    self.assertEqual(_plain(ours["values"]).items() <= _plain(theirs["values"]).items(), True)
                    self.assertEqual(sorted(ours["given"]), sorted(theirs["given"]))
                    self.assertEqual(ours["templates"], theirs["files"])
                    if name != "quayside":
                        self.assertEqual(sorted(set(ours["regions"])), sorted(set(theirs["regions"])))


def _plain(rows: Any) -> dict[str, str]:
    return {str(name): repr(tuple(row) if isinstance(row, list) else row) for name, row in dict(rows).items()}


def _standing(points: Any) -> dict[str, list[tuple[str, Any]]]:
    return {str(point): [(_bare(name), order) for name, order in rows] for point, rows in dict(points).items() if rows}


def _rung(report: Any) -> list[tuple[str, list[str]]]:
    return [(str(point), [_bare(name) for name in names]) for point, names in report["rung"]]


def _bare(label: str) -> str:
    """The name of a callback, without where a function of Python stands, and whose method it is."""
    return label if label.startswith("closure ") else label.split(" ")[0].rpartition("::")[2]


def _by_hand(name: str, folder: Path) -> Any:
    """The report of a host that is written by hand."""
    if name != "quayside":
        return hosted.run(name, folder, "t0", "exhibit")
    return ran_quayside(folder)


class ValueTest(unittest.TestCase):
    def test_values_are_compared_as_json_has_them(self) -> None:
        self.assertEqual(comparable({0: 1, 1: "x"}), [1, "x"])
        self.assertEqual(comparable({1: 1}), {"1": 1})
        self.assertEqual(comparable({}), [])


if __name__ == "__main__":
    unittest.main()
