"""Every finding has an entry in the docs, and a test that plants it."""

from __future__ import annotations

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

import protypon
from protypon.core.check.codes import CODES

SOURCE = Path(protypon.__file__).parent / "core"
ROOT = Path(__file__).parents[3]
DOCS = ROOT / "docs/reference/findings.md"
MADE_ELSEWHERE = {
    "manifest-broken",
    "no-ledger",
    "old-name",
    "parent-by-title",
    "parent-wrong-case",
    "declared-twice",
    "does-not-fit",
    "is-final",
    "raises",
    "ends",
}
"""Codes that are made in another way than as the first argument of a finding."""


def codes() -> Iterator[str]:
    """The code of every finding that the program has."""
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_bytes())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("Finding", "_finding"):
                first = node.args[0] if node.args else None
                if isinstance(first, ast.Constant):
                    yield str(first.value)


class DocumentedTest(unittest.TestCase):
    def setUp(self) -> None:
        self.known = {*codes(), *MADE_ELSEWHERE}
        rows = [line.split("|")[1] for line in DOCS.read_text("utf-8").splitlines() if line.startswith("| `")]
        self.documented = {code for row in rows for code in re.findall(r"`([a-z-]+)`", row)}

    def test_the_list_of_codes_is_all_of_them(self) -> None:
        self.assertEqual(set(CODES), self.known)

    def test_every_code_has_an_entry(self) -> None:
        self.assertGreater(len(self.known), 40)
        self.assertEqual(self.known - self.documented, set())
        self.assertEqual(self.documented - self.known - {"slug-rule"}, set())

    def test_every_code_is_planted_by_a_test(self) -> None:
        tests = "".join(p.read_text("utf-8") for p in (ROOT / "tests").rglob("*.py") if p != Path(__file__))
        self.assertEqual({code for code in self.known if f'"{code}"' not in tests and f"'{code}'" not in tests}, set())
