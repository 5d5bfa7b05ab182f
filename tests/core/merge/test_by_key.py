"""Structured texts merged key by key, against tables merged as tables."""

from __future__ import annotations

import copy
import json
import random
import unittest
from itertools import pairwise
from typing import Any

from protypon.core.languages.data.keys import leaves_of
from protypon.core.languages.registry import language
from protypon.core.merge import three_way
from protypon.core.merge.by_key import is_merge, merge_keys
from protypon.core.store.git import merge_files
from tests.cases import few, seeds
from tests.core.languages.test_keys import SYNTAXES, put, table, value

CASES = 150


def edited(rng: random.Random, data: dict[str, Any], name: str) -> dict[str, Any]:
    """A table with some keys changed, taken out and put in."""
    found = copy.deepcopy(data)
    for _ in range(rng.randint(1, 3)):
        keys = list(leaves_of(found) or {})
        if not keys:
            break
        key, kind = rng.choice(keys), rng.random()
        new: Any = value(rng) if name != "ini" else str(rng.randint(1, 99))
        if kind < 0.6:
            put(found, key, new)
        elif kind < 0.8 and len(keys) > 2:
            from protypon.core.languages.data.keys import GONE

            put(found, key, GONE)
        else:
            put(found, (*key[:-1], rng.choice(["new", "more"])), new)
    return found


def oracle(base: dict[str, Any], ours: dict[str, Any], theirs: dict[str, Any]) -> dict[str, Any] | None:
    """The merge of three tables, leaf by leaf; None where both change one differently, or one stands in the other's way."""
    rows = [{k: json.dumps(v) for k, v in (leaves_of(t) or {}).items()} for t in (base, ours, theirs)]
    b, o, t = rows
    result: dict[tuple[str, ...], str] = {}
    for key in {*b, *o, *t}:
        sides = (b.get(key), o.get(key), t.get(key))
        if sides[1] != sides[0] != sides[2] and sides[1] != sides[2]:
            return None
        chosen = sides[2] if sides[1] == sides[0] else sides[1]
        if chosen is not None:
            result[key] = chosen
    keys = sorted(result)
    if any(b[: len(a)] == a for a, b in pairwise(keys)):
        return None
    found: dict[str, Any] = {}
    for key, text in result.items():
        put(found, key, json.loads(text))
    return found


class ByKeyTest(unittest.TestCase):
    def test_what_is_merged_is_what_tables_merge_to(self) -> None:
        for name, (write, read) in SYNTAXES.items():
            counts = {"saved": 0, "lines": 0, "kept": 0}
            module: Any = language(name)
            for seed in seeds(CASES):
                rng = random.Random(f"merge {name} {seed}")
                base = read(write(rng, table(rng))) or {}
                ours, theirs = edited(rng, base, name), edited(rng, base, name)
                style = rng.random()
                triple = tuple(write(random.Random(f"{style}"), data).encode() for data in (base, ours, theirs))
                if any(read(text.decode()) != data for text, data in zip(triple, (base, ours, theirs), strict=True)):
                    continue  # the writer of this test can't say such a table
                with self.subTest(syntax=name, seed=seed):
                    self._one(name, triple, oracle(base, ours, theirs), counts)  # type: ignore[arg-type]
                    by_lines = three_way.merge_all([triple], merge_files)[0].text  # type: ignore[list-item]
                    if by_lines is not None and module.leaves(by_lines.decode()) is not None:
                        wanted = oracle(base, ours, theirs)
                        same = wanted is not None and json.dumps(read(by_lines.decode()), sort_keys=True) == json.dumps(
                            wanted, sort_keys=True
                        )
                        self.assertFalse(
                            is_merge(by_lines, triple, module) and not same and wanted is not None, by_lines
                        )  # type: ignore[arg-type]
            if not few():
                self.assertGreater(counts["saved"], CASES * 0.25, (name, counts))

    def _one(self, name: str, triple: three_way.Triple, wanted: dict[str, Any] | None, counts: dict[str, int]) -> None:
        module: Any = language(name)
        found = merge_keys(triple, module)
        if found is None:
            counts["kept"] += 1
            return
        self.assertIsNotNone(wanted, found)
        read = SYNTAXES[name][1]
        self.assertEqual(json.dumps(read(found.decode()), sort_keys=True), json.dumps(wanted, sort_keys=True))
        counts["saved"] += 1
        self.assertTrue(is_merge(found, triple, module))

    def test_comments_and_order_of_the_child_stay(self) -> None:
        base = b"# hall\na: 1\nb: 2\nc: 3\n"
        ours = b"# ours\nc: 3\na: 1\nb: 5  # five fit\n"
        theirs = b"# hall\na: 9\nb: 2\nc: 3\nd: new\n"
        module: Any = language("yaml")
        self.assertEqual(merge_keys((base, ours, theirs), module), b"# ours\nc: 3\na: 9\nb: 5  # five fit\nd: new\n")

    def test_a_key_that_both_add_by_lines_is_no_merge(self) -> None:
        module: Any = language("json")
        base, ours, theirs = b'{"a": 1}\n', b'{"x": 1,\n"a": 1}\n', b'{"a": 1,\n"x": 2}\n'
        self.assertFalse(is_merge(b'{"x": 1,\n"a": 1,\n"x": 2}\n', (base, ours, theirs), module))
        self.assertIsNone(merge_keys((base, ours, theirs), module))


if __name__ == "__main__":
    unittest.main()
