"""Twins of random themes, run: under any slug they do what the original does, and no old name is left."""

from __future__ import annotations

import json
import random
import re
import shutil
import tempfile
import unittest
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any

from protypon.core.actions.init import plan_init
from protypon.core.actions.twin import plan_twin
from protypon.core.store import apply, ledger
from protypon.core.themes.bench import Bench
from protypon.standin import hosted
from tests.cases import few, seeds
from tests.core.analysis.random_themes import MAKERS
from tests.core.analysis.test_oracle import KIND, ran_quayside

CASES = {"quayside": 120, "millrace": 40, "hedgerow": 40, "kiln": 40}
OLD = ("crane", "toll", "main", "lamp", "berth", "t1x", "harbour_light", "value", "page", "seal")
"""Common words, words that parents have too, beginnings of other slugs, two words."""
NEW = "zephyr_quux"


def with_slug(folder: Path, old: str, new: str) -> None:
    """Give the child of a random lineage another slug, in all of its files: it is called ``t0``, and nothing else is."""
    snake = new.replace("-", "_")
    (folder / old).rename(folder / new)
    for file in (folder / new).rglob("*"):
        if file.is_file():
            data = file.read_bytes()
            made = re.sub(
                rb"(?<![A-Za-z0-9])" + old.encode() + rb"(?![A-Za-z0-9])",
                new.encode(),
                data.replace(b"t0_", snake.encode() + b"_"),
            )
            file.write_bytes(made)
            name = re.sub(rf"(?<![A-Za-z0-9]){old}(?![A-Za-z0-9])", new, file.name.replace("t0_", snake + "_"))
            file.rename(file.with_name(name))


class TwinCase(unittest.TestCase):
    """One platform."""

    def compare(self, name: str) -> None:
        counts = Counter[str]()
        for seed in seeds(CASES[name]):
            folder = Path(tempfile.mkdtemp(prefix="protypon-twin-"))
            self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
            self.one(folder, name, seed, counts)
        if not few():
            self.assertGreater(counts["same"], CASES[name] // 2, counts)
            self.assertGreater(counts["names"], CASES[name], counts)

    def one(self, folder: Path, name: str, seed: int, counts: Counter[str]) -> None:
        rng = random.Random(f"twin {name} {seed}")
        themes = folder / "bench" / "themes"
        themes.mkdir(parents=True)
        MAKERS[name](themes, rng)
        (themes / "unknowable").unlink(missing_ok=True)
        slug = rng.choice(OLD)
        slug = slug.replace("_", "-") if name in ("quayside", "millrace") else slug
        new = NEW.replace("_", "-") if name in ("quayside", "millrace") else NEW
        with_slug(themes, "t0", slug)
        (themes / slug / "overrides.toml").write_text(ledger.HEAD)
        plan, bench, _ = plan_init(folder / "bench", name)
        with apply.hold_lock(bench.store, "init"):
            apply.carry_out(plan, bench.store)
        before = {p: p.read_bytes() for p in (themes / slug).rglob("*") if p.is_file()}
        with closing(Bench(folder / "bench")) as bench:
            plan, twin = plan_twin(bench, bench.theme(slug), new)
            with apply.hold_lock(bench.store, "twin"):
                apply.carry_out(plan, bench.store)
        self.assertEqual(before, {p: p.read_bytes() for p in (themes / slug).rglob("*") if p.is_file()})
        self.assertEqual(twin.left, ())
        counts["names"] += len(twin.renaming.sure)
        was, now = self.ran(name, themes, slug), self.ran(name, themes, new)
        same = json.loads(json.dumps(was)) == under(now, new, slug)
        foretold = "unknown" if twin.unknown else "differs" if twin.differs else "same"
        counts[foretold] += 1
        if foretold == "same":
            self.assertTrue(same, f"{name} {seed} {slug}\n{was}\n{now}")

    def ran(self, name: str, themes: Path, slug: str) -> dict[str, Any]:
        return ran_quayside(themes, slug) if name == "quayside" else hosted.run(name, themes, slug, KIND)


def under(report: dict[str, Any], new: str, old: str) -> Any:
    """A report in which a name that is found nowhere else is another one, in each of its spellings."""
    text = json.dumps(report)
    for joined in ("-".join, "_".join, _pascal, _camel, lambda words: "_".join(words).upper()):
        text = text.replace(joined(re.split("[-_]", new)), joined(re.split("[-_]", old)))
    return json.loads(text)


def _pascal(words: list[str]) -> str:
    return "".join(word.capitalize() for word in words)


def _camel(words: list[str]) -> str:
    return words[0] + _pascal(words[1:])


class QuaysideTwinTest(TwinCase):
    def test_a_twin_does_what_the_original_does(self) -> None:
        self.compare("quayside")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class HostedTwinTest(TwinCase):
    def test_millrace(self) -> None:
        self.compare("millrace")

    def test_hedgerow(self) -> None:
        self.compare("hedgerow")

    def test_kiln(self) -> None:
        self.compare("kiln")
