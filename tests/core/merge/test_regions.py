"""What two sides changed of one text: from the rows that are shown, each of the three texts can be had again."""

from __future__ import annotations

import random
import unittest

from protypon.core.merge.regions import Region, regions
from protypon.core.store.git import hunks
from tests.cases import few, seeds

WORDS = ["<p>tide</p>", "<ul>", "</ul>", "<li>low</li>", "<li>high</li>", "", "{{ text }}"]


def rebuilt(base: list[str], found: list[Region], who: str) -> list[str]:
    """The text of one side: the base, with what the rows say of that side."""
    lines, at = [], 0
    for region in found:
        lines += base[at : max(region.first - 1, at)]
        at = region.last
        for row in region.rows:
            mine = row.who in (who, "both")
            if row.sign == "+":
                lines += [row.text] * mine
            elif not (row.sign == "-" and mine):
                lines.append(row.text)
    return lines + base[at:]


def edited(seed: random.Random, text: list[str]) -> list[str]:
    lines = list(text)
    for _ in range(seed.randint(0, 4)):
        at = seed.randint(0, len(lines))
        lines[at : at + seed.randint(0, 3)] = seed.choices(WORDS, k=seed.randint(0, 2))
    return lines


class RegionsTest(unittest.TestCase):
    def test_what_is_shown_says_all_three_texts(self) -> None:
        seed, meetings = random.Random(11), set()
        for _ in seeds(600):
            base = seed.choices(WORDS, k=seed.randint(0, 40))
            theirs, ours = edited(seed, base), edited(seed, base)
            if seed.random() < 0.2:
                ours = edited(seed, theirs)
            texts = ["".join(f"{line}\n" for line in text).encode() for text in (base, ours, theirs)]
            found = regions(*texts, hunks)
            self.assertEqual(rebuilt(base, found, "parent"), theirs)
            self.assertEqual(rebuilt(base, found, "child"), ours)
            for region in found:
                shown = [row.text for row in region.rows if row.base is not None]
                self.assertEqual(shown, base[region.first - 1 : region.last] if region.last else [])
                meetings.add(region.meets)
        if not few():
            self.assertEqual(meetings, {"", "same", "apart", "conflict"})

    def test_a_line_without_an_end_and_ends_of_both_kinds(self) -> None:
        (region,) = regions(b"a\r\nb", b"a\r\nb\r\nc\r\n", b"a\r\nx", hunks)
        self.assertEqual(
            [(row.who, row.sign, row.text) for row in region.rows if row.sign == "+" and row.who == "parent"],
            [("parent", "+", "x")],
        )
        self.assertEqual(region.meets, "conflict")


if __name__ == "__main__":
    unittest.main()
