"""Ledgers that are remembered by their contents: what comes from the cache is what reading them gives."""

from __future__ import annotations

import tempfile
import unittest

from protypon.core.files.caches import Cache
from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput
from protypon.core.model.nouns import Record, Unit, Written
from protypon.core.store import ledger


def text(count: int, more: str = "") -> str:
    """A ledger of so many records; ``more`` stands in the last of them."""
    records = {}
    for number in range(count):
        unit = Unit("template", f"parts/ü{number} it's.html")
        written = Written("grove.php", "f", 3, -4, [1, "x"], ("p 10", "q 20"), "function:g", ("file",))
        records[unit] = Record(
            unit, "copy", "pier", None, f"{number:040x}", "why\nso", number % 2 == 0, "guess", written
        )
    return ledger.write("", records) + more


class LedgerTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.cache = Cache(Folder(folder.name), "cache")
        self.addCleanup(self.cache.close)

    def kept(self) -> int:
        return len(self.cache.load_all(ledger.KIND))

    def test_a_long_ledger_comes_from_the_cache_as_it_was_read(self) -> None:
        data = text(ledger.LONG).encode()
        first = ledger.read_cached(data, "overrides.toml", self.cache)
        self.assertEqual(first, ledger.read(data, "overrides.toml"))
        self.assertEqual(self.kept(), 1)
        again = ledger.read_cached(data, "overrides.toml", self.cache)
        self.assertEqual((list(again), again), (list(first), first))

    def test_a_short_one_is_read_each_time(self) -> None:
        ledger.read_cached(text(3).encode(), "overrides.toml", self.cache)
        self.assertEqual(self.kept(), 0)

    def test_what_would_come_back_as_something_else_is_not_kept(self) -> None:
        data = text(ledger.LONG).replace('value = [1, "x"]', "value = 2026-01-02", 1).encode()
        self.assertIn(b"2026-01-02", data)
        for _ in range(2):
            found = ledger.read_cached(data, "overrides.toml", self.cache)
            self.assertEqual(found, ledger.read(data, "overrides.toml"))
        self.assertEqual(self.kept(), 0)

    def test_nonsense_is_told_each_time_and_a_row_of_nonsense_is_none(self) -> None:
        broken = text(ledger.LONG, "unit = 3\n").encode()
        for _ in range(2):
            self.assertRaises(BadInput, ledger.read_cached, broken, "overrides.toml", self.cache)
        data = text(ledger.LONG).encode()
        ledger.read_cached(data, "overrides.toml", self.cache)
        key = next(iter(self.cache.load_all(ledger.KIND)))
        for row in (b"", b"\x91\xc0", b"\x93\x01\x02\x03", b"nonsense"):
            self.cache.save(ledger.KIND, {key: row})
            self.assertEqual(
                ledger.read_cached(data, "overrides.toml", self.cache), ledger.read(data, "overrides.toml")
            )


if __name__ == "__main__":
    unittest.main()
