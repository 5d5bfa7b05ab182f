"""Caches: bytes that may be lost at any time. One that is damaged is as good as none, and one that can't be written costs only time."""

from __future__ import annotations

from typing import NamedTuple
from zlib import crc32

from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import STATE_BYTES

_SUM = 9
"""A checksum in front of each file: eight digits and a line end."""


class Cache:
    """The caches of one bench, by name; ``writable``: whether they are kept at all."""

    def __init__(self, bench: Folder, rel: str, writable: bool = True) -> None:
        self.bench, self.rel, self.writable = bench, rel, writable

    def file(self, name: str) -> CacheFile:
        return CacheFile(self, name)

    def load(self, name: str) -> bytes | None:
        """What is kept under a name, whole, or None."""
        try:
            data = self.bench.read(f"{self.rel}/{name}", STATE_BYTES)
        except (OSError, BadInput):
            return None
        body = data[_SUM:]
        return body if data[:_SUM] == _checksum(body) else None

    def save(self, name: str, body: bytes) -> None:
        if not self.writable:
            return
        path = f"{self.rel}/{name}"
        try:
            self.bench.make(path.rpartition("/")[0])
            self.bench.put(path, _checksum(body) + body)
        except (OSError, BadInput):
            return

    def keep_newest(self, folder: str, most: int) -> None:
        """Make room: of the files of one folder the oldest go."""
        try:
            place = f"{self.rel}/{folder}"
            names = self.bench.names(place)
            if len(names) <= most or not self.writable:
                return
            stats = {name: found for name in names if (found := self.bench.stat(f"{place}/{name}")) is not None}
            for name in sorted(stats, key=lambda n: stats[n].st_mtime)[: len(stats) - most]:
                self.bench.remove(f"{place}/{name}", missing=True)
        except (OSError, BadInput):
            return


def _checksum(body: bytes) -> bytes:
    return b"%08x\n" % crc32(body)


class CacheFile(NamedTuple):
    """One file of a cache."""

    cache: Cache
    name: str

    def load(self) -> bytes | None:
        return self.cache.load(self.name)

    def save(self, body: bytes) -> None:
        self.cache.save(self.name, body)
