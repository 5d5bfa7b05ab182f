"""Every construct of the languages whose code is followed: what is said for sure of it is what the interpreter does."""

from __future__ import annotations

import os
import random
import shutil
import unittest
from collections import Counter
from typing import Any, ClassVar

from protypon.core.languages.php.declarations import GRAMMAR as PHP
from protypon.core.languages.python.declarations import GRAMMAR as PYTHON
from protypon.core.languages.trees import Grammar, parser
from tests.cases import seeds
from tests.core.analysis.programs import followed, judged, ran, read, whole
from tests.core.analysis.random_generators import RandomGenerators
from tests.core.analysis.random_php import RandomPhp
from tests.core.analysis.random_python import RandomPython

PARSERS = {"php": ("tree_sitter_php", "language_php"), "python": ("tree_sitter_python", "language")}
NEVER_WRITTEN = {
    "php": {
        "sentinel_error",
        "operation",
        "argument_placeholder",
        "bottom_type",
        "heredoc_end",
        "property_hook",
        "property_hook_list",
    },
    "python": {
        "line_continuation",
        "print_statement",
        "exec_statement",
        "chevron",
        "type_alias_statement",
        "type_parameter",
        "constrained_type",
        "member_type",
        "splat_type",
        "parenthesized_list_splat",
    },
}
"""Kinds of node that no program has of the oldest release that this runs with, or that say nothing."""
MOST_UNKNOWN = {"php": 0.1, "python": 0.1}
"""Of the programs with one construct, the share of which something is not known."""


class GrammarTest(unittest.TestCase):
    def account(self, language: str, grammar: Grammar[Any]) -> None:
        """Every kind of node that the grammar knows is an expression, a statement, or looked after by those."""
        known = parser(*PARSERS[language]).language
        kinds = {
            str(known.node_kind_for_id(number))
            for number in range(known.node_kind_count)
            if known.node_kind_is_named(number) and known.node_kind_is_visible(number)
        }
        accounted = {*grammar.expressions, *grammar.statements, *grammar.parts}
        self.assertEqual(kinds - accounted, set())
        self.assertEqual(accounted - kinds - {"ERROR"}, set())
        self.assertEqual(grammar.parts & {*grammar.expressions, *grammar.statements}, set())

    def test_php(self) -> None:
        self.account("php", PHP)

    def test_python(self) -> None:
        self.account("python", PYTHON)


class OneConstructTest(unittest.TestCase):
    def hold(self, language: str) -> None:
        programs = read(language)
        sources = [source for _, source in programs]
        counted: Counter[str] = Counter()
        for (name, source), real in zip(programs, ran(language, sources), strict=True):
            found = judged(language, source, real)
            counted[found.how] += 1
            with self.subTest(language=language, program=name):
                self.assertIn(found.how, ("known", "unknown"), found.why)
            if os.environ.get("PROTYPON_FIGURES") and found.how == "unknown":
                print(language, name, found.why)
        self.assertLess(counted["unknown"] / len(programs), MOST_UNKNOWN[language])
        if os.environ.get("PROTYPON_FIGURES"):
            print(language, dict(counted))

    def written(self, language: str) -> None:
        """Every kind of node stands in at least two of the programs."""
        reader = parser(*PARSERS[language])
        found: Counter[str] = Counter()
        for _, source in read(language):
            found.update(_kinds(reader.parse(source.encode()).root_node))
        grammar = {"php": PHP, "python": PYTHON}[language]
        wanted = (
            {*grammar.expressions, *grammar.statements, *grammar.parts} - {"ERROR", "comment"} - NEVER_WRITTEN[language]
        )
        self.assertEqual({kind for kind in wanted if found[kind] < 2}, set())

    @unittest.skipUnless(shutil.which("php"), "no PHP here")
    def test_php(self) -> None:
        self.hold("php")

    def test_python(self) -> None:
        self.hold("python")

    def test_every_kind_of_php(self) -> None:
        self.written("php")

    def test_every_kind_of_python(self) -> None:
        self.written("python")


def _kinds(root: Any) -> set[str]:
    found: set[str] = set()
    waiting = [root]
    while waiting:
        node = waiting.pop()
        found.add(node.type)
        waiting += node.children
    return found


class FurtherTest(unittest.TestCase):
    """Programs about how constructs work together."""

    def hold(self, language: str) -> None:
        programs = read(language, "_further")
        for (name, source), real in zip(programs, ran(language, [source for _, source in programs]), strict=True):
            found = judged(language, source, real)
            with self.subTest(language=language, program=name):
                self.assertNotEqual(found.how, "wrong", found.why)

    @unittest.skipUnless(shutil.which("php"), "no PHP here")
    def test_php(self) -> None:
        self.hold("php")

    def test_python(self) -> None:
        self.hold("python")


class BrokenTest(unittest.TestCase):
    """Programs with something cut out: whatever becomes of the tree, it is read, and followed to an end."""

    def hold(self, language: str) -> None:
        rng = random.Random(language)
        for name, source in read(language):
            at = rng.randrange(len(source))
            cut = source[:at] + source[at + rng.randint(1, 20) :]
            with self.subTest(language=language, program=name, source=cut):
                followed(language, cut)

    def test_php(self) -> None:
        self.hold("php")

    def test_python(self) -> None:
        self.hold("python")


class RandomTest(unittest.TestCase):
    """Random programs: none of them is said to do what it does not do."""

    def count(self, language: str, sources: list[str], mine: range) -> Counter[str]:
        """How often what is said of one is known, unknown, or not held against anything as it died."""
        counted: Counter[str] = Counter()
        whole_ = [whole(language, source) for source in sources]
        for seed, source, real in zip(mine, whole_, ran(language, whole_), strict=True):
            found = judged(language, source, real)
            counted[found.how] += 1
            with self.subTest(language=language, seed=seed):
                self.assertNotEqual(found.how, "wrong", found.why)
        if os.environ.get("PROTYPON_FIGURES"):
            print(language, type(self).__name__, dict(counted))
        return counted


class RandomProgramTest(RandomTest):
    """Programs drawn from the whole language."""

    makers: ClassVar[dict[str, Any]] = {"php": RandomPhp, "python": RandomPython}

    def hold(self, language: str, cases: int) -> None:
        mine = seeds(cases)
        made = [self.makers[language](random.Random(f"{language} {seed}")).program() for seed in mine]
        self.assertLess(self.count(language, made, mine)["died"], len(mine) / 2)

    @unittest.skipUnless(shutil.which("php"), "no PHP here")
    def test_php(self) -> None:
        self.hold("php", 1000)

    def test_python(self) -> None:
        self.hold("python", 300)


class RandomGeneratorTest(RandomTest):
    """Programs whose generators stand still and go on."""

    def hold(self, language: str, cases: int) -> None:
        mine = seeds(cases)
        made = [RandomGenerators(language, random.Random(f"{language} {seed}")).program() for seed in mine]
        self.assertGreater(self.count(language, made, mine)["known"], len(mine) / 4)

    @unittest.skipUnless(shutil.which("php"), "no PHP here")
    def test_php(self) -> None:
        self.hold("php", 400)

    def test_python(self) -> None:
        self.hold("python", 400)
