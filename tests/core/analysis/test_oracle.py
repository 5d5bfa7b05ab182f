"""What code would do, worked out, against runs of it: quayside's Python and the three PHP platforms on the real interpreter."""

from __future__ import annotations

import os
import random
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any

from protypon.core.analysis.site import PageRun, SiteRun
from protypon.core.analysis.state import label_of
from protypon.core.analysis.values import Bound, Closure
from protypon.core.files.listing import look
from protypon.core.languages.values import Unknown
from protypon.core.platform import platform
from protypon.core.themes.discover import by_slug, lineage_of, themes_in
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot
from protypon.standin import hosted, quayside
from protypon.standin.apart import apart
from protypon.standin.quay import Stopped
from tests.cases import few, seeds
from tests.core.analysis.pieces import fits
from tests.core.analysis.random_themes import MAKERS, POINTS, VALUE_POINT

CASES = {"quayside": 1000, "millrace": 150, "hedgerow": 150, "kiln": 150}
KIND = "exhibit"
Report = dict[str, Any]


def site(folder: Path, name: str, slug: str = "t0") -> SiteRun:
    """A lineage below a folder, as the core sees it."""
    found = platform.load(name)
    themes = by_slug(themes_in(look(folder), found))
    lineage = lineage_of(themes[slug], themes, found)
    sources = Snapshot.of_folders()
    return SiteRun(lineage, found, Resolver(lineage, found, sources), sources)


def ran_quayside(folder: Path, slug: str = "t0") -> Report:
    """Run the code of a quayside lineage and one page, apart; report in the form of the PHP hosts."""

    def work() -> Report:
        found = quayside.QuaysideSite(folder, slug)
        fatal, html, files = None, "", []
        try:
            found.run_code(KIND)
            page = found.render("pages/exhibit.html")
            html, files = page.html, [f"{slug}/{path}" for slug, path in page.used]
        except Stopped as error:
            fatal = str(error)
        quay = found.quay
        return {
            "fatal": fatal,
            "html": html,
            "files": files,
            "functions": {n: _place(folder, f) for n, (f, _) in quay.functions.items()},
            "points": {p: [[_label(c), o] for o, _, c in quay.in_order(p)] for p in quay.points},
            "items": quay.items,
            "values": {**quay.own_values, **quay.values},
            "given": sorted(quay.given),
            "rung": [[p, [n.rpartition("::")[2] for n in names]] for p, names in quay.rung],
        }

    report = apart(work)
    assert report is not None, folder
    return dict(report)


def _place(folder: Path, function: Any) -> list[Any]:
    code = function.__code__
    return [code.co_filename, code.co_firstlineno]


def _label(callback: Any) -> str:
    return callback if isinstance(callback, str) else str(callback.__name__)


def traced(page: PageRun, name: str) -> Report:
    """The same, as it was worked out."""
    state, python = page.state, name == "quayside"
    points = {c.point for c in state.callbacks}
    descending = name == "millrace"
    return {
        "fatal": state.stopped is not None,
        "html": page.out,
        "functions": {
            d.name: [f"{d.site.theme}/{d.site.path}", d.site.line] for d in state.functions.values() if not d.doubt
        },
        "may": bool(state.doubtful),
        "points": {p: [[label(c.target, python), c.order] for c in state.at(p, descending)] for p in points},
        "rung": [[f.point, [label(r.callback.target, python) for r in f.ran]] for f in state.firings],
        "unsure": [p for p in {*points, *POINTS, VALUE_POINT} if state.uncertain(p)],
        "items": {key: Unknown() if found.doubt else found.value for key, found in state.items.items()},
        "values": {n: Unknown() if found.doubt else found.value for n, found in state.values.items()},
        "files": [f"{slug}/{path}" for slug, path in page.used],
        "regions": sorted({str(m.name) for m in state.printed if not m.doubt}),
        "given": sorted({str(m.name) for m in state.provided if not m.doubt}),
    }


def label(target: Any, python: bool) -> str:
    if isinstance(target, Closure) and python:
        return target.name or "<lambda>"
    if isinstance(target, Closure):
        return f"closure {target.file.theme}/{target.file.path} {target.function.line}"
    if isinstance(target, Bound):
        return target.name
    return label_of(target) if isinstance(target, list) else str(target)


class OracleTest(unittest.TestCase):
    maxDiff = 4000

    def compare(self, name: str, part: int = 0, parts: int = 1) -> None:
        """Compare many; what hangs on a condition that can't be known is not counted, but what is said for sure must be so."""
        counted = {"answers": 0, "unknown": 0, "fatal": 0, "callbacks": 0}
        self.unsure = dict(counted)
        mine = seeds(CASES[name], part, parts)
        cases = len(mine)
        for seed in mine:
            with tempfile.TemporaryDirectory(prefix="protypon-trace-") as folder:
                MAKERS[name](Path(folder), random.Random(f"{name} {seed}"))
                real = ran_quayside(Path(folder)) if name == "quayside" else hosted.run(name, Path(folder), "t0", KIND)
                with self.subTest(platform=name, seed=seed):
                    self.one(
                        traced(site(Path(folder), name).render(KIND), name),
                        real,
                        name,
                        self.unsure if Path(folder, "unknowable").exists() else counted,
                    )
        if not few():
            self.assertLess(counted["unknown"], counted["answers"] / 100, counted)
            self.assertGreater(counted["fatal"], cases / 100, counted)
            self.assertGreater(counted["callbacks"], cases, counted)
        if os.environ.get("PROTYPON_FIGURES"):
            print(name, cases, counted, "apart from those that hang on the unknowable:", self.unsure)

    def one(self, found: Report, real: Report, name: str, counted: dict[str, int]) -> None:
        if not found["may"]:
            self.assertEqual(found["fatal"], bool(real["fatal"]), real["fatal"])
        counted["fatal"] += found["fatal"]
        if found["fatal"] or real["fatal"]:
            self.assertTrue(real["fatal"])
            return
        first = {n: [f, line] for n, (f, line) in real["functions"].items()}
        sure, there = self.lines(found["functions"], name), self.lines(first, name)
        self.assertLessEqual(sure.items(), there.items())
        self.assertTrue(counted is self.unsure or sure == there)
        counted["answers"] += 2 + len(found["points"]) + len(found["values"]) + len(found["items"])
        counted["unknown"] += len(found["unsure"])
        for point, callbacks in real["points"].items():
            counted["callbacks"] += len(callbacks)
            if point not in found["unsure"]:
                self.assertEqual(found["points"].get(point, []), callbacks, point)
        self.assertLessEqual(set(found["points"]), {*real["points"], *found["unsure"]})
        if counted is not self.unsure:
            self.assertEqual(found["rung"], real["rung"])
        for key, value in found["values"].items():
            counted["unknown"] += isinstance(value, Unknown)
            if not isinstance(value, Unknown):
                self.assertEqual(value, real["values"].get(key), key)
        for (kind, item), value in found["items"].items():
            if not isinstance(value, Unknown):
                self.assertEqual(value, real["items"].get(kind, {}).get(item, "not there"), item)
        size = real.get("items") or {}
        sure = {n for (_, n), value in found["items"].items() if not isinstance(value, Unknown)}
        self.assertLessEqual(sure, set(size.get("size", {})))
        self.assertLessEqual(set(size.get("size", {})), {n for _, n in found["items"]})
        self.assertLessEqual(set(found["given"]), set(real["given"]))
        self.assertTrue(counted is self.unsure or len(found["given"]) == len(real["given"]))
        if counted is not self.unsure and name != "quayside":
            self.assertEqual(found["files"], list(dict.fromkeys(real["files"])))
            self.assertEqual(found["regions"], sorted(set(real["shown"])))
        regions = "what a region shows"
        counted["unknown"] += any(isinstance(piece, Unknown) and piece.why != regions for piece in found["html"])
        self.assertTrue(fits(found["html"], real["html"]), (found["html"], real["html"]))

    def lines(self, functions: Report, name: str) -> Report:
        """Python counts a decorated function from its first decorator on; places are compared by file there."""
        return {n: place[0] if name == "quayside" else place for n, place in functions.items()}


class QuaysideTest(OracleTest):
    def test_first_half(self) -> None:
        self.compare("quayside", 0, 2)


class QuaysideRestTest(OracleTest):
    def test_second_half(self) -> None:
        self.compare("quayside", 1, 2)


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class MillraceTest(OracleTest):
    def test_cases(self) -> None:
        self.compare("millrace")


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class HedgerowTest(OracleTest):
    def test_cases(self) -> None:
        self.compare("hedgerow")


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class KilnTest(OracleTest):
    def test_cases(self) -> None:
        self.compare("kiln")


if __name__ == "__main__":
    unittest.main()
