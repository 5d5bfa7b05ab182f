"""Sheets changed rule by rule: where rules stand, and that nothing else comes out otherwise."""

from __future__ import annotations

import random
import unittest
from collections.abc import Iterator

from protypon.core.languages.css.edits import Where, rename_selector, with_declarations, without
from protypon.core.languages.css.rules import Condition, StyleDeclaration, read
from protypon.core.languages.css.spans import blocks
from protypon.core.languages.source import NotEdited
from tests.cases import few, seeds
from tests.core.languages.random_sheets import Writer

CASES = 60


def messy(rng: random.Random, text: str) -> str:
    """The same sheet with white space and comments where people have them."""
    between = [" ", "\n", "\r\n", " /* x; } */ ", "\t", "\n\n", "/*{*/"]
    return "".join(c + (rng.choice(between) if c in ";{}," and rng.random() < 0.15 else "") for c in text)


def sheet(seed: int) -> tuple[random.Random, str]:
    rng = random.Random(seed)
    text = Writer(rng).sheet([])
    return rng, messy(rng, text) if seed % 2 else text


def said(text: str) -> list[str]:
    return [
        repr((r.selector, r.layer, r.conditions, d.name, d.value, d.important))
        for r in read(text).rules
        for d in r.declarations
    ]


def one(name: str, value: str, *, important: bool = False) -> StyleDeclaration:
    return StyleDeclaration(name, value, important, 1)


class SpansTest(unittest.TestCase):
    def test_what_stands_where_is_what_the_sheet_says(self) -> None:
        for seed in seeds(CASES):
            _, text = sheet(seed)
            found = [
                repr((name, b.layer, b.conditions, d.said.name, d.said.value, d.said.important))
                for b in blocks(text)
                for name, _ in b.selectors
                for d in b.declarations
            ]
            self.assertEqual(sorted(found), sorted(said(text)), text)
            for block in blocks(text):
                for each in block.declarations:
                    piece = text[each.place.begin : each.place.end]
                    again = read(f"a {{ {piece} }}").rules[0].declarations
                    self.assertEqual([d[:3] for d in again], [each.said[:3]], text)


class EditsTest(unittest.TestCase):
    def edited(self, text: str, where: Where, name: str) -> Iterator[str | None]:
        """A sheet with each kind of edit; None where that can't be done alone."""
        for edit in (
            lambda: with_declarations(text, where, [one("gap", "77px"), one("order", "7", important=True)]),
            lambda: without(text, where),
            lambda: without(text, where, [name]),
            lambda: rename_selector(text, where, ".fresh > .name"),
        ):
            try:
                yield edit()
            except NotEdited:
                yield None

    def test_random_edits_change_what_is_meant_and_nothing_else(self) -> None:
        done = refused = 0
        for seed in seeds(CASES * 2):
            rng, text = sheet(seed)
            rules = [r for r in read(text).rules if r.declarations]
            if not rules:
                continue
            rule = rng.choice(rules)
            mine = repr((rule.selector, rule.layer, rule.conditions))[:-1] + ", "
            others = [row for row in said(text) if not row.startswith(mine)]
            for made in self.edited(text, Where(rule.selector, rule.layer, rule.conditions), rule.declarations[0].name):
                refused += made is None
                done += made is not None
                if made is not None:
                    left = [row for row in said(made) if not row.startswith(mine) and ".fresh" not in row]
                    self.assertEqual(left, others, f"{text}\n---\n{made}")
        if not few():
            self.assertGreater(done, refused)

    def test_what_is_put_in_looks_like_what_stands_there(self) -> None:
        where = Where(".lamp")
        for before, after in (
            ("", ".lamp {\n  gap: 2px;\n}\n"),
            (".a { b: c }", ".a { b: c }\n\n.lamp {\n  gap: 2px;\n}\n"),
            (".a {\r\n\tb: c;\r\n}\r\n", ".a {\r\n\tb: c;\r\n}\r\n\r\n.lamp {\r\n\tgap: 2px;\r\n}\r\n"),
            (".lamp { color: red }\n", ".lamp { color: red; gap: 2px; }\n"),
            (".lamp{color:red}", ".lamp{color:red; gap: 2px; }"),
            (".lamp {}\n", ".lamp { gap: 2px; }\n"),
            (".lamp {\n    color: red\n}\n", ".lamp {\n    color: red;\n    gap: 2px;\n}\n"),
            (".lamp {\n  color: red; /* ours */\n}\n", ".lamp {\n  color: red; /* ours */\n  gap: 2px;\n}\n"),
            (".lamp {\n  gap: 9px; color: red;\n}\n", ".lamp {\n  gap: 2px; color: red;\n}\n"),
            (".a, .lamp { gap: 9px }\n", ".a, .lamp { gap: 9px }\n\n.lamp {\n  gap: 2px;\n}\n"),
        ):
            self.assertEqual(with_declarations(before, where, [one("gap", "2px")]), after)
        wide = Where(".lamp", (), (Condition("media", "(min-width: 40em)"),))
        made = with_declarations("", wide, [one("gap", "2px")])
        self.assertEqual(made, "@media (min-width: 40em) {\n  .lamp {\n    gap: 2px;\n  }\n}\n")

    def test_what_was_put_in_can_be_taken_out_again_byte_for_byte(self) -> None:
        for text in (
            ".a { b: c }\n",
            "/* x */\n\n.a {\n\tb: c\n}\n",
            ".lamp {\n  color: red;\n}\n",
            "@media print { a { b: c } }\n",
        ):
            where = Where(".lamp")
            made = with_declarations(text, where, [one("gap", "2px"), one("top", "1px")])
            self.assertEqual(without(made, where, ["gap", "top"]), text)
        wide = Where(".lamp", (), (Condition("media", "print"),))
        self.assertEqual(without(with_declarations("a { b: c }\n", wide, [one("gap", "2px")]), wide), "a { b: c }\n")

    def test_a_rule_with_somebody_elses_things_in_it_is_left(self) -> None:
        for text in (
            ".lamp { /* mine */ gap: 2px }",
            ".lamp { gap: 2px; & b { top: 1px } }",
            ".lamp, /* x */ .a { gap: 2px }",
        ):
            with self.assertRaises(NotEdited, msg=text):
                without(text, Where(".lamp"))
        with self.assertRaises(NotEdited):
            rename_selector(".a { .lamp { gap: 2px } }", Where(".a .lamp"), ".net")
        with self.assertRaises(NotEdited):
            with_declarations(".a { gap: 2px", Where(".lamp"), [one("gap", "2px")])


if __name__ == "__main__":
    unittest.main()
