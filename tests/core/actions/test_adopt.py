"""Origins of copies made by hand: how alike texts are, and how often the right release is found."""

from __future__ import annotations

import random
import shutil
import tempfile
import unittest
from contextlib import redirect_stdout
from io import StringIO
from pathlib import Path

from protypon.cli.main import run
from protypon.core.actions.origins import Choice, KeptText, choose
from protypon.core.merge.likeness import ALIKE, Index, alike, lines_of
from protypon.core.model.nouns import Release
from protypon.core.store.git import hunks
from protypon.core.themes.bench import Bench
from tests.cases import few, seeds
from tests.core.check.test_oracle import Maker
from tests.support import theme

CHILDREN = 25
FILES = 6


class LikenessTest(unittest.TestCase):
    def test_a_measure(self) -> None:
        rng = random.Random(1)
        maker = Maker(rng)
        for _ in range(300):
            a, b = maker.text("a"), maker.text("b")
            edited = maker.edited(a, "x")
            self.assertEqual(alike(a, a), 1.0)
            self.assertEqual(alike(a, b), alike(b, a))
            if edited != a:
                self.assertLess(alike(a, edited), 1.0)
            self.assertGreater(alike(a, edited), alike(a, b))
            self.assertGreater(alike(a, a.replace(b"<p>", b"    <p>")), 0.95, "indentation is left aside")
            self.assertLess(alike(a, a.replace(b"<p>", b"    <p>")), 1.0)

    def test_boilerplate_makes_no_relatives(self) -> None:
        frame = b"<section>\n<div class='inner wrapper'>\n%s\n</div>\n</section>\n"
        texts = [frame % (b"<p>only here: %d</p>" % (n * 7919)) for n in range(30)]
        edited = texts[0] + b"<p>more of it</p>\n"
        self.assertGreater(alike(texts[0], texts[1]), ALIKE)
        found = Index([*texts[1:], edited]).alike(texts[0])
        self.assertLess(max(score for number, score in found.items() if number < 29), 0.2)
        self.assertGreater(found[29], ALIKE)

    def test_an_index_measures_what_comparing_one_by_one_does(self) -> None:
        rng = random.Random(3)
        lines = [f"<p>line {n} {'x' * (n % 40)}</p>\n".encode() for n in range(60)]
        for _ in range(60):
            texts = [b"".join(rng.choices(lines, k=rng.randint(1, 25))) for _ in range(rng.randint(1, 30))]
            text = b"".join(rng.choices(lines, k=rng.randint(1, 25)))
            seen = [line for each in texts for line in lines_of(each)]
            common = {line: seen.count(line) - 1 for line in set(seen)}
            wanted = {
                n: alike(text, other, common) for n, other in enumerate(texts) if lines_of(text) & lines_of(other)
            }
            found = Index(texts).alike(text)
            self.assertEqual(found.keys(), wanted.keys())
            for number, score in wanted.items():
                self.assertAlmostEqual(found[number], min(score, 0.99))


def kept(label: str) -> Release:
    return Release("parent", label, label, label, "", "", "", "")


class ChoiceTest(unittest.TestCase):
    def chosen(self, ours: bytes, texts: dict[str, bytes], present: str = "2.0") -> Choice:
        found = [KeptText(kept(label), text) for label, text in texts.items()]
        return choose(ours, found, kept(present), hunks)

    def test_a_release_that_is_not_the_right_one_is_said_to_be_a_guess(self) -> None:
        """300 children of four releases, with none to sixteen lines of their own: no origin is wrong and called likely."""
        right = total = 0
        for seed in seeds(300):
            rng = random.Random(seed)
            maker = Maker(rng)
            for number in range(FILES):
                texts = [maker.text(f"p{number}")]
                for release in range(3):
                    texts.append(texts[-1])
                    for _ in range(rng.choice([0, 1, 1, 2, 4])):
                        texts[-1] = maker.edited(texts[-1], f"release {release}")
                ours = origin = texts[rng.randrange(4)]
                for _ in range(rng.choice([0, 1, 2, 3, 8])):
                    ours = maker.edited(ours, "mine")
                if len(set(texts)) > 1:
                    found = self.chosen(ours, {f"{n}.0": text for n, text in enumerate(texts)}, f"{rng.randrange(4)}.0")
                    total += 1
                    right += found.candidate is not None and found.candidate.text == origin
                    if found.candidate is not None and found.candidate.text != origin:
                        self.assertEqual(found.sure, "guess", (seed, number))
        self.assertGreater(right / total, 0.9 if few() else 0.95)

    def test_of_texts_as_near_that_in_the_bench_wins_and_then_the_newest_before_it(self) -> None:
        a, b = b"<p>tide table</p>\n<p>north steps</p>\n", b"<p>opening hours</p>\n<p>lamp room</p>\n"
        same = {"1.0": a, "1.10": a, "1.9": a, "2.0": b, "3.0": a}
        for present, wanted in (("1.9", "1.9"), ("2.0", "1.10"), ("3.0", "3.0"), ("0.5", "1.0")):
            found = self.chosen(a, same, present)
            assert found.candidate is not None
            self.assertEqual((found.candidate.release.label, found.sure), (wanted, "exact"))
            self.assertEqual(found.later, present == "0.5")

    def test_what_is_like_none_has_no_origin_unless_there_is_but_one(self) -> None:
        texts = {"1.0": b"<p>tide table</p>\n" * 5, "2.0": b"<p>tide clock</p>\n" * 5}
        found = self.chosen(b"<ul>\n<li>of our own</li>\n</ul>\n", texts)
        self.assertIsNone(found.candidate)
        only = self.chosen(b"<ul>\n<li>of our own</li>\n</ul>\n", dict.fromkeys(texts, texts["1.0"]))
        assert only.candidate is not None
        self.assertEqual((only.candidate.release.label, only.sure), ("2.0", "guess"))

    def test_what_a_text_says_of_its_version_counts(self) -> None:
        body = "".join(f"<p>line {n}</p>\n" for n in range(12))
        texts = {r: f"{{# Visit, @version {r} #}}\n{body}<p>of {r}</p>\n".encode() for r in ("1.0", "2.0", "3.0")}
        ours = texts["1.0"].replace(b"<p>of 1.0</p>", b"<p>of 3.0</p>").replace(b"line 3", b"our own third line")
        found = self.chosen(ours, texts)
        assert found.candidate is not None
        self.assertEqual((found.candidate.release.label, found.sure), ("1.0", "likely"))


class OriginTest(unittest.TestCase):
    def test_the_release_that_a_child_was_made_from_is_found(self) -> None:
        """Children copied from one of three releases and edited: adopt names that release, or a text that is the same."""
        right = exact = total = 0
        for seed in range(CHILDREN):
            with tempfile.TemporaryDirectory(prefix="protypon-adopt-") as folder, redirect_stdout(StringIO()):
                root, rng = Path(folder), random.Random(seed)
                releases = self.releases(rng)
                self.lay_out(root, releases)
                source = rng.randrange(3)
                made = {
                    p: t if rng.random() < 0.3 else Maker(rng).edited(t, "mine") for p, t in releases[source].items()
                }
                child = root / "themes" / "child"
                for path, text in made.items():
                    (child / path).parent.mkdir(parents=True, exist_ok=True)
                    (child / path).write_bytes(text)
                (child / "quay.toml").write_text(theme("child", "parent"))
                self.assertEqual(run(["-C", str(root), "adopt", "child"]), 0)
                bench = Bench(root)
                for unit, record in bench.records(bench.themes["child"]).items():
                    total += 1
                    origin = next(n for n in range(3) if record.release == f"{n}.0")
                    same = releases[origin][unit.path] == releases[source][unit.path]
                    right += same
                    if record.sure == "exact":
                        exact += 1
                        self.assertTrue(same, (seed, unit))
        self.assertEqual(total, CHILDREN * FILES)
        self.assertGreater(exact, CHILDREN)
        self.assertGreater(right / total, 0.9 if few() else 0.95)

    def releases(self, rng: random.Random) -> list[dict[str, bytes]]:
        """Three releases, each with a few edits on the one before."""
        maker = Maker(rng)
        found = [{f"pages/p{n}.html": maker.text(f"p{n}") for n in range(FILES)}]
        for number in range(2):
            found.append(
                {p: maker.edited(t, f"release {number}") if rng.random() < 0.6 else t for p, t in found[-1].items()}
            )
        return found

    def lay_out(self, root: Path, releases: list[dict[str, bytes]]) -> None:
        for number, files in enumerate(releases):
            shutil.rmtree(root / "themes" / "parent", ignore_errors=True)
            for path, text in files.items():
                (root / "themes" / "parent" / path).parent.mkdir(parents=True, exist_ok=True)
                (root / "themes" / "parent" / path).write_bytes(text)
            (root / "themes" / "parent" / "quay.toml").write_text(theme("parent", release=f"{number}.0"))
            command = ["keep", str(root / "themes/parent")] if number else ["init", "--platform", "quayside"]
            self.assertEqual(run(["-C", str(root), *command]), 0)


if __name__ == "__main__":
    unittest.main()
