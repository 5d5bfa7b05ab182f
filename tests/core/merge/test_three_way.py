"""Merges against ``git merge-file``: wherever that comes out, ours does, with the same bytes."""

from __future__ import annotations

import random
import subprocess
import tempfile
import unittest
from importlib.resources import files
from pathlib import Path

from protypon.core.merge.three_way import Triple, conflict_places, line_end, merge_all
from protypon.core.store.git import hunks, merge_files
from tests.cases import TIMES

CASES = int(1500 * TIMES)


def git_merge(triple: Triple, folder: Path) -> tuple[bool, bytes]:
    for name, data in zip(("base", "ours", "theirs"), triple, strict=True):
        (folder / name).write_bytes(data)
    done = subprocess.run(["git", "merge-file", "-p", "ours", "base", "theirs"], cwd=folder, capture_output=True)
    return done.returncode == 0, done.stdout


def random_triple(rng: random.Random, lines: list[bytes]) -> Triple:
    base = [rng.choice(lines) for _ in range(rng.randint(0, 25))]

    def edited() -> bytes:
        result = list(base)
        for _ in range(rng.randint(0, 4)):
            at = rng.randint(0, len(result))
            way = rng.random()
            if way < 0.4:
                result.insert(at, rng.choice(lines))
            elif way < 0.7:
                del result[at : at + 1]
            else:
                result[at : at + 1] = [rng.choice(lines) + b"!"]
        return joined(result)

    def joined(parts: list[bytes]) -> bytes:
        return b"\n".join(parts) + (b"\n" if parts and rng.random() < 0.8 else b"")

    return joined(base), edited(), edited()


class MergeTest(unittest.TestCase):
    def assert_like_git(self, triples: list[Triple]) -> int:
        clean = 0
        with tempfile.TemporaryDirectory() as folder:
            for triple, result in zip(triples, merge_all(triples, merge_files), strict=True):
                fine, text = git_merge(triple, Path(folder))
                if fine:
                    clean += 1
                    self.assertEqual(result.text, text, triple)
                elif result.text is not None:
                    self.assertGreater(len({line_end(t) for t in triple}), 1, "cleaner than Git only by line ends")
                else:
                    self.assertTrue(conflict_places(*triple, hunks), triple)
        return clean

    def test_random_texts(self) -> None:
        rng = random.Random(7)
        alphabet = [bytes([c]) * rng.randint(1, 3) for c in b"abcdefgh"] + [
            b"<<<<<<< x",
            b"=======",
            b"",
            b"\xff\xfe",
            b"caf\xe9",
        ]
        clean = self.assert_like_git([random_triple(rng, alphabet) for _ in range(CASES)])
        self.assertGreater(clean, CASES // 3)
        self.assertLess(clean, CASES)

    def test_real_texts(self) -> None:
        """The demo's own releases, with lines of the base edited as a child would."""
        rng = random.Random(11)
        themes = files("protypon.demo").joinpath("themes")
        triples = []
        for path in (
            "parts/footer.html",
            "pages/exhibit.html",
            "styles/site.css",
            "parts/masthead.html",
            "pages/base.html",
        ):
            base, theirs = (
                Path(str(themes.joinpath(r, path))).read_bytes() for r in ("breakwater-1.4.0", "breakwater-2.0.0")
            )
            for _ in range(60):
                lines = base.splitlines(keepends=True)
                at = rng.randrange(len(lines))
                lines[at : at + rng.randint(0, 2)] = [b"  <!-- ours -->\n"] * rng.randint(0, 2)
                triples.append((base, b"".join(lines), theirs))
        self.assertGreater(self.assert_like_git(triples), 50)

    def test_line_ends_of_the_child_survive(self) -> None:
        base = b"".join(b"line %d\n" % n for n in range(12))
        theirs = base.replace(b"line 2\n", b"line two\n")
        ours = base.replace(b"line 9\n", b"our line\n").replace(b"\n", b"\r\n")
        result = merge_all([(base, ours, theirs)], merge_files)[0]
        self.assertEqual(result.text, ours.replace(b"line 2\r", b"line two\r"))

    def test_binary_is_never_mixed(self) -> None:
        triple = (b"a\0b\n" * 9, b"x" + b"a\0b\n" * 9, b"a\0b\n" * 9 + b"y")
        self.assertEqual(merge_all([triple], merge_files)[0].text, None)
        self.assertEqual(merge_all([triple], merge_files)[0].marked, None)
        taken_over = (triple[0], triple[0], triple[2])
        self.assertEqual(merge_all([taken_over], merge_files)[0].text, triple[2])


if __name__ == "__main__":
    unittest.main()
