"""Merges of code by unit, against what was done to each side, and against ``git merge-file``."""

from __future__ import annotations

import ast
import os
import random
import re
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

from protypon.core.languages.registry import language
from protypon.core.languages.writers import writer
from protypon.core.merge import by_unit as unit_merge
from protypon.core.merge.three_way import Merged, Triple, merge_all
from protypon.core.store.git import merge_files
from tests.cases import TIMES
from tests.core.merge.test_three_way import git_merge

CASES = int(300 * TIMES)
Model = list[tuple[str, str]]
"""Units in order: name and body."""


def written(model: Model, php: bool) -> bytes:
    parts = ["<?php" if php else '"""Doc."""']
    for name, body in model:
        if name.startswith("call"):
            point, _, callback = name[5:].partition(" ")
            end = ";" if php else ""
            parts.append(f"{'tie' if php else 'dock.tie'}('{point}', '{callback}', {body}){end}")
        elif php:
            parts.append(
                f"// {name}\nfunction {name}($v) {{\n    $v = 1;\n    $w = 2;\n    $x = {body};\n    return $v;\n}}"
            )
        else:
            parts.append(f"# {name}\ndef {name}(v):\n    v = 1\n    w = 2\n    x = {body}\n    return v\n")
    return ("\n\n".join(parts) + "\n").encode()


def edited(rng: random.Random, model: Model, only: set[str], side: str) -> tuple[Model, dict[str, str | None]]:
    """A side: units of ``only`` changed or taken away, others added; and what was done."""
    result, done = list(model), dict[str, "str | None"]()
    for name in sorted(only):
        at = next(n for n, (other, _) in enumerate(result) if other == name)
        if rng.random() < 0.3:
            del result[at]
            done[name] = None
        else:
            body = str(rng.randint(100, 999))
            result[at] = (name, body)
            done[name] = body
    for _ in range(rng.randint(0, 3)):
        name = rng.choice(
            [f"{side}_{rng.randint(0, 9)}", f"call gate {side}_{rng.randint(0, 9)}", f"both_{rng.randint(0, 1)}"]
        )
        if name not in {n for n, _ in result} | done.keys():
            body = "7"
            result.insert(rng.randint(0, len(result)), (name, body))
            done[name] = body
    return result, done


def units_of(text: bytes, php: bool) -> dict[str, list[str]]:
    """What a file has, read by a plain search: name -> the bodies."""
    found: dict[str, list[str]] = {}
    for line in re.split(rb"(?m)^(?=function |def |tie|dock\.tie)", text)[1:]:
        head = line.decode()
        called = re.match(r"(?:dock\.)?tie\('(\w+)', '(\w+)', (\d+)\)", head)
        if called:
            found.setdefault(f"call {called[1]} {called[2]}", []).append(called[3])
        else:
            name = re.match(r"(?:function|def) (\w+)", head)
            body = re.search(r"x = (\d+)", head)
            assert name and body, head
            found.setdefault(name[1], []).append(body[1])
    return found


def merged_by_unit(triple: Triple, name: str) -> Merged:
    by_lines = merge_all([triple], merge_files)[0]

    def parses(data: bytes) -> bool:
        return not language(name).problems(data.decode(), "")

    return unit_merge.merge(triple, by_lines, writer(name).split, parses, merge_files)


class UnitMergeTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="protypon-units-"))
        self.addCleanup(shutil.rmtree, self.folder)

    def triples(
        self, php: bool, overlapping: bool
    ) -> list[tuple[Triple, dict[str, str | None], dict[str, str | None]]]:
        rng = random.Random(f"{php} {overlapping}")
        found = []
        for _ in range(CASES):
            names = [f"f{n}" for n in range(rng.randint(2, 7))] + [f"call p{n} f{n}" for n in range(rng.randint(0, 3))]
            rng.shuffle(names)
            model = [(name, str(rng.randint(0, 99))) for name in names]
            picked = rng.sample(names, rng.randint(0, len(names)))
            half = rng.randint(0, len(picked))
            mine, yours = set(picked[:half]), set(picked[half:])
            if overlapping:
                yours |= set(rng.sample(names, 1))
            ours, did = edited(rng, model, mine, "o")
            theirs, they = edited(rng, model, yours, "t")
            found.append(((written(model, php), written(ours, php), written(theirs, php)), did, they))
        return found

    def expected(
        self, triple: Triple, php: bool, did: dict[str, str | None], they: dict[str, str | None]
    ) -> dict[str, list[str]]:
        found = units_of(triple[0], php)
        for name, body in [*did.items(), *they.items()]:
            if body is None:
                found.pop(name, None)
            else:
                found[name] = [body]
        return found

    def test_sides_that_change_different_units_need_nobody(self) -> None:
        saved = 0
        for php in (False, True):
            for triple, did, they in self.triples(php, False):
                with self.subTest(php=php, triple=triple):
                    made = merged_by_unit(triple, "php" if php else "python")
                    assert made.text is not None
                    self.assertEqual(units_of(made.text, php), self.expected(triple, php, did, they))
                    saved += not git_merge(triple, self.folder)[0]
        if os.environ.get("PROTYPON_FIGURES"):
            print("conflicts of git merge-file that were none:", saved, "of", 2 * CASES)
        self.assertGreater(saved, CASES / 10)

    def test_never_more_conflicts_than_git_and_none_lost_or_doubled(self) -> None:
        conflicts = 0
        for php in (False, True):
            for triple, did, they in self.triples(php, True):
                with self.subTest(php=php, triple=triple):
                    made = merged_by_unit(triple, "php" if php else "python")
                    fine, text = git_merge(triple, self.folder)
                    both = did.keys() & they.keys()
                    contested = {name for name in both if did[name] != they[name]}
                    right = {n: b for n, b in self.expected(triple, php, did, they).items() if n not in contested}
                    if made.text is None:
                        conflicts += 1
                        there = units_of(text, php) if fine else {}
                        self.assertFalse(
                            fine and {n: b for n, b in there.items() if n not in contested} == right,
                            "Git merges this rightly",
                        )
                    else:
                        self.assertFalse(contested, "both sides changed one line")
                        self.assertEqual(units_of(made.text, php), right)
        self.assertGreater(conflicts, CASES / 10)

    def test_one_function_changed_on_both_sides_is_merged_by_its_lines(self) -> None:
        base = b"<?php\nfunction a($v) {\n    $a = 1;\n    $b = 2;\n    $c = 3;\n    return $v;\n}\n"
        ours = base.replace(b"$a = 1", b"$a = 5").replace(b"}\n", b"}\n\nfunction mine() {\n}\n")
        theirs = base.replace(b"$c = 3", b"$c = 8").replace(b"}\n", b"}\n\nfunction theirs() {\n}\n")
        made = merged_by_unit((base, ours, theirs), "php").text
        assert made is not None
        for piece in (b"$a = 5", b"$c = 8", b"function mine", b"function theirs"):
            self.assertEqual(made.count(piece), 1)
        self.assertFalse(git_merge((base, ours, theirs), self.folder)[0])

    def test_methods_of_one_class(self) -> None:
        base = b"class Crew:\n    def haul(self):\n        return 1\n"
        ours = base + b"\n    def row(self):\n        return 2\n"
        theirs = base + b"\n    def steer(self):\n        return 3\n"
        made = merged_by_unit((base, ours, theirs), "python").text
        assert made is not None
        crew = ast.parse(made).body[0]
        assert isinstance(crew, ast.ClassDef)
        self.assertEqual(sorted(f.name for f in crew.body if isinstance(f, ast.FunctionDef)), ["haul", "row", "steer"])

    def test_a_unit_that_both_sides_add_stands_once(self) -> None:
        """Git merges it without a word, twice: the site would stop."""
        base = b"<?php\nfunction a() {\n}\n" + b"\n".join(b"$x%d = 1;" % n for n in range(9)) + b"\nfunction z() {\n}\n"
        new = b"function both() {\n    return 1;\n}\n"
        ours, theirs = base.replace(b"<?php\n", b"<?php\n" + new), base + new
        fine, text = git_merge((base, ours, theirs), self.folder)
        self.assertTrue(fine and text.count(b"function both") == 2)
        made = merged_by_unit((base, ours, theirs), "php").text
        assert made is not None
        self.assertEqual(made.count(b"function both"), 1)

    @unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
    def test_results_parse_where_the_interpreter_says_so(self) -> None:
        for triple, _, _ in self.triples(True, True)[:60]:
            made = merged_by_unit(triple, "php").text
            if made is not None:
                (self.folder / "x.php").write_bytes(made)
                done = subprocess.run(["php", "-l", self.folder / "x.php"], capture_output=True)
                self.assertEqual(done.returncode, 0, made)


if __name__ == "__main__":
    unittest.main()
