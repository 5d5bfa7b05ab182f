"""Who wins, what would take its place, and which sheets load: against the stand-in and against a plain second way."""

from __future__ import annotations

import random
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from protypon.core.files.listing import look
from protypon.core.platform import platform
from protypon.core.themes.discover import by_slug, lineage_of, themes_in
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot
from protypon.standin.quayside import QuaysideSite
from tests.support import theme

LINEAGES = 150
NAMES = ["parts/a.html", "parts/b.html", "parts/x/a.html", "pages/a.html", "styles/s.css", "styles/t.css"]


class ResolveTest(unittest.TestCase):
    def setUp(self) -> None:
        self.quayside = platform.load("quayside")

    def lineage(self, root: Path, rng: random.Random) -> list[str]:
        slugs = [f"t{n}" for n in range(rng.randint(2, 5))]
        for depth, slug in enumerate(slugs):
            folder = root / slug
            sheets = rng.sample(["styles/s.css", "styles/t.css"], rng.randint(0, 2)) if rng.random() < 0.8 else None
            above = slugs[depth + 1] if depth + 1 < len(slugs) else ""
            folder.mkdir()
            (folder / "quay.toml").write_text(theme(slug, above, sheets=sheets))
            for name in NAMES:
                if rng.random() < 0.5:
                    (folder / name).parent.mkdir(parents=True, exist_ok=True)
                    (folder / name).write_text(f"{slug} {name}")
        return slugs

    def test_winner_and_what_would_take_its_place_are_what_a_run_finds(self) -> None:
        for seed in range(LINEAGES):
            with tempfile.TemporaryDirectory(prefix="protypon-resolve-") as folder:
                root, rng = Path(folder), random.Random(seed)
                self.lineage(root, rng)
                themes = by_slug(themes_in(look(root), self.quayside))
                lineage = lineage_of(themes["t0"], themes, self.quayside)
                resolver = Resolver(lineage, self.quayside, Snapshot.of_folders())
                site = QuaysideSite(root, "t0")
                for name in NAMES:
                    rule = self.quayside.rule_of(name)
                    assert rule is not None
                    winner, found = resolver.winner(name, rule), site.find(name)
                    self.assertEqual(winner and winner.theme.slug, found and found[0].slug)
                    place = resolver.without(lineage.child, name, name, rule)
                    own = root / "t0" / name
                    if own.exists():
                        own.rename(root / "aside")
                    found = QuaysideSite(root, "t0").find(name)
                    self.assertEqual(place and place.theme.slug, found and found[0].slug)
                    if (root / "aside").exists():
                        (root / "aside").rename(own)
                register = self.quayside.registers[0]
                listed = [
                    s
                    for name, _ in resolver.files_registered(register)
                    if (s := resolver.winner(name, self.quayside.rules[1]))
                ]
                self.assertEqual([f"/themes/{s.theme.slug}/{s.path}" for s in listed], site.sheets(), seed)

    def test_by_bare_name_the_nearest_theme_wins_whatever_the_folder(self) -> None:
        by_name = tuple(replace(r, lookup="name") if r.kind == "template" else r for r in self.quayside.rules)
        named = replace(self.quayside, rules=by_name)
        for seed in range(40):
            with tempfile.TemporaryDirectory(prefix="protypon-resolve-") as folder:
                slugs = self.lineage(Path(folder), random.Random(seed))
                themes = by_slug(themes_in(look(folder), named))
                resolver = Resolver(lineage_of(themes["t0"], themes, named), named, Snapshot.of_folders())
                rule = named.rules[0]
                wanted = [
                    (s, n)
                    for s in slugs
                    for n in sorted(NAMES)
                    if n.endswith("/a.html") and Path(folder, s, n).exists()
                ]
                self.assertEqual([(s.theme.slug, s.path) for s in resolver.ranking("parts/a.html", rule)], wanted)

    def test_lineages_with_two_parents_loops_and_gaps(self) -> None:
        with tempfile.TemporaryDirectory(prefix="protypon-resolve-") as folder:
            parents = {
                "a": ["b", "c"],
                "b": ["d"],
                "c": ["d"],
                "d": [],
                "round": ["trip"],
                "trip": ["round"],
                "gap": ["nowhere"],
            }
            for slug, above in parents.items():
                Path(folder, slug).mkdir()
                Path(folder, slug, "quay.toml").write_text(theme(slug, above))  # type: ignore[arg-type]
            themes = by_slug(themes_in(look(folder), self.quayside))
            found = {slug: lineage_of(t, themes, self.quayside) for slug, t in themes.items()}
            self.assertEqual(found["a"].slugs, ("a", "b", "d", "c"))
            self.assertEqual(found["round"].loop, ("round", "trip", "round"))
            self.assertEqual((found["gap"].missing, found["gap"].cut), ("nowhere", "the parent 'nowhere' is not here"))


if __name__ == "__main__":
    unittest.main()
