"""Blocks along random chains, against what the stand-in renders: what stands there without the child, and whose block is printed."""

from __future__ import annotations

import random
import re
import tempfile
import unittest
from contextlib import suppress
from pathlib import Path
from typing import Any

from jinja2 import UndefinedError

from protypon.core.files.listing import look
from protypon.core.model.evidence import Gone, Missing, Present, Unreached
from protypon.core.platform import platform
from protypon.core.themes.discover import by_slug, lineage_of, themes_in
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.block import find
from protypon.core.units.block_files import Further, above_of, block_file
from protypon.core.units.world import World
from protypon.standin.quayside import QuaysideSite
from tests.cases import few, seeds
from tests.core.units.blocks.random_chains import NAMES, PAGES, changed, make, put

CASES = 120


def world_in(folder: Path) -> World:
    found = platform.load("quayside")
    themes = by_slug(themes_in(look(str(folder)), found))
    return World(found, lineage_of(themes["t0"], themes, found), {}, (), Snapshot.of_folders())


def shown(folder: Path, page: str) -> str:
    return QuaysideSite(folder, "t0").run_code().render(page).html


def with_child(folder: Path, page: str, text: str) -> str:
    """The page with a template of the child's, which is taken out again."""
    put(folder, "t0", page, text)
    try:
        return shown(folder, page)
    finally:
        (folder / "t0" / page).unlink()


def probed(folder: Path, page: str, name: str, body: str) -> list[str] | None:
    """What stands in a block of a page, each time that it is printed; None where the page fails with it."""
    try:
        html = with_probe(folder, page, name, body)
    except (UndefinedError, RecursionError):
        return None
    return re.findall(r"«(.*?)»", html, re.DOTALL)


def with_probe(folder: Path, page: str, name: str, body: str) -> str:
    return with_child(folder, page, f'{{% extends "parent:{page}" %}}{{% block {name} %}}«{body}»{{% endblock %}}')


class ChainTest(unittest.TestCase):
    def test_what_stands_there_without_the_child_is_what_a_page_shows(self) -> None:
        counts = {"whole": 0, "several": 0}
        for seed in seeds(CASES):
            with tempfile.TemporaryDirectory(prefix="protypon-chain-") as root:
                folder = Path(root)
                make(folder, random.Random(f"chain {seed}"))
                world = world_in(folder)
                for page in PAGES:
                    chains, why = above_of(world, page)
                    self.assertEqual((len(chains), why), (1, ""))
                    for name in NAMES:
                        with self.subTest(seed=seed, page=page, block=name):
                            self.one(folder, page, name, chains[0].further(name), counts)
        if not few():
            self.assertGreater(counts["whole"], CASES * 3, counts)
            self.assertGreater(counts["several"], CASES / 2, counts)

    def one(self, folder: Path, page: str, name: str, further: Further | None, counts: dict[str, int]) -> None:
        if further is None:
            put(folder, "t0", page, f'{{% extends "parent:{page}" %}}{{% block {name} %}}«mine»{{% endblock %}}')
            file = block_file(world_in(folder), page)
            assert file is not None
            with suppress(UndefinedError, RecursionError):  # the lineage's own page fails
                self.assertEqual(file.runs(name), "«mine»" in shown(folder, page))
            return
        if not further.whole:
            return
        counts["whole"] += 1
        counts["several"] += len(set(re.findall(r"\[(t\d \S+)", further.text.decode()))) > 1
        there = probed(folder, page, name, "{{ super() }}")
        if there is None:
            counts["whole"] -= 1
            return
        self.assertEqual(probed(folder, page, name, further.text.decode()), there)

    def test_a_block_of_the_childs_is_printed_where_that_is_said(self) -> None:
        counts = {True: 0, False: 0}
        for seed in seeds(CASES):
            with tempfile.TemporaryDirectory(prefix="protypon-chain-") as root:
                folder, rng = Path(root), random.Random(f"printed {seed}")
                make(folder, rng)
                page, mine = rng.choice(PAGES), rng.sample(NAMES, k=2)
                text = f'{{% extends "parent:{page}" %}}\n'
                for name in mine:
                    text += f"{{% block {name} %}}«{name}»{rng.choice(['', '{{ super() }}'])}{{% endblock %}}\n"
                put(folder, "t0", page, text)
                file = block_file(world_in(folder), page)
                assert file is not None
                try:
                    html = shown(folder, page)
                except (UndefinedError, RecursionError):  # super() of a block that nothing further up has
                    continue
                for name in mine:
                    with self.subTest(seed=seed, block=name):
                        self.assertEqual(file.runs(name), f"«{name}»" in html)
                        counts[f"«{name}»" in html] += 1
        if not few():
            self.assertGreater(min(counts.values()), CASES / 20, counts)

    def test_what_is_foretold_is_what_the_page_shows_after_the_update(self) -> None:
        """Of a block that holds, what it hides or adds to is there as before, or changed by what it adds to alone."""
        counts: dict[str, int] = {}
        for seed in seeds(CASES):
            with tempfile.TemporaryDirectory(prefix="protypon-chain-") as root:
                self.foretold(Path(root), random.Random(f"foretold {seed}"), seed, counts)
        if not few():
            for verdict in ("same", "changed", "unprinted"):
                self.assertGreater(counts.get(verdict, 0), CASES / 10, counts)

    def foretold(self, folder: Path, rng: random.Random, seed: int, counts: dict[str, int]) -> None:
        make(folder, rng)
        page = rng.choice(PAGES)
        before = {n: above_of(world_in(folder), page)[0][0].further(n) for n in NAMES}
        probes = {n: probed(folder, page, n, "{{ super() }}") for n in NAMES if before[n] is not None}
        shown_before = {n: shown for n, shown in probes.items() if shown is not None}
        slug = rng.choice(("t1", "t2"))
        for file in sorted((folder / slug).rglob("*.html")):
            if "words" not in file.name:
                file.write_text(changed(file.read_text(), rng))
        after = {n: above_of(world_in(folder), page)[0][0].further(n) for n in NAMES}
        for name in shown_before:
            was, now = before[name], after[name]
            assert was is not None
            with self.subTest(seed=seed, block=name):
                put(folder, "t0", page, f'{{% extends "parent:{page}" %}}{{% block {name} %}}«mine»{{% endblock %}}')
                found = self.evidence(folder, page, name)
                try:
                    printed = "«mine»" in shown(folder, page)
                except (UndefinedError, RecursionError):
                    continue
                if found is None:
                    self.assertTrue(now is None and printed)
                    continue
                if now is None or not printed:
                    self.assertFalse(printed)
                    self.assertTrue(isinstance(found, Unreached), found)
                    counts["unprinted"] = counts.get("unprinted", 0) + 1
                    continue
                self.assertIsInstance(found, Present)
                same = was.text == now.text
                counts["same" if same else "changed"] = counts.get("same" if same else "changed", 0) + 1
                shown_now = probed(folder, page, name, "{{ super() }}")
                if shown_now is None:
                    continue
                if same and shown_before[name]:
                    self.assertEqual(shown_now[:1], shown_before[name][:1])
                elif not same and _words(was.text) != _words(now.text):
                    self.assertNotEqual(shown_now, shown_before[name])

    def evidence(self, folder: Path, page: str, name: str) -> Any:
        rows = [e for e in find.find(world_in(folder)) if e.subject.unit.name == name and e.subject.file == page]
        self.assertLessEqual(len(rows), 1)
        self.assertFalse(rows and isinstance(rows[0], Gone | Missing))
        return rows[0] if rows else None


def _words(text: bytes) -> list[bytes]:
    return re.findall(rb"\[[^\]]*\]", text)


if __name__ == "__main__":
    unittest.main()
