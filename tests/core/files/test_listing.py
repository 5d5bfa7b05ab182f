"""Listings: a look through the cache sees what a fresh look sees, whatever was done to the folder between the two."""

from __future__ import annotations

import os
import random
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from protypon.core.files.caches import Cache
from protypon.core.files.folder import Folder
from protypon.core.files.listing import blob_digest, look
from protypon.core.model.paths import FOLDER, quote_path, unquote_path
from tests.support import digest

ROUNDS = 120


class ListingTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="protypon-listing-")
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "theme"
        self.folder.mkdir()
        self.cache = Cache(Folder(holder.name), "cache").row("listing", "theme")

    def test_a_file_system_that_gives_less_than_is_asked_for(self) -> None:
        """What is read is whole, however little comes at a time (POSIX, read)."""
        rng = random.Random(20271)
        read = os.read
        for size in (0, 1, 700, 200_000):
            data = rng.randbytes(size)
            (self.folder / "a.bin").write_bytes(data)
            with mock.patch("os.read", lambda handle, most: read(handle, max(1, min(most, 1 + most // 3)))):
                self.assertEqual(Folder(str(self.folder)).read("a.bin"), data)
                self.assertEqual(look(self.folder).digests, [digest(data)])

    def change(self, rng: random.Random) -> None:
        """Do one thing that a person, an editor or an installer does."""
        files = [p for p in self.folder.rglob("*") if p.is_file() or p.is_symlink()]
        way = rng.choice(
            ["new", "new", "same size", "touch", "remove", "mode", "rename", "folder", "link", "back in time"]
        )
        if way == "new" or not files:
            path = self.folder / rng.choice("abc") / f"{rng.randint(0, 9)}.html"
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(rng.randbytes(rng.randint(0, 40)))
            return
        path = rng.choice(files)
        if path.is_symlink():
            path.unlink()
        elif way == "same size":
            path.write_bytes(rng.randbytes(path.stat().st_size))
        elif way == "touch":
            path.touch()
        elif way == "remove":
            path.unlink()
        elif way == "mode":
            path.chmod(rng.choice([0o644, 0o755]))
        elif way == "rename":
            path.rename(path.with_name(f"r{rng.randint(0, 5)}.html"))
        elif way == "folder":
            (self.folder / f"empty{rng.randint(0, 3)}").mkdir(exist_ok=True)
        elif way == "link":
            path.unlink()
            path.symlink_to("elsewhere.html")
        else:
            before = path.stat()
            path.write_bytes(rng.randbytes(before.st_size))
            os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))

    def test_a_cached_look_equals_a_fresh_one(self) -> None:
        rng = random.Random(4)
        for number in range(ROUNDS):
            for _ in range(rng.randint(0, 3)):
                self.change(rng)
            cached, fresh = look(self.folder, self.cache), look(self.folder)
            self.assertEqual(cached.entries, fresh.entries, number)
            self.assertEqual(cached.found, fresh.found)

    def test_digests_are_gits(self) -> None:
        (self.folder / "a").write_bytes(b"text\n")
        (self.folder / "large").write_bytes(bytes(3 << 20))
        entries = look(self.folder).entries
        self.assertEqual(entries["a"].digest, digest(b"text\n"))
        self.assertEqual(entries["large"].digest, digest(bytes(3 << 20)))
        self.assertEqual(blob_digest(b"text\n"), digest(b"text\n"))

    def test_histories_are_left_alone_and_empty_folders_seen(self) -> None:
        (self.folder / ".git").mkdir()
        (self.folder / ".git" / "config").write_text("x")
        (self.folder / "empty").mkdir()
        self.assertEqual({p: e.mode for p, e in look(self.folder).entries.items()}, {"empty": FOLDER})

    def test_a_spoiled_cache_is_only_slower(self) -> None:
        (self.folder / "a").write_text("a")
        later = time.time() + 60  # never old enough to be trusted: a row that is trusted has its checksum
        os.utime(self.folder / "a", (later, later))
        good = look(self.folder, self.cache)
        rng = random.Random(9)
        data = self.cache.load()
        assert data is not None
        for _ in range(60):
            spoiled = bytearray(data)
            at = rng.randrange(len(spoiled))
            spoiled[at] ^= 1 << rng.randrange(8)
            cut, noise = bytes(spoiled[:at]), rng.randbytes(len(data))
            self.cache.save(rng.choice([cut, noise, bytes(spoiled)]))
            self.assertEqual(look(self.folder, self.cache).entries, good.entries)

    def test_paths_are_quoted_and_back(self) -> None:
        rng = random.Random(1)
        letters = "ab/#%é\n\udce9 '\"%4F"
        for _ in range(2000):
            path = "".join(rng.choices(letters, k=rng.randint(0, 12)))
            quoted = quote_path(path)
            self.assertEqual(unquote_path(quoted), path)
            self.assertTrue(quoted.isprintable() and "#" not in quoted)


if __name__ == "__main__":
    unittest.main()
