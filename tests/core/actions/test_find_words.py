"""Words of rendered pages, looked for: where they truly come from is among the first places that are told."""

from __future__ import annotations

import random
import shutil
import tempfile
import unittest
from collections import Counter
from html.parser import HTMLParser
from pathlib import Path

from protypon.core.actions.find import Table, find
from protypon.core.check.examine import present_world
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.standin import hosted
from tests.cases import few, seeds
from tests.core.actions.worded_themes import KIND, MAKERS, Worded
from tests.core.analysis.test_oracle import ran_quayside

WORDS = 300
"""On each platform, multiplied by what PROTYPON_CASES says."""
OF_ONE = 10
"""So many of one lineage."""
FIRST = 3
LEAST = 0.95
INLINE = ("b", "em", "i")


class SeenWords(HTMLParser):
    """The words of a page in their order, also those of attributes that a visitor is told."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.text, self.hidden = "", False
        self.feed(html)
        self.words = self.text.split()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.text += "" if tag in INLINE else " "
        self.hidden = tag in ("script", "style")
        self.text += "".join(f" {value} " for name, value in attrs if name in ("alt", "placeholder"))

    def handle_endtag(self, tag: str) -> None:
        self.hidden = False
        self.text += "" if tag in INLINE else " "

    def handle_data(self, data: str) -> None:
        self.text += "" if self.hidden else data


class FindingCase(unittest.TestCase):
    """One platform."""

    def compare(self, name: str) -> None:
        found, wrong = Counter[str](), list[str]()
        for seed in seeds(WORDS // OF_ONE):
            folder = Path(tempfile.mkdtemp(prefix="protypon-words-"))
            self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
            self.one(folder, name, seed, found, wrong)
        asked = found["right"] + found["wrong"]
        self.assertGreater(asked, 0)
        if not few():
            self.assertGreaterEqual(asked, WORDS * 0.9)
        told = "\n".join(wrong[:40])
        self.assertGreaterEqual(found["right"] / asked, LEAST, told)
        self.assertGreaterEqual(found["line"] / (found["line"] + found["other line"]), LEAST, told)

    def one(self, folder: Path, name: str, seed: int, found: Counter[str], wrong: list[str]) -> None:
        rng = random.Random(f"words {name} {seed}")
        themes = folder / "themes"
        made = MAKERS[name](themes, rng)
        report = ran_quayside(themes) if name == "quayside" else hosted.run(name, themes, "t0", KIND)
        self.assertIsNone(report["fatal"], report)
        words = SeenWords(report["html"]).words
        (folder / "protypon.toml").write_text(f'format = "protypon.bench/1"\nplatform = "{name}"\nthemes = "themes"\n')
        (themes / "t0" / "overrides.toml").write_text('format = "protypon.ledger/1"\n')
        bench = Bench(folder)
        try:
            world = present_world(bench, bench.theme("t0"), Snapshot.of_bench(bench), {})
            for _ in range(OF_ONE):
                begin = rng.randrange(len(words))
                asked = words[begin : begin + rng.choice([1, 1, 1, 2, 3])]
                true = {made.truth[word][:2] for word in asked if word in made.truth}
                table = find(world, " ".join(asked))
                told = [(row["theme"], row["file"]) for row in table["found"]][:FIRST]
                right = bool(true & set(told)) if true else bool(table["content"])
                found["right" if right else "wrong"] += 1
                self.check_line(made, asked, table, found, wrong)
                if not right:
                    wrong.append(f"{name} {seed}: {' '.join(asked)!r} is of {sorted(true)}, told {told}")
        finally:
            bench.close()

    def check_line(self, made: Worded, asked: list[str], table: Table, found: Counter[str], wrong: list[str]) -> None:
        """Of one word that stands in one line of its file as it is, that line is told, and the unit is of the right kind."""
        if len(asked) > 1 or asked[0] not in made.truth:
            return
        theme, path, construct = made.truth[asked[0]]
        lines = [n for n, row in enumerate(made.files[theme, path].splitlines(), 1) if asked[0] in row]
        rows = [row for row in table["found"] if (row["theme"], row["file"]) == (theme, path)]
        if len(lines) == 1 and rows:
            kinds = {"code": {"function", "code", "value", "variable"}}.get(construct, {construct})
            right = any(lines[0] in row["lines"] and row["kind"] in kinds and row["used"] != "no" for row in rows)
            found["line" if right else "other line"] += 1
            if not right:
                told = [(row["unit"], row["lines"], row["used"]) for row in rows]
                wrong.append(f"{asked} stands in {theme}/{path} line {lines[0]}, told {told}")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class MillraceWordsTest(FindingCase):
    def test_the_true_place_is_among_the_first(self) -> None:
        self.compare("millrace")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class HedgerowWordsTest(FindingCase):
    def test_the_true_place_is_among_the_first(self) -> None:
        self.compare("hedgerow")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class KilnWordsTest(FindingCase):
    def test_the_true_place_is_among_the_first(self) -> None:
        self.compare("kiln")


class QuaysideWordsTest(FindingCase):
    def test_the_true_place_is_among_the_first(self) -> None:
        self.compare("quayside")
