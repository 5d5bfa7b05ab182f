"""Who wins and what is reached: resolution against real renders of quayside, on random lineages."""

from __future__ import annotations

import random
import tempfile
import unittest
from pathlib import Path

from jinja2 import TemplateError, TemplateNotFound

from protypon.core.files.listing import look
from protypon.core.model.nouns import Theme
from protypon.core.platform import platform
from protypon.core.themes.discover import by_slug, lineage_of, themes_in
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot
from protypon.standin.quayside import QuaysideSite
from tests.support import theme

LINEAGES = 700
NAMES = 8


class Maker:
    """Random themes whose templates name each other; names only name later ones, so no render runs in a circle."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng

    def lineage(self, root: Path) -> list[str]:
        slugs = [f"t{n}" for n in range(self.rng.randint(2, 4))]
        for depth, slug in enumerate(slugs):
            above = slugs[depth + 1] if depth + 1 < len(slugs) else ""
            folder = root / slug
            for kind in ("pages", "parts"):
                (folder / kind).mkdir(parents=True)
            (folder / "quay.toml").write_text(theme(slug, above))
            for number in range(NAMES):
                for kind in ("pages", "parts"):
                    if self.rng.random() < 0.45:
                        (folder / kind / f"x{number}.html").write_text(self.template(kind, number, slugs[depth:]))
        return slugs

    def template(self, kind: str, number: int, lineage: list[str]) -> str:
        rng = self.rng
        lines = ["<p>here</p>"]
        for _ in range(rng.randint(0, 3)):
            lines.append(self.include(number, lineage))
        rng.shuffle(lines)
        if kind == "pages" and number + 1 < NAMES and rng.random() < 0.5:
            above = rng.choice([f"pages/x{rng.randint(number + 1, NAMES - 1)}.html", f"parent:pages/x{number}.html"])
            inside = "\n".join(lines)
            outside = self.include(number, lineage) if rng.random() < 0.3 else ""
            return f'{{% extends "{above}" %}}\n{outside}\n{{% block a %}}{inside}{{% endblock %}}\n'
        return "\n".join(lines) + "\n{% block a %}{% endblock %}\n"

    def include(self, number: int, lineage: list[str]) -> str:
        rng = self.rng
        if number + 1 >= NAMES:
            return "<hr>"
        names = [f"parts/x{rng.randint(number + 1, NAMES - 1)}.html" for _ in range(2)]
        way = rng.random()
        if way < 0.15:
            names[0] = f"parent:{names[0]}"
        elif way < 0.3:
            names[0] = f"{rng.choice(lineage)}:{names[0]}"
        quote = rng.choice("'\"")
        first, second = (f"{quote}{name}{quote}" for name in names)
        return rng.choice(
            [
                f"{{% include {first} %}}",
                f"{{%- include {first} ignore missing -%}}",
                f"{{% include [{first}, {second}] %}}",
                f"{{% include {first} without context %}}",
                f"{{# {{% include {second} %}} #}}",
                f"{{% raw %}}{{% include {second} %}}{{% endraw %}}",
            ]
        )


class ReachTest(unittest.TestCase):
    def test_what_is_reached_is_what_a_render_uses(self) -> None:
        quayside = platform.load("quayside")
        pages = failed = 0
        for seed in range(LINEAGES):
            with tempfile.TemporaryDirectory(prefix="protypon-reach-") as folder:
                slugs = Maker(random.Random(seed)).lineage(Path(folder))
                themes = by_slug(themes_in(look(folder), quayside))
                lineage = lineage_of(themes["t0"], themes, quayside)
                self.assertEqual(list(lineage.slugs), slugs)
                reach = Resolver(lineage, quayside, Snapshot.of_folders()).templates
                used, missing = self._rendered(Path(folder), lineage.themes)
                pages += 1
                failed += bool(missing)
                self.assertEqual({n.name for n in reach.dangling} & missing, missing, seed)
                self.assertEqual(bool(reach.dangling), bool(missing), seed)
                if not missing:
                    self.assertEqual(set(reach.used), used, seed)
        self.assertGreater(pages - failed, 40)
        self.assertGreater(failed, 100)

    def _rendered(self, folder: Path, themes: tuple[Theme, ...]) -> tuple[set[tuple[str, str]], set[str]]:
        """Render every page that the platform can be asked for; what was used, and which names were not found."""
        site = QuaysideSite(folder, "t0")
        used: set[tuple[str, str]] = set()
        missing: set[str] = set()
        for path in sorted({p for t in themes for p in t.files if p.startswith("pages/")}):
            try:
                used |= set(site.render(path).used)
            except TemplateNotFound as error:
                name = str(error.templates[0] if hasattr(error, "templates") else error.name)
                above = name.partition(":")
                missing.add(f"parent:{above[2]}" if name.startswith("above ") else name)
            except TemplateError as error:
                self.fail(str(error))
        return used, missing


if __name__ == "__main__":
    unittest.main()
