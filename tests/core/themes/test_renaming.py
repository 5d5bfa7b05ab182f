"""Names in their spellings: found as whole words only, and written anew so that the old one can be had back."""

from __future__ import annotations

import random
import re
import unittest

from protypon.core.themes.renaming.occurrences import NameSearch, Surroundings, apply_occurrences
from protypon.core.themes.renaming.spelling import Spelling, words_of

SLUGS = ["gull", "lantern-rock", "old_pier_two", "sea", "west-bank", "a1", "x-ray"]


def spelled(words: tuple[str, ...], way: str) -> str:
    joined = {
        "kebab": "-".join(words), "snake": "_".join(words), "upper": "_".join(words).upper(), "pascal": "".join(w.capitalize() for w in words),
        "camel": words[0] + "".join(w.capitalize() for w in words[1:]),
    }  # fmt: skip
    return joined[way]


def around(name: str, way: str, rng: random.Random) -> str:
    """A longer name that begins with another one, in its way."""
    more = rng.choice(["hours", "top", "line"])
    return {"kebab": f"{name}-{more}", "snake": f"{name}_{more}", "upper": f"{name}_{more.upper()}"}.get(
        way, name + more.capitalize()
    )


class SpellingTest(unittest.TestCase):
    def test_there_and_back(self) -> None:
        for seed in range(400):
            rng = random.Random(seed)
            old, new = rng.choice(SLUGS), "zephyr-quux"
            ways = [rng.choice(["kebab", "snake", "upper", "pascal", "camel"]) for _ in range(6)]
            names = [around(spelled(words_of(old), way), way, rng) for way in ways]
            text = " ".join(names)
            there = self.renamed(Spelling(old, new), text)
            self.assertEqual(list(Spelling(old, "n").places(there)), [], text)
            self.assertEqual(self.renamed(Spelling(new, old), there), text, there)
            self.assertEqual([around_ for around_ in there.split() if "quux" in around_.lower()], there.split())

    def renamed(self, spelling: Spelling, text: str) -> str:
        for place in reversed(list(spelling.places(text))):
            text = text[: place.begin] + spelling.anew(text, place, "string") + text[place.end :]
        return text

    def test_never_inside_another_word(self) -> None:
        for seed in range(400):
            rng = random.Random(f"inside {seed}")
            old = rng.choice(["sea", "gull", "x-ray"])
            name = spelled(words_of(old), rng.choice(["kebab", "snake"]))
            text = rng.choice("abcé") + name + rng.choice(["", "x", "7"])
            self.assertEqual(list(Spelling(old, "n").places(text.encode().decode("latin-1"))), [], text)
            self.assertEqual(list(Spelling(old, "n").places(name + rng.choice("abc7"))), [], name)

    def test_addresses_and_makers_stay(self) -> None:
        data = b"/* pier at https://pier.example/pier, mail a@pier.example, by Pier Works; pier_line */ function pier_line() {}\n"
        search = NameSearch("pier", "quay", ("Pier", "Quay"), Surroundings(makers=("Pier Works",)))
        made = apply_occurrences(b"<?php " + data, search.in_text("a.php", "php", b"<?php " + data)).decode()
        for stays in ("https://pier.example/pier", "a@pier.example", "Pier Works", "/* pier at"):
            self.assertIn(stays, made)
        self.assertEqual(len(re.findall("quay_line", made)), 2)

    def test_bytes_of_any_encoding_stay(self) -> None:
        for seed in range(200):
            rng = random.Random(f"bytes {seed}")
            noise = bytes(rng.randrange(256) for _ in range(60)).replace(b"\0", b" ")
            data = noise + b" pier_line " + noise
            found = NameSearch("pier", "quay", ("Pier", "Quay"), Surroundings()).in_text("a.bin", "", data)
            made = apply_occurrences(data, [each._replace(sure=True) for each in found])
            self.assertEqual(made.replace(b"quay", b"pier"), data)
