"""Taking over a child that somebody else made by hand."""

from __future__ import annotations

import re
import unittest
from typing import ClassVar

from tests.support import BenchCase, state

LINES = [f"<p>line {n} of the tide table</p>\n" for n in range(10)]


class AdoptTest(BenchCase):
    types_steps = True

    RELEASES: ClassVar[tuple[str, ...]] = ("1.0", "2.0", "3.0")

    def setUp(self) -> None:
        super().setUp()
        self.texts = {}
        for number, release in enumerate(self.RELEASES):
            text = "".join([*LINES[: 3 + number * 2], f"<p>only in {release}</p>\n", *LINES[3 + number * 2 :]])
            self.texts[release] = text
            folder = self.parent(self.files(text), release)
            if number == 0:
                self.ok("init", "--platform", "quayside")
            else:
                self.ok("keep", str(folder))
        self.parent(self.files(self.texts["2.0"]), "2.0")
        self.ok("new", "gull", "--parent", "pier")

    def files(self, text: str) -> dict[str, str | bytes]:
        page = '{% include "parts/tides.html" %}{% include "parts/same.html" %}\n'
        return {"pages/home.html": page, "parts/tides.html": text, "parts/same.html": "<p>same</p>\n"}

    def origin(self, unit: str = "template:parts/tides.html") -> tuple[str, str]:
        row = self.row("gull", unit)
        return row["taken"], row.get("sure", "")

    def test_the_child_may_be_left_out_and_a_dry_run_writes_nothing(self) -> None:
        self.put("themes/gull/parts/tides.html", self.texts["1.0"])
        before = state(self.bench, ".protypon")
        said = self.ok("adopt", "--dry-run")
        self.assertIn("gull: 1 override would be adopted", said)
        self.assertIn("next: protypon adopt  # writes", said)
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.ok("adopt")
        self.assertEqual(self.origin(), ("1.0", "exact"))

    def test_the_release_in_the_bench_wins_and_a_later_one_is_said(self) -> None:
        self.put("themes/gull/parts/same.html", "<p>same</p>\n")
        self.put("themes/gull/parts/tides.html", self.texts["3.0"])
        said = self.ok("adopt", "gull")
        self.assertEqual(self.origin("template:parts/same.html"), ("2.0", "exact"))
        self.assertEqual(self.origin(), ("3.0", "exact"))
        self.assertIn("from pier 3.0, which is later than the release in this bench", said)

    def test_a_guess_is_said_wherever_a_verdict_rests_on_it(self) -> None:
        self.put("themes/gull/parts/tides.html", "".join(LINES))
        self.assertIn("guess", self.ok("adopt", "gull"))
        self.assertEqual(self.origin(), ("2.0", "guess"))
        self.assertTrue(self.row("gull", "template:parts/tides.html")["guess"])
        said = self.ok("check")
        self.assertIn("template:parts/tides.html*\n", said)
        self.assertIn("* from which release it was taken is a guess", said)
        later = str(self.parent(self.files(self.texts["3.0"]), "3.0", root=self.root / "new"))
        said = " ".join(self.ok("check", "--against", later, status=1).split())
        self.assertIn("that it was taken from pier 2.0 is a guess", said)

    def test_what_is_like_none_waits_until_a_person_says_it(self) -> None:
        self.put("themes/gull/parts/tides.html", "<ul>\n<li>low water</li>\n</ul>\n")
        said = self.ok("adopt", "gull")
        self.assertRegex(said, r"unknown +template:parts/tides.html")
        step = re.search(r"if so: protypon (adopt .*) 2.0\n", said)
        assert step is not None
        self.assertEqual(self.verdicts("gull"), {"template:parts/tides.html": "unlisted"})
        self.ok(*step[1].split(), "1.0")
        self.assertEqual(self.origin(), ("1.0", ""))
        self.assertIn(
            "no release 9.9", self.refused("adopt", "gull", "template:parts/tides.html", "--release", "9.9", status=2)
        )
        self.ok("adopt", "gull", "template:parts/tides.html", "--release", "3.0")
        self.assertEqual(self.origin(), ("3.0", ""))


if __name__ == "__main__":
    unittest.main()
