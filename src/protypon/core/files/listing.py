"""A folder as found: every file, link and empty folder, with its digest; a second look reads only what changed.

Unchanged files are known by size, time, change time, inode and mode, with Git's rule for racy times
(git, Documentation/technical/racy-git.txt): what was modified in or after the moment in which the cache was
written is read again. Hashing is imported where something is hashed: a look at unchanged folders needs none.
"""

from __future__ import annotations

import json
import os
import stat
import time
from array import array
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

from protypon.core.files.caches import CacheRow
from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import FILE_BYTES, FOLDER_FILES, MIB
from protypon.core.model.paths import FILE, FOLDER, LINK, RUNNABLE, Entry, quote_path, why_too_long

VERSION = "protypon.listing/1"
_SIGNED = (1 << 63) - 1
HISTORIES = (".git", ".hg", ".svn", ".bzr")
"""Folders of version control: never part of a theme, never read, never touched."""

Progress = Callable[[str, int], None]
"""Told what is being done, and how much of it is done."""
FIELDS = 5
"""Numbers of one path: size, mtime, ctime (nanoseconds), inode, mode."""
DIGEST = 40


def blob_digest(data: bytes) -> str:
    """The Git blob id of some bytes (gitformat-pack, loose object header and SHA-1)."""
    from hashlib import sha1

    return sha1(b"blob %d\0" % len(data) + data, usedforsecurity=False).hexdigest()


def combined_digest(entries: list[Entry]) -> str:
    """One digest for many entries, whatever their order."""
    from hashlib import sha1

    lines = sorted(f"{e.mode:o} {e.digest} {e.path}" for e in entries)
    return sha1("\0".join(lines).encode("utf-8", "surrogateescape"), usedforsecurity=False).hexdigest()


class Listing:
    """What stands in one folder: paths, their numbers (``FIELDS`` a path) and digests, all in the same order.

    ``digests`` come as they are packed in the cache: ``DIGEST`` characters each, blank for a folder.
    ``found`` is the digest of everything; ``specials`` are sockets, pipes, devices, and what is too large or too deep; they are not read.
    """

    def __init__(
        self, root: str, paths: list[str], numbers: array[int], digests: bytes, specials: list[str], found: str = ""
    ) -> None:
        self.root, self.paths, self.numbers = root, paths, numbers
        self.packed_digests = digests
        self.specials = tuple(specials)
        self.found = found or combined_digest(list(self.entries.values()))

    @cached_property
    def digests(self) -> list[str]:
        """The digest of each path, in their order."""
        return _digest_list(self.packed_digests)

    @cached_property
    def entries(self) -> dict[str, Entry]:
        """Every path with what stands there."""
        rows = zip(self.paths, self.numbers[4::FIELDS], self.numbers[0::FIELDS], self.digests, strict=True)
        return {path: Entry(path, git_mode(mode), size, digest) for path, mode, size, digest in rows}


def git_mode(mode: int) -> int:
    """Translate a file's mode to Git's four."""
    if stat.S_ISLNK(mode):
        return LINK
    if stat.S_ISDIR(mode):
        return FOLDER
    return RUNNABLE if mode & 0o100 else FILE


def read_entry(folder: Folder, path: str) -> Entry | None:
    """One path below a folder as it is now, or None; read afresh. Raises BadInput for a pipe or device."""
    found = folder.stat(path)
    if found is None:
        return None
    if stat.S_ISDIR(found.st_mode):
        return Entry(path, FOLDER, 0, "")
    return Entry(path, git_mode(found.st_mode), found.st_size, _digest(folder, path, found.st_mode, found.st_size))


def _digest(folder: Folder, path: str, mode: int, size: int) -> str:
    if stat.S_ISLNK(mode):
        return blob_digest(folder.target(path))
    if size < MIB:
        return blob_digest(folder.read(path))
    from hashlib import sha1

    with folder.reading(path) as stream:
        size = os.fstat(stream.fileno()).st_size
        hasher = sha1(b"blob %d\0" % size, usedforsecurity=False)
        while chunk := stream.read(MIB):
            hasher.update(chunk)
    return hasher.hexdigest()


def look(root: Path | str, cache: CacheRow | None = None, progress: Progress | None = None) -> Listing:
    """List a folder; with a row of a cache, read only what is new since the last look, and write it back.

    Raises BadInput where the folder can't be read, or holds more than is read.
    """
    root = os.path.abspath(root)
    kept = _load(cache, root)
    stamp = _now()
    walk = _FolderWalk(root, progress)
    try:
        walk.run()
        names = _packed_names(walk.paths)
        if kept is not None and kept.is_all(names, walk.numbers.tobytes()):
            return Listing(root, walk.paths, walk.numbers, kept.digests, walk.specials, kept.found)
        digests = "".join(d.ljust(DIGEST) for d in _digests(walk, kept, progress)).encode("ascii")
    except OSError as error:
        raise BadInput(f"{quote_path(str(error.filename or root))}: can't be read: {error.strerror}") from error
    listing = Listing(root, walk.paths, walk.numbers, digests, walk.specials)
    _save(listing, names, cache, stamp)
    return listing


class _FolderWalk:
    """One walk over a folder: every path with its numbers, nothing read."""

    def __init__(self, root: str, progress: Progress | None) -> None:
        self.root, self.progress = root, progress
        self.paths: list[str] = []
        self._flat: list[int] = []
        """FIELDS numbers a path, one after the other."""
        self.specials: list[str] = []

    def run(self) -> None:
        waiting = [""]
        while waiting:
            self._folder(waiting.pop(), waiting)
            if len(self.paths) > FOLDER_FILES:
                raise BadInput(f"{quote_path(self.root)}: holds more than {FOLDER_FILES:,} files, and is not read")
            if self.progress:
                self.progress("files listed", len(self.paths))
        self.numbers = array("q", self._flat)

    def rows(self) -> Iterator[tuple[int, ...]]:
        """The numbers of each path."""
        return zip(*(self.numbers[n::FIELDS] for n in range(FIELDS)), strict=True)

    def _folder(self, rel: str, waiting: list[str]) -> None:
        """List one folder through its descriptor: names are then looked up in it, not from the root on."""
        descriptor = os.open(f"{self.root}/{rel}", os.O_RDONLY | os.O_DIRECTORY | (os.O_NOFOLLOW if rel else 0))
        try:
            with os.scandir(descriptor) as entries:
                empty = self._entries(entries, rel, waiting)
        finally:
            os.close(descriptor)
        if empty and rel:
            self.paths.append(rel[:-1])
            self._flat += (0, 0, 0, 0, stat.S_IFDIR | 0o755)

    def _entries(self, entries: Iterable[os.DirEntry[str]], rel: str, waiting: list[str]) -> bool:
        path, row = self.paths.append, self._flat.extend
        empty = True
        too_long = bool(why_too_long(rel + "x" * 255, rel.count("/") + 1))
        for entry in entries:
            empty = False
            if too_long and why_too_long(rel + entry.name, rel.count("/") + 1):
                self.specials.append(rel + entry.name)
                continue
            if entry.is_dir(follow_symlinks=False):
                if entry.name.lower() not in HISTORIES:
                    waiting.append(f"{rel}{entry.name}/")
                continue
            found = entry.stat(follow_symlinks=False)
            mode = found.st_mode
            plain = mode & 0o170000 == 0o100000 and found.st_size <= FILE_BYTES
            if plain or mode & 0o170000 == 0o120000:
                path(rel + entry.name)
                row((found.st_size, found.st_mtime_ns, found.st_ctime_ns, found.st_ino & _SIGNED, mode))
            else:
                self.specials.append(rel + entry.name)
        return empty


def _digests(walk: _FolderWalk, kept: _Kept | None, progress: Progress | None) -> Iterator[str]:
    """The digest of every path, read where the numbers are new or too young to be trusted."""
    folder = Folder(walk.root)
    known = kept.rows() if kept is not None else {}
    for i, (path, numbers) in enumerate(zip(walk.paths, walk.rows(), strict=True)):
        old, digest = known.get(path, (None, ""))
        if stat.S_ISDIR(numbers[4]):
            yield ""
        elif kept is not None and old == numbers and numbers[1] < kept.stamp:
            yield digest
        else:
            if progress:
                progress("files read", i)
            yield _digest(folder, path, numbers[4], numbers[0])


def _now() -> int:
    """The clock of the file system is coarser than ours: step back one of its ticks."""
    return time.time_ns() - 20_000_000


def _packed_names(paths: Iterable[str]) -> bytes:
    return "\0".join(paths).encode("utf-8", "surrogateescape")


def _digest_list(packed: bytes) -> list[str]:
    text = packed.decode("ascii")
    return [text[i : i + DIGEST].strip() for i in range(0, len(text), DIGEST)]


class _Kept(NamedTuple):
    """A listing as a cache file has it: packed, for most looks find that nothing has changed."""

    names: bytes
    numbers: bytes
    digests: bytes
    found: str
    stamp: int
    newest: int

    def is_all(self, names: bytes, numbers: bytes) -> bool:
        """Whether this is what stands there now, and old enough to be trusted."""
        return self.newest < self.stamp and self.names == names and self.numbers == numbers

    def rows(self) -> dict[str, tuple[tuple[int, ...], str]]:
        """Numbers and digest of each path."""
        paths = self.names.decode("utf-8", "surrogateescape").split("\0") if self.names else []
        numbers = array("q")
        numbers.frombytes(self.numbers)
        rows = zip(*(numbers[n::FIELDS] for n in range(FIELDS)), strict=True)
        return dict(zip(paths, zip(rows, _digest_list(self.digests), strict=True), strict=True))


def _load(cache: CacheRow | None, root: str) -> _Kept | None:
    """Read a cache file: a line of JSON, the paths behind NULs, the numbers as 64-bit integers, the digests."""
    data = cache.load() if cache is not None else None
    if data is None:
        return None
    try:
        head, _, body = data.partition(b"\n")
        about = json.loads(head)
        count = about["count"]
        first, second = about["names"], about["names"] + count * FIELDS * 8
        if (
            about["version"] != VERSION
            or about["root"] != root
            or len(body) - second != count * DIGEST
            or body.count(b"\0", 0, first) != max(count - 1, 0)
        ):
            return None
        return _Kept(body[:first], body[first:second], body[second:], about["found"], about["stamp"], about["newest"])
    except (ValueError, KeyError, TypeError, RecursionError):
        return None


def _save(listing: Listing, names: bytes, cache: CacheRow | None, stamp: int) -> None:
    """Write a listing's cache; where it can't be written, the next look is only slower."""
    if cache is None:
        return
    about = {
        "version": VERSION,
        "root": listing.root,
        "stamp": stamp,
        "newest": max(listing.numbers[1::FIELDS], default=0),
        "found": listing.found,
        "names": len(names),
        "count": len(listing.paths),
    }
    cache.save(json.dumps(about).encode() + b"\n" + names + listing.numbers.tobytes() + listing.packed_digests)
