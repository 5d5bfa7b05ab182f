"""Git's pack format, written straight from bytes (gitformat-pack, version 2 of pack and index).

Thousands of loose objects cost a file each; one pack costs two. No deltas: reading stays simple and writing fast.
"""

from __future__ import annotations

import hashlib
import os
import struct
import zlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import IO

from protypon.core.files.folder import Folder

PACKS = "objects/pack"
TYPES = {"commit": 1, "tree": 2, "blob": 3}


@dataclass(frozen=True)
class RawObject:
    """One Git object before it is stored."""

    kind: str
    data: bytes

    @cached_property
    def oid(self) -> str:
        """Git's name of the object."""
        head = f"{self.kind} {len(self.data)}\0".encode()
        return hashlib.sha1(head + self.data, usedforsecurity=False).hexdigest()


def tree_objects(files: dict[str, tuple[int, str]]) -> Iterator[RawObject]:
    """Yield the trees for files given as path -> (mode, blob id); the root tree comes last (gitformat-pack, tree)."""
    folders: dict[str, list[tuple[bytes, int, str]]] = {"": []}
    for path, (mode, oid) in files.items():
        folder, _, name = path.rpartition("/")
        _with_parents(folders, folder)
        folders[folder].append((os.fsencode(name), mode, oid))
    for folder in sorted(folders, key=lambda f: (-f.count("/") - bool(f), f)):
        tree = RawObject("tree", _tree(folders[folder]))
        yield tree
        if folder:
            above, _, name = folder.rpartition("/")
            folders[above].append((os.fsencode(name), 0o40000, tree.oid))


def _with_parents(folders: dict[str, list[tuple[bytes, int, str]]], folder: str) -> None:
    while folder not in folders:
        folders[folder] = []
        folder = folder.rpartition("/")[0]


def _tree(entries: list[tuple[bytes, int, str]]) -> bytes:
    entries.sort(key=lambda e: e[0] + (b"/" if e[1] == 0o40000 else b""))
    return b"".join(b"%o %s\0" % (mode, name) + bytes.fromhex(oid) for name, mode, oid in entries)


def parse_tree(data: bytes) -> Iterator[tuple[str, int, str]]:
    """Yield name, mode and object id of each entry of a tree."""
    position = 0
    while position < len(data):
        space = data.index(b" ", position)
        end = data.index(b"\0", space)
        yield os.fsdecode(data[space + 1 : end]), int(data[position:space], 8), data[end + 1 : end + 21].hex()
        position = end + 21


def commit_object(tree: str, parents: Iterable[str], when: int, message: str) -> RawObject:
    """Return a commit; author and committer are Protypon."""
    who = f"Protypon <protypon@localhost> {when} +0000"
    lines = [f"tree {tree}", *(f"parent {p}" for p in parents), f"author {who}", f"committer {who}", "", message, ""]
    return RawObject("commit", "\n".join(lines).encode("utf-8", "backslashreplace"))


def write_pack(repository: Folder, objects: Iterable[RawObject]) -> int:
    """Write objects as one pack with its index into ``objects/pack`` of a repository; returns how many.

    Objects that stand twice are written once. Nothing is left behind where writing fails. It is for the caller to sync.
    """
    repository.make(PACKS)
    temporary = f"{PACKS}/tmp_pack_{os.getpid()}"
    index = f"{temporary}.idx"
    try:
        for rest in (temporary, index):
            repository.remove(rest, missing=True)
        places, checksum = _write_objects(repository, temporary, objects)
        if not places:
            return 0
        name = f"{PACKS}/pack-{hashlib.sha1(b''.join(sorted(places)), usedforsecurity=False).hexdigest()}"
        repository.create(index, _index(places, checksum), 0o444)
        repository.set_rights(temporary, 0o444)
        repository.move(temporary, f"{name}.pack")
        repository.move(index, f"{name}.idx")
        return len(places)
    finally:
        with suppress(OSError):
            repository.remove(temporary, missing=True)
            repository.remove(index, missing=True)


Places = dict[bytes, tuple[int, int]]  # oid -> (crc, offset)


def _write_objects(repository: Folder, path: str, objects: Iterable[RawObject]) -> tuple[Places, bytes]:
    places: Places = {}
    with repository.creating(path) as out:
        out.write(struct.pack(">4sII", b"PACK", 2, 0))
        for item in objects:
            oid = bytes.fromhex(item.oid)
            if oid in places:
                continue
            packed = _head(TYPES[item.kind], len(item.data)) + zlib.compress(item.data, 1)
            places[oid] = (zlib.crc32(packed), out.tell())
            out.write(packed)
        out.seek(0)
        out.write(struct.pack(">4sII", b"PACK", 2, len(places)))
        checksum = _sum_of(out)
        out.seek(0, os.SEEK_END)
        out.write(checksum)
    return places, checksum


def _head(kind: int, size: int) -> bytes:
    byte = (kind << 4) | (size & 15)
    size >>= 4
    out = bytearray()
    while size:
        out.append(byte | 0x80)
        byte = size & 0x7F
        size >>= 7
    out.append(byte)
    return bytes(out)


def _sum_of(stream: IO[bytes]) -> bytes:
    stream.seek(0)
    hasher = hashlib.sha1(usedforsecurity=False)
    while chunk := stream.read(1 << 20):
        hasher.update(chunk)
    return hasher.digest()


def _index(places: Places, checksum: bytes) -> bytes:
    """The index of a pack below 2 GiB."""
    oids = sorted(places)
    counts = [0] * 256
    for oid in oids:
        counts[oid[0]] += 1
    fan, total = [], 0
    for count in counts:
        total += count
        fan.append(total)
    body = struct.pack(">4sI256I", b"\xfftOc", 2, *fan) + b"".join(oids)
    body += struct.pack(f">{len(oids)}I", *(places[oid][0] for oid in oids))
    large = [places[oid][1] for oid in oids if places[oid][1] >= 1 << 31]
    offsets = []
    for oid in oids:
        offset = places[oid][1]
        offsets.append(offset if offset < 1 << 31 else (1 << 31) | large.index(offset))
    body += struct.pack(f">{len(oids)}I", *offsets) + struct.pack(f">{len(large)}Q", *large) + checksum
    return body + hashlib.sha1(body, usedforsecurity=False).digest()
