"""Claims: small texts that are kept, read back and compared fact by fact."""

from __future__ import annotations

import random
import unittest

from protypon.core.units import claims


class ClaimTest(unittest.TestCase):
    def test_what_is_written_is_read_back(self) -> None:
        rng = random.Random(3)
        alphabet = "aZ09 _-#'\"\\\n\t\x7f\u20ac\u00e9=[]{}"
        for _ in range(500):
            text = "".join(rng.choices(alphabet, k=rng.randint(0, 12)))
            claim = {
                "point": text, "order": rng.randint(-99, 99), "passes": rng.random() < 0.5, "fired": [text, "b"], "share": 0.25,
                "left_out": None,
            }  # fmt: skip
            back = claims.read(claims.claim_text(claim))
            self.assertEqual(back, {k: v for k, v in claim.items() if v is not None})
            self.assertEqual(claims.claim_text(back), claims.claim_text(claim))

    def test_what_is_no_claim_says_nothing(self) -> None:
        for data in (None, b"", b"\xff\xfe", b"= no", b"a = 1\na = 2\n"):
            self.assertEqual(claims.read(data), {})

    def test_differences_are_told_fact_by_fact(self) -> None:
        before = {"order": 20, "fired": ["a.html"], "gives": 2}
        after = {"order": 30, "fired": ["a.html", "b.html"], "when": "docked"}
        self.assertEqual(
            claims.differences(before, after),
            [
                "order is 30, was 20",
                "where it is fired is a.html, b.html, was a.html",
                "the number of arguments is not said, was 2",
                "the moment is docked, was not said",
            ],
        )
        self.assertEqual(claims.differences(before, dict(before)), [])


if __name__ == "__main__":
    unittest.main()
