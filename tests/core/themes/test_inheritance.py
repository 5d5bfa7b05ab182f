"""Which blocks of a chain of templates run, against Jinja itself."""

from __future__ import annotations

import random
import unittest

from jinja2 import DictLoader, Environment, TemplateError

from protypon.core.languages.jinja import source
from protypon.core.themes.inheritance import Inherited
from tests import cases


class Chain:
    """Random templates, each extending the next; every block says which it is."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        count = rng.randint(1, 4)
        self.texts = [self.template(number, number + 1 < count) for number in range(count)]

    def template(self, number: int, extends: bool) -> str:
        self.names = self.rng.sample("abcdef", self.rng.randint(0, 5))
        self.block = 0
        head = f"{{% extends 't{number + 1}' %}}" if extends else ""
        text = ""
        while self.names:
            text += "text " + self.part(number, 0)
        return head + text

    def part(self, number: int, depth: int) -> str:
        """One block, with what it calls, and others in it."""
        name, mark = self.names.pop(), f"[{number}.{self.block}]"
        self.block += 1
        inner = ""
        while self.names and depth < 3 and self.rng.random() < 0.4:
            inner += self.part(number, depth + 1)
        calls = self.rng.choice(("", "", "{{ super() }}", f"{{{{ self.{self.rng.choice('abcdef')}() }}}}"))
        return f"{{% block {name} %}}{mark}{calls}{inner}{{% endblock %}}"


class InheritanceTest(unittest.TestCase):
    def test_the_blocks_that_run_are_those_that_jinja_runs(self) -> None:
        rendered = 0
        for number in cases.seeds(1500):
            texts = Chain(random.Random(number)).texts
            named = {f"t{n}": text for n, text in enumerate(texts)}
            try:
                page = Environment(loader=DictLoader(named)).get_template("t0").render()
            except (TemplateError, RecursionError):  # a block that calls itself, or calls one that is not there
                continue
            rendered += 1
            blocks = [source.facts(text).blocks for text in texts]
            found = {f"[{v.template}.{v.block}]" for v in Inherited(blocks).running()}
            with self.subTest(number):
                self.assertEqual(
                    found,
                    {m + "]" for m in page.replace("[", " [").split("]") for m in m.split() if m[0] == "["},
                    texts,
                )
        self.assertGreater(rendered, cases.seeds(1500).stop // 3)

    def test_versions_go_from_the_nearest_to_the_furthest(self) -> None:
        blocks = [
            source.facts(text).blocks
            for text in ("{% block a %}{% endblock %}", "", "{% block b %}{% endblock %}{% block a %}{% endblock %}")
        ]
        inherited = Inherited(blocks)
        self.assertEqual([inherited.version("a", level) for level in range(3)], [(0, 0), (2, 1), None])


if __name__ == "__main__":
    unittest.main()
