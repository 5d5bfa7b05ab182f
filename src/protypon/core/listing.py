"""A folder as found: every file, link and empty folder, with its digest; a second look reads only what changed.

Unchanged files are known by size, time, change time, inode and mode, with Git's rule for racy times
(git, Documentation/technical/racy-git.txt): what was modified in or after the moment in which the cache was
written is read again.
"""

from __future__ import annotations

import hashlib
import json
import os
import stat
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

from protypon.core.errors import BadInput
from protypon.core.model import FILE, FOLDER, LINK, RUNNABLE, Entry, quote_path

VERSION = "protypon.listing/1"
HISTORIES = (".git", ".hg", ".svn", ".bzr")
"""Folders of version control: never part of a theme, never read, never touched."""

Row = list[object]  # size, mtime, ctime, inode, st_mode, digest
Progress = Callable[[int], None]


def blob_digest(data: bytes) -> str:
    """The Git blob id of some bytes (gitformat-pack, loose object header and SHA-1)."""
    return hashlib.sha1(b"blob %d\0" % len(data) + data, usedforsecurity=False).hexdigest()


def combined_digest(entries: list[Entry]) -> str:
    """One digest for many entries, whatever their order."""
    lines = sorted(f"{e.mode:o} {e.digest} {e.path}" for e in entries)
    return hashlib.sha1("\0".join(lines).encode("utf-8", "surrogateescape"), usedforsecurity=False).hexdigest()


@dataclass(frozen=True)
class Listing:
    """What stands in one folder."""

    root: str
    rows: dict[str, Row]
    found: str
    """Digest of everything."""
    specials: tuple[str, ...] = ()
    """Sockets, pipes and devices: not read."""

    @cached_property
    def entries(self) -> dict[str, Entry]:
        return {path: _entry(path, row) for path, row in self.rows.items()}


def _entry(path: str, row: Row) -> Entry:
    size, mode, digest = row[0], row[4], row[5]
    assert isinstance(size, int) and isinstance(mode, int) and isinstance(digest, str)
    return Entry(path, git_mode(mode), size, digest)


def git_mode(mode: int) -> int:
    """Translate a file's mode to Git's four."""
    if stat.S_ISLNK(mode):
        return LINK
    if stat.S_ISDIR(mode):
        return FOLDER
    return RUNNABLE if mode & 0o100 else FILE


def read_entry(root: str, path: str) -> Entry | None:
    """One path as it is now, or None; read afresh."""
    full = os.path.join(root, path)
    try:
        found = os.lstat(full)
    except (FileNotFoundError, NotADirectoryError):
        return None
    if stat.S_ISDIR(found.st_mode):
        return Entry(path, FOLDER, 0, "")
    return Entry(path, git_mode(found.st_mode), found.st_size, _digest(full, found))


def _digest(full: str, found: os.stat_result) -> str:
    if stat.S_ISLNK(found.st_mode):
        return blob_digest(os.fsencode(os.readlink(full)))
    if found.st_size < 1 << 20:
        with open(full, "rb") as stream:
            return blob_digest(stream.read())
    hasher = hashlib.sha1(b"blob %d\0" % found.st_size, usedforsecurity=False)
    with open(full, "rb") as stream:
        while chunk := stream.read(1 << 20):
            hasher.update(chunk)
    return hasher.hexdigest()


def look(root: Path | str, cache: Path | None = None, progress: Progress | None = None) -> Listing:
    """List a folder; with a ``cache`` file, read only what is new since the last look, and write it back.

    Raises BadInput where the folder can't be read.
    """
    root = os.path.abspath(root)
    kept = _load(cache, root)
    known: dict[str, Row] = kept.get("rows", {})
    scan = _Scan(root, known, kept.get("stamp", 0), progress)
    try:
        scan.run()
    except OSError as error:
        raise BadInput(f"{quote_path(str(error.filename or root))}: can't be read: {error.strerror}") from error
    if scan.fresh == 0 and len(scan.rows) == len(known) and kept:
        return Listing(root, known, kept["found"], tuple(scan.specials))
    listing = Listing(root, scan.rows, "", tuple(scan.specials))
    listing = Listing(root, scan.rows, combined_digest(list(listing.entries.values())), listing.specials)
    _save(listing, cache, scan.stamp)
    return listing


class _Scan:
    """One walk over a folder."""

    def __init__(self, root: str, known: dict[str, Row], stamp: int, progress: Progress | None) -> None:
        self.root, self.known, self.racy, self.progress = root, known, stamp, progress
        self.rows: dict[str, Row] = {}
        self.specials: list[str] = []
        self.fresh = 0
        self.stamp = _now()

    def run(self) -> None:
        waiting = [""]
        while waiting:
            self._folder(waiting.pop(), waiting)
            if self.progress:
                self.progress(len(self.rows))

    def _folder(self, rel: str, waiting: list[str]) -> None:
        rows, known, racy = self.rows, self.known, self.racy
        empty = True
        with os.scandir(os.path.join(self.root, rel)) as entries:
            for entry in entries:
                empty = False
                name = rel + entry.name
                if entry.is_dir(follow_symlinks=False):
                    if entry.name.lower() not in HISTORIES:
                        waiting.append(name + "/")
                    continue
                found = entry.stat(follow_symlinks=False)
                row = known.get(name)
                if (
                    row is not None
                    and row[1] == found.st_mtime_ns
                    and row[2] == found.st_ctime_ns
                    and row[0] == found.st_size
                    and row[3] == found.st_ino
                    and row[4] == found.st_mode
                    and found.st_mtime_ns < racy
                ):
                    rows[name] = row
                else:
                    self._read(name, found)
        if empty and rel:
            self._empty_folder(rel[:-1])

    def _read(self, name: str, found: os.stat_result) -> None:
        if not (stat.S_ISREG(found.st_mode) or stat.S_ISLNK(found.st_mode)):
            self.specials.append(name)
            return
        digest = _digest(os.path.join(self.root, name), found)
        row: Row = [found.st_size, found.st_mtime_ns, found.st_ctime_ns, found.st_ino, found.st_mode, digest]
        old = self.known.get(name)
        self.fresh += old != row or found.st_mtime_ns >= self.racy
        self.rows[name] = row

    def _empty_folder(self, name: str) -> None:
        old = self.known.get(name)
        self.rows[name] = [0, 0, 0, 0, stat.S_IFDIR | 0o755, ""]
        self.fresh += old != self.rows[name]


def _now() -> int:
    """The clock of the file system is coarser than ours: step back one of its ticks."""
    return time.time_ns() - 20_000_000


def _load(cache: Path | None, root: str) -> dict[str, Any]:
    if cache is None:
        return {}
    try:
        kept = json.loads(cache.read_bytes())
    except (OSError, ValueError):
        return {}
    good = isinstance(kept, dict) and kept.get("version") == VERSION and kept.get("root") == root
    return kept if good else {}


def _save(listing: Listing, cache: Path | None, stamp: int) -> None:
    """Write a listing's cache; where it can't be written, the next look is only slower."""
    if cache is None:
        return
    body = {"version": VERSION, "root": listing.root, "stamp": stamp, "found": listing.found, "rows": listing.rows}
    write_beside(cache, json.dumps(body, separators=(",", ":")).encode("utf-8", "surrogateescape"))


def write_beside(path: Path, data: bytes) -> bool:
    """Write a cache file beside its place and rename it; False where that can't be done."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
        os.replace(temporary, path)
    except OSError:
        return False
    return True
