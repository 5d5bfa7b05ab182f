"""The order in which a page comes to its points: templates that extend, include and call blocks, against real renders of quayside."""

from __future__ import annotations

import random
import tempfile
import unittest
from pathlib import Path

from jinja2 import TemplateError

from protypon.core.languages.values import Unknown
from protypon.standin.quayside import QuaysideSite
from tests.cases import TIMES
from tests.core.analysis.test_oracle import site
from tests.support import theme

CASES = int(400 * TIMES)
PARTS = 6


class Maker:
    """Random themes whose templates fire points; parts only name later parts, so that no render runs in a circle."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.serial = 0

    def lineage(self, root: Path) -> None:
        count = self.rng.randint(1, 3)
        for depth in range(count):
            folder = root / f"t{depth}"
            (folder / "pages").mkdir(parents=True)
            (folder / "parts").mkdir()
            (folder / "quay.toml").write_text(theme(f"t{depth}", f"t{depth + 1}" if depth + 1 < count else ""))
            last = depth + 1 == count
            for number in range(PARTS):
                if last or self.rng.random() < 0.4:
                    (folder / f"parts/x{number}.html").write_text(self.body(number + 1, 0))
            if last or self.rng.random() < 0.5:
                (folder / "pages/base.html").write_text(self.base())
            if last or self.rng.random() < 0.5:
                (folder / "pages/home.html").write_text(self.home(last))

    def ring(self) -> str:
        self.serial += 1
        rng = self.rng
        return rng.choice(
            [
                f"{{{{ ring('p{self.serial}') }}}}",
                f"{{%- set s = ring('p{self.serial}') -%}}",
                f"{{{{ ring('p' ~ '{self.serial}')|upper }}}}",
                f"{{{{ ring('p{self.serial}') if {rng.choice(['true', 'false', '1 == 1', 'not true'])} else ring('q{self.serial}') }}}}",
                f"{{% if {rng.choice(['true', 'false', '2 > 1', 'false or true', '3 in [1, 2]'])} %}}{{{{ ring('p{self.serial}') }}}}"
                f"{{% else %}}{{{{ ring('q{self.serial}') }}}}{{% endif %}}",
                f"{{% for n in ['a', 'b'] %}}{{{{ ring('p{self.serial}' ~ n) }}}}{{% endfor %}}",
                f"{{% for n, m in [('a', 'x'), ('b', 'y')] %}}{{{{ ring(n ~ m ~ '{self.serial}') }}}}{{% endfor %}}",
                f"{{# {{{{ ring('no{self.serial}') }}}} #}}",
                f"{{% raw %}}{{{{ ring('no{self.serial}') }}}}{{% endraw %}}",
                f"{{% set name = 'v{self.serial}' %}}{{{{ ring(name) }}}}",
                f"{{% with w = 'w{self.serial}' %}}{{{{ ring('w{self.serial}') }}}}{{% endwith %}}",
                f"{{{{ pass_on('p{self.serial}', {self.serial}) }}}}",
            ]
        )

    def body(self, later: int, level: int) -> str:
        """Text, points and parts."""
        rng = self.rng
        found = []
        for _ in range(rng.randint(0, 3)):
            found.append(f"<p>{rng.randint(1, 9)}</p>")
            found.append(self.ring())
            if later < PARTS and rng.random() < 0.5:
                found.append(self.include(later))
        return "\n".join(found) + "\n"

    def include(self, later: int) -> str:
        names = [f"parts/x{self.rng.randint(later, PARTS - 1)}.html" for _ in range(2)]
        prefix = self.rng.choice(["", "", "parent:"])
        return self.rng.choice(
            [
                f"{{% include '{prefix}{names[0]}' ignore missing %}}",
                f"{{% include '{names[0]}' %}}",
                f"{{% include ['parts/none.html', '{names[1]}'] %}}",
                "{% include 'parts/none.html' ignore missing %}",
                f"{{% for n in [1, 2] %}}{{% include '{names[1]}' %}}{{% endfor %}}",
            ]
        )

    def base(self) -> str:
        nested = f"{{% block inner %}}{self.body(0, 1)}{{% endblock %}}"
        calls = self.rng.choice(["", "{{ self.a() }}"])
        return f"{self.ring()}{{% block a %}}{self.body(0, 1)}{{% endblock %}}{self.ring()}\n{{% block b %}}{nested}{{% endblock %}}{calls}{self.ring()}\n"

    def home(self, last: bool) -> str:
        rng = self.rng
        above = (
            "pages/base.html"
            if last
            else rng.choice(["pages/base.html", "parent:pages/home.html", "parent:pages/base.html"])
        )
        blocks = []
        for name in rng.sample(["a", "b", "inner"], rng.randint(0, 3)):
            super_ = rng.choice(["", "{{ super() }}", "{% if 1 %}{{ super() }}{% endif %}"])
            blocks.append(
                f"{{% block {name} %}}{rng.choice([self.body(0, 1) + super_, super_ + self.ring()])}{{% endblock %}}"
            )
        return f"{{% extends '{above}' %}}\n{''.join(blocks)}\n"


class PageTest(unittest.TestCase):
    maxDiff = 3000

    def test_points_are_fired_in_the_order_of_a_render(self) -> None:
        fired = rendered = 0
        for seed in range(CASES):
            with tempfile.TemporaryDirectory(prefix="protypon-page-") as folder, self.subTest(seed=seed):
                Maker(random.Random(seed)).lineage(Path(folder))
                running = QuaysideSite(Path(folder), "t0")
                try:
                    html = running.render("pages/home.html")
                except TemplateError:
                    continue
                page = site(Path(folder), "quayside").render("home")
                real = [point for point, _ in running.quay.rung]
                self.assertEqual([f.point for f in page.state.firings[page.begins :]], real)
                self.assertEqual(set(page.used), set(html.used))
                if not any(isinstance(text, Unknown) for text in page.out):
                    self.assertEqual("".join(map(str, page.out)).split(), html.html.split())
                rendered += 1
                fired += len(real)
        self.assertGreater(rendered, CASES // 3)
        self.assertGreater(fired, CASES * 3)

    def test_which_of_two_templates_is_extended_is_not_known(self) -> None:
        either = "{% if visitor %}{% extends 'pages/a.html' %}{% else %}{% extends 'pages/b.html' %}{% endif %}"
        perhaps = "{% if visitor %}{% extends 'pages/a.html' %}{% endif %}"
        choice = "{% extends 'pages/a.html' if visitor else 'pages/b.html' %}"
        plain = "{% extends 'pages/a.html' %}"
        for home, certain in ((either, False), (perhaps, False), (choice, False), (plain, True)):
            with tempfile.TemporaryDirectory(prefix="protypon-page-") as folder, self.subTest(home):
                pages = Path(folder, "t0/pages")
                pages.mkdir(parents=True)
                (pages.parent / "quay.toml").write_text(theme("t0", ""))
                for name in ("a", "b"):
                    (pages / f"{name}.html").write_text(f"{{{{ ring('{name}') }}}}")
                (pages / "home.html").write_text(home)
                page = site(Path(folder), "quayside").render("home")
                found = [(f.point, not f.doubt) for f in page.state.firings[page.begins :]]
                self.assertEqual(found, [("a", certain)])


if __name__ == "__main__":
    unittest.main()
