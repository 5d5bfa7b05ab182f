"""Sheets that are rendered like templates, against what Jinja makes of them: what is said for certain stands in every rendering."""

from __future__ import annotations

import random
import unittest

import jinja2

from protypon.core.languages.css.rendered import PERHAPS, read_rendered
from protypon.core.languages.css.rules import read
from protypon.core.units.rule.reading import every_rule, rules_in, text_of
from tests.cases import few, seeds

CASES = 300
SELECTORS = [".menu a", ".lamp", "ul > li", "div.{{ cls }}", "a:hover"]
VALUES = [
    "red",
    "{{ colour }}",
    "0 {{ width }} 0",
    "calc({{ width }} - 2px)",
    'url("{{ base }}/x.png")',
    "{{ colour|default('red') }} !important",
]
NAMES = ["color", "margin", "width", "background"]


def sheet(rng: random.Random, depth: int = 0) -> str:
    found = []
    for _ in range(rng.randint(1, 4)):
        kind = rng.random()
        if kind < 0.2 and depth < 2:
            found.append(
                f"{{%- if {rng.choice(['wide', 'dark'])} %}}\n{sheet(rng, depth + 1)}{{% else %}}\n{sheet(rng, 2)}{{%- endif %}}"
            )
        elif kind < 0.3:
            found.append(f"@media (min-width: {rng.choice(['40em', '{{ width }}'])}) {{\n{rule(rng)}\n}}")
        elif kind < 0.35:
            found.append("{% set x = 3 %}{# a { color: blue } #}")
        else:
            found.append(rule(rng))
    return "\n".join(found) + "\n"


def rule(rng: random.Random) -> str:
    said = "; ".join(f"{rng.choice(NAMES)}: {rng.choice(VALUES)}" for _ in range(rng.randint(1, 3)))
    return f"{rng.choice(SELECTORS)} {{ {said} }}"


class RenderedTest(unittest.TestCase):
    def test_what_is_certain_stands_in_every_rendering(self) -> None:
        certain = perhaps = 0
        for seed in seeds(CASES):
            rng = random.Random(f"rendered {seed}")
            text = sheet(rng)
            for _ in range(3):
                values = {
                    "wide": rng.random() < 0.5, "dark": rng.random() < 0.5, "colour": "teal", "width": "7px", "cls": "x", "base": "..",
                }  # fmt: skip
                environment = jinja2.Environment(autoescape=False)
                shown = environment.from_string(text).render(values)
                made = {
                    (r.selector, " ".join(c.text for c in r.conditions), d.name, d.value, d.important)
                    for r in read(shown).rules
                    for d in r.declarations
                }
                for each in read_rendered(text).rules:
                    if PERHAPS in each.conditions:
                        perhaps += 1
                        continue
                    around = " ".join(c.text for c in each.conditions)
                    for said in each.declarations:
                        certain += 1
                        selector, around, value = (
                            environment.from_string(part).render(values) for part in (each.selector, around, said.value)
                        )
                        self.assertIn((selector, around, said.name, value, said.important), made, text)
        if not few():
            self.assertGreater(min(certain, perhaps), CASES)

    def test_a_text_that_a_record_stands_for_is_read_as_it_was_written(self) -> None:
        for seed in seeds(CASES):
            rules = read_rendered(sheet(random.Random(f"text {seed}"))).rules
            for each in rules:
                again = list(every_rule(rules_in(text_of(each.selector, [each]))))
                self.assertEqual(
                    [(r.conditions, [d[:3] for d in r.declarations]) for r in again],
                    [(each.conditions, [d[:3] for d in each.declarations])],
                )


if __name__ == "__main__":
    unittest.main()
