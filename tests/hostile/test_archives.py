"""Hostile archives: names, links, sizes and headers that lie; each is one line, and nothing is made beside it."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import os
import random
import struct
import tarfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from tests.hostile.harness import HostileCase
from tests.support import theme

MANIFEST = theme("pier", release="2.0.0").encode()


SYM, DIR = tarfile.SYMTYPE, tarfile.DIRTYPE


def member(
    name: str, data: bytes = b"", kind: bytes = tarfile.REGTYPE, target: str = "", **more: Any
) -> tuple[tarfile.TarInfo, bytes]:
    info = tarfile.TarInfo(name)
    info.type, info.linkname, info.size = kind, target, len(data)
    for key, value in more.items():
        setattr(info, key, value)
    return info, data


def tarred(path: Path, *members: tuple[tarfile.TarInfo, bytes], mode: str = "w:gz") -> Path:
    with tarfile.open(path, mode) as archive:  # type: ignore[call-overload]
        for info, data in members:
            archive.addfile(info, io.BytesIO(data))
    return path


def zipped(path: Path, *rows: tuple[str, bytes, int]) -> Path:
    """A zip of (name, data, mode) rows."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data, mode in rows:
            info = zipfile.ZipInfo(name)
            info.external_attr, info.create_system = mode << 16, 3
            archive.writestr(info, data)
    return path


LINK, FOLDER, FILE = 0o120777, 0o040755, 0o100644
GOOD = member("pier/quay.toml", MANIFEST)


class ArchiveTest(HostileCase):
    def refused(self, path: Path, words: str, built: bool = False) -> None:
        for command in (["survey", str(path)], ["update", "pier", "--to", str(path)]):
            ran = self.attempt(*command, allowed=(3,), built=built)
            self.assertIn(words, ran.err)
            self.assertIn("nothing was unpacked" if words != "damaged" else "damaged", ran.err)

    def taken(self, path: Path, *commands: str) -> None:
        self.attempt("check", "--against", str(path))
        self.attempt("update", "pier", "--to", str(path), writes=True)

    # Links

    def test_links_that_lead_out_whichever_way_they_are_put_together(self) -> None:
        up = "../" * 8
        deep = "pier/a/b/c/d/e/f/g/h"
        outside = str(self.outside)
        cases = [
            [GOOD, member(f"{deep}/up", kind=SYM, target=up),
             member("pier/out", kind=SYM, target=f"{deep[5:]}/up{outside}"), member("pier/out/made", kind=DIR)],
            [GOOD, member("pier/out", kind=SYM, target=outside), member("pier/out/made", kind=DIR)],
            [GOOD, member("pier/x/y", kind=SYM, target=".."), member("pier/z", kind=SYM, target="x/y/../.."), member("pier/z/w", b"1")],
            [GOOD, member("pier/a", kind=SYM, target="b"), member("pier/b", kind=SYM, target="../.."), member("pier/c", kind=SYM, target="a/outside/precious")],
            [member("pier", kind=SYM, target=outside), member("pier/quay.toml", MANIFEST)],
            [GOOD, member("pier/hard", kind=tarfile.LNKTYPE, target=f"../../{outside}/precious")],
            [GOOD, member("pier/soft", kind=SYM, target="quay.toml"), member("pier/hard", kind=tarfile.LNKTYPE, target="pier/soft")],
            [GOOD, member("pier/late/in", b"1"), member("pier/late", kind=SYM, target=outside)],
            [GOOD, member("pier/l", kind=SYM, target="")],
            [GOOD, member("pier/l", kind=SYM, target="x" * 5000)],
        ]  # fmt: skip
        for number, members in enumerate(cases):
            with self.subTest(number):
                self.refused(tarred(self.work / f"{number}.tar.gz", *members), ".tar.gz", built=number == 0)

    def test_the_same_in_a_zip(self) -> None:
        outside = str(self.outside).encode()
        cases = [
            [("pier/quay.toml", MANIFEST, FILE), ("pier/out", outside, LINK), ("pier/out/made/", b"", FOLDER)],
            [("pier/quay.toml", MANIFEST, FILE), ("pier/a/b/up", b"../../../..", LINK), ("pier/o", b"a/b/up/outside", LINK), ("pier/o/x", b"1", FILE)],
            [("pier/quay.toml", MANIFEST, FILE), ("pier/big", b"x" * 3_000_000, LINK)],
            [("pier/quay.toml", MANIFEST, FILE), ("../outside/precious", b"gone", FILE)],
            [("pier/quay.toml", MANIFEST, FILE), ("/etc/x", b"gone", FILE)],
            [("pier/quay.toml", MANIFEST, FILE), ("pier\\..\\x", b"gone", FILE)],
        ]  # fmt: skip
        for number, rows in enumerate(cases):
            with self.subTest(number):
                self.refused(zipped(self.work / f"{number}.zip", *rows), ".zip", built=number == 0)

    def test_random_trees_of_folders_files_and_links_stay_where_they_belong(self) -> None:
        """Whatever is let in lies below the archive's own folder, and nothing was followed."""
        rng = random.Random(20261)
        names = ["a", "b", "c", "up"]
        targets = [*names, "..", "../..", "../../..", "a/b", "a/../..", "b/up", "/", str(self.outside), "."]
        taken = 0
        for number in range(120):
            members = [GOOD]
            for _ in range(rng.randint(1, 7)):
                path = "pier/" + "/".join(rng.choices(names, k=rng.randint(1, 4)))
                kind = rng.choice([tarfile.REGTYPE, tarfile.DIRTYPE, tarfile.SYMTYPE, tarfile.SYMTYPE, tarfile.LNKTYPE])
                target = rng.choice(targets) if kind == tarfile.SYMTYPE else "pier/" + rng.choice(names)
                members.append(member(path, b"x" if kind == tarfile.REGTYPE else b"", kind, target))
            path = tarred(self.work / f"{number}.tar", *members, mode="w")
            ran = self.attempt("survey", str(path), allowed=(0, 3))
            taken += ran.status == 0
        self.assertGreater(taken, 10)

    # Names

    def test_names_that_are_one_to_some_file_systems(self) -> None:
        for pair in (
            ("Foot.html", "foot.html"),
            ("\u00e9.html", "e\u0301.html"),
            ("\u1e9b\u0323.html", "\u1e69.html"),
            ("stra\u00dfe", "STRASSE"),
        ):
            with self.subTest(pair):
                path = zipped(
                    self.work / "n.zip", ("pier/quay.toml", MANIFEST, FILE), *((f"pier/{n}", b"1", FILE) for n in pair)
                )
                if pair[0] != "\u1e9b\u0323.html":  # another letter, not another form of one
                    self.refused(path, "only")

    def test_names_beyond_all_bounds(self) -> None:
        for number, name in enumerate(
            (
                "a/" * 200_000 + "x",
                "pier/" + "y" * 300,
                "pier/" + "d/" * 70 + "x",
                "z" * 70_000,
                "pier/\x1b[2J",
                "pier/\u202egpj.exe",
                "pier/\udce9",
            )
        ):
            with self.subTest(number):
                path = tarred(self.work / f"{number}.tar.gz", GOOD, member(name, b"1"))
                ran = self.attempt("survey", str(path), built=number == 0, allowed=(3,))
                self.assertLess(path.stat().st_size, 10_000)
                self.assertIn(f"{number}.tar.gz", ran.err)

    # Sizes

    def test_headers_and_links_that_unpack_to_gigabytes(self) -> None:
        big = 3 << 30
        for kind in (tarfile.GNUTYPE_LONGNAME, tarfile.GNUTYPE_LONGLINK, tarfile.XHDTYPE, tarfile.XGLTYPE):
            with self.subTest(kind):
                path = self.work / "h.tar.gz"
                info = tarfile.TarInfo("pier/long")
                info.type, info.size = kind, big
                with gzip.open(path, "wb", compresslevel=1) as out:
                    out.write(info.tobuf(tarfile.GNU_FORMAT))
                    for _ in range(4):
                        out.write(bytes(1 << 20))
                ran = self.attempt("survey", str(path), allowed=(3,))
                self.assertIn("header", ran.err)

    def test_bombs_in_every_packing(self) -> None:
        block = bytes(1 << 20)
        for ending, opener in ((".tar.gz", gzip.open), (".tar.bz2", bz2.open), (".tar.xz", lzma.open)):
            with self.subTest(ending):
                path = self.work / f"bomb{ending}"
                info = tarfile.TarInfo("pier/zeros")
                info.size = 520 << 20
                with opener(path, "wb") as out:  # type: ignore[operator]
                    out.write(info.tobuf())
                    for _ in range(20):
                        out.write(block)
                self.assertIn("512 MiB", self.attempt("survey", str(path), allowed=(3,)).err)
        path = self.work / "lies.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            for number in range(3):
                with archive.open(f"pier/zeros{number}", "w") as stream:
                    for _ in range(200):
                        stream.write(block)
        data = path.read_bytes()
        self.assertIn("512 MiB", self.attempt("survey", str(path), allowed=(3,)).err)
        small = struct.pack("<L", 200 << 20)
        path.write_bytes(data.replace(small, struct.pack("<L", 5)))
        self.attempt("survey", str(path), allowed=(3,))

    def test_a_dictionary_of_a_gibibyte(self) -> None:
        path = self.work / "wide.tar.xz"
        packer = lzma.LZMACompressor(lzma.FORMAT_XZ, filters=[{"id": lzma.FILTER_LZMA2, "dict_size": 1 << 27}])
        path.write_bytes(packer.compress(tarfile.TarInfo("pier/x").tobuf()) + packer.flush())
        self.attempt("survey", str(path), allowed=(3,))

    def test_too_many_members(self) -> None:
        path = self.work / "many.tar.gz"
        block = tarfile.TarInfo("x").tobuf()
        with gzip.open(path, "wb", compresslevel=1) as out:
            for number in range(201_000):
                out.write(block.replace(b"x\0\0\0\0\0\0\0", b"%07d\0" % number, 1) if number % 50 == 0 else block)
        self.attempt("survey", str(path), allowed=(3,))
        with zipfile.ZipFile(self.work / "many.zip", "w") as archive:
            for number in range(60_000):
                archive.writestr(f"{number}", b"")
        self.assertIn("40,000 files", self.attempt("survey", str(self.work / "many.zip"), allowed=(3,)).err)

    def test_chains_of_headers(self) -> None:
        path = self.work / "chain.tar.gz"
        record = b"%d comment=%s\n"
        body = (record % (60_000 + 20, b"x" * 60_000)).ljust(1 << 16, b"\0")
        info = tarfile.TarInfo("pax")
        info.type, info.size = tarfile.XHDTYPE, len(body)
        with gzip.open(path, "wb", compresslevel=1) as out:
            for _ in range(3000):
                out.write(info.tobuf() + body)
        self.attempt("survey", str(path), allowed=(3,))

    def test_what_is_no_file(self) -> None:
        for kind in (tarfile.FIFOTYPE, tarfile.CHRTYPE, tarfile.BLKTYPE):
            self.refused(tarred(self.work / "d.tar", GOOD, member("pier/x", kind=kind), mode="w"), "device")
        fifo = self.work / "pipe.zip"
        os.mkfifo(fifo)
        for path in (str(fifo), "/dev/zero", "/dev/tty0", "/proc/self/mem"):
            self.attempt("survey", path, allowed=(2, 3))
            self.attempt("keep", path, allowed=(2, 3))

    def test_encrypted_and_odd_packings_are_called_so(self) -> None:
        path = zipped(self.work / "e.zip", ("pier/quay.toml", MANIFEST, FILE))
        data = bytearray(path.read_bytes())
        for at in (6, data.index(b"PK\1\2") + 8):
            data[at] |= 1
        path.write_bytes(bytes(data))
        self.refused(path, "is encrypted")
        with zipfile.ZipFile(self.work / "l.zip", "w", zipfile.ZIP_LZMA) as archive:
            archive.writestr("pier/quay.toml", MANIFEST)
        self.refused(self.work / "l.zip", "method 14")

    def test_damaged_anywhere(self) -> None:
        rng = random.Random(20262)
        files = [GOOD, *(member(f"pier/pages/{n}.html", rng.randbytes(900)) for n in range(6))]
        paths = [
            tarred(self.work / f"g{n}.tar{e}", *files, mode=m)
            for n, (e, m) in enumerate([("", "w"), (".gz", "w:gz"), (".bz2", "w:bz2"), (".xz", "w:xz")])
        ]
        paths.append(zipped(self.work / "g.zip", *((i.name, d, FILE) for i, d in files)))
        for number in range(150):
            path = rng.choice(paths)
            data = bytearray(path.read_bytes())
            for _ in range(rng.randint(1, 4)):
                data[rng.randrange(len(data))] = rng.randrange(256)
            spoiled = self.work / f"s{number}{path.name[path.name.index('.') :]}"
            spoiled.write_bytes(bytes(data[: rng.randrange(len(data))]) if rng.random() < 0.4 else bytes(data))
            self.attempt("survey", str(spoiled), allowed=(0, 3))


if __name__ == "__main__":
    unittest.main()
