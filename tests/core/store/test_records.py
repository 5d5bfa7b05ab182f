"""Ledgers and manifests: written and read again, with a person's comments left where they are."""

from __future__ import annotations

import configparser
import json
import random
import tomllib
import unittest

from protypon.core.files.structured import NotRead
from protypon.core.model.errors import BadInput
from protypon.core.model.nouns import Record, Unit
from protypon.core.platform.manifests.registry import syntax, value_at
from protypon.core.store import ledger

KEYS = ["slug", "title", "parent", "release", "x y", "é"]


def record(rng: random.Random) -> Record:
    path = "parts/" + "".join(rng.choices("ab/#% é'\"", k=rng.randint(1, 9))).strip("/").replace("//", "/")
    unit = Unit(rng.choice(["template", "style"]), path.replace("/../", "/"))
    release = rng.choice([None, "1.0", "2.0 beta"])
    why = rng.choice(["", 'we "need" it', "two\nlines"])
    return Record(
        unit,
        rng.choice(ledger.WAYS),
        "pier",
        release,
        f"{rng.getrandbits(160):040x}",
        why,
        rng.random() < 0.2,
        rng.choice(["", "exact"]),
    )


class LedgerTest(unittest.TestCase):
    def test_what_is_written_is_read(self) -> None:
        rng = random.Random(6)
        text = ""
        records: dict[Unit, Record] = {}
        for _ in range(60):
            put = [record(rng) for _ in range(rng.randint(0, 3))]
            drop = rng.sample(sorted(records), min(len(records), rng.randint(0, 2)))
            records = ledger.change_records(records, put, drop)
            text = ledger.write(text, records)
            self.assertEqual(ledger.read(text.encode(), "overrides.toml"), records)

    def test_comments_keys_and_order_of_a_person_stay(self) -> None:
        rng = random.Random(2)
        first, second, third = (record(rng) for _ in range(3))
        text = ledger.write("", {r.unit: r for r in (first, second)})
        mine = text.replace("[[override]]", "# mine, above\n[[override]]", 1).replace(
            'from = "pier"', 'from = "pier" # beside\nseen_by = "me"', 1
        )
        after = ledger.write(mine, {r.unit: r for r in (first, second, third)})
        for line in (
            "# mine, above\n[[override]]",
            'from = "pier" # beside',
            'seen_by = "me"',
            ledger.HEAD.splitlines()[0],
        ):
            self.assertIn(line, after)
        self.assertEqual(list(ledger.read(after.encode(), "x")), [first.unit, second.unit, third.unit])
        self.assertNotIn("# mine", ledger.write(after, {second.unit: second}).split("[[override]]")[1])

    def test_noise_is_refused_with_one_line(self) -> None:
        rng = random.Random(3)
        good = ledger.write("", {r.unit: r for r in (record(rng) for _ in range(3))}).encode()
        refused = 0
        for _ in range(600):
            data = bytearray(good)
            for _ in range(rng.randint(1, 4)):
                at = rng.randrange(len(data))
                data[at : at + rng.randint(0, 3)] = rng.randbytes(rng.randint(0, 3))
            try:
                ledger.read(bytes(data), "overrides.toml")
            except BadInput as error:
                refused += 1
                self.assertNotIn("\n", error.message)
        self.assertGreater(refused, 200)


class ManifestTest(unittest.TestCase):
    def test_set_fields_are_read_back_in_every_syntax(self) -> None:
        rng = random.Random(5)
        for name, load in (("toml", tomllib.loads), ("json", json.loads), ("ini", self.ini)):
            text = ""
            wanted: dict[tuple[str, str], str] = {}
            for _ in range(150):
                place = (rng.choice(["theme", "options"]), rng.choice(KEYS[:4]))
                value = rng.choice([None, "a", "b = c", "é, d", "1.0"])
                wanted.pop(place, None)
                if value is not None:
                    wanted[place] = value
                text = syntax(name).write(text, {place: value})
                found = {(s, k): v for s, table in load(text).items() for k, v in table.items()}
                self.assertEqual(found, wanted, text)
                self.assertEqual(value_at(syntax(name).read(text), ".".join(place)), value)

    @staticmethod
    def ini(text: str) -> dict[str, dict[str, str]]:
        parser = configparser.RawConfigParser()
        parser.read_string(text)
        return {section: dict(parser.items(section)) for section in parser.sections()}

    def test_comments_stay(self) -> None:
        toml = '# top\n[theme]  # here\nslug = "a" # why\n\n[other]\nx = 1\n'
        self.assertEqual(syntax("toml").write(toml, {("theme", "slug"): "b"}), toml.replace('"a"', '"b"'))

    def test_noise_is_refused_with_its_place(self) -> None:
        cases = {"toml": "a = 1\nb = = 2\n", "json": '{"a": 1,\n "b": }', "ini": "[a]\nx = 1\nnonsense\n"}
        for name, text in cases.items():
            with self.assertRaises(NotRead) as caught:
                syntax(name).read(text)
            self.assertIsNotNone(caught.exception.line)
        for name, text in {
            "toml": f"a = 1\nb = {'9' * 5000}\n",
            "json": f'{{"a": 1,\n{" " * 3}"b": {"9" * 5000}}}',
        }.items():
            with self.assertRaisesRegex(NotRead, "a number of more than 4,300 digits") as caught:
                syntax(name).read(text)
            self.assertEqual((caught.exception.line, caught.exception.column), (2, 5 if name == "toml" else 9))
        rng = random.Random(1)
        for name in cases:
            for _ in range(300):
                text = "".join(rng.choices('[]{}=":,\n #ab1\\', k=rng.randint(0, 30)))
                try:
                    self.assertIsInstance(syntax(name).read(text), dict)
                except NotRead as error:
                    self.assertTrue(error.message)


if __name__ == "__main__":
    unittest.main()
