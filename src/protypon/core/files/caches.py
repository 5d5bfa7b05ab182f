"""The cache of a bench: rows in one SQLite file, by kind and key. It may be lost at any time.

A file that is damaged is as good as none and is begun anew; a row that is damaged is as good as none; one that can't be
written costs only time. Two commands may use the file at once (SQLite, Write-Ahead Logging).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import TYPE_CHECKING, Any, NamedTuple
from zlib import crc32

from protypon.core.files.folder import Folder
from protypon.core.files.notes import note
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import CACHE_BYTES

if TYPE_CHECKING:
    from sqlite3 import Connection

FILE = "rows.sqlite"
_FILES = (FILE, FILE + "-wal", FILE + "-shm")
SCHEMA = "CREATE TABLE rows (id INTEGER PRIMARY KEY, kind TEXT, key TEXT, sum INTEGER, body BLOB, UNIQUE (kind, key))"
"""All that the file may hold: one with anything else is not ours."""
WAIT = 10.0
"""Seconds to wait for another command that is just writing."""
SPOILED = (1, 11, 24, 26)
"""SQLite's result codes (Result and Error Codes): ERROR, as of a table that is not there, CORRUPT, FORMAT, NOTADB."""
_EARLIER = ("listings", "reports", "comparisons.json")
"""What stood in the folder before there was one file."""


class Cache:
    """The rows of one bench; ``writable``: whether any are kept."""

    def __init__(self, bench: Folder, rel: str, writable: bool = True) -> None:
        self.bench, self.rel, self.writable = bench, rel, writable
        self._opened = False
        self._connection: Connection | None = None

    def row(self, kind: str, key: str) -> CacheRow:
        """One row, to be read and written by itself."""
        return CacheRow(self, kind, key)

    def load(self, kind: str, key: str) -> bytes | None:
        """What is kept under a kind and key, whole, or None."""
        rows = self._ask("SELECT key, sum, body FROM rows WHERE kind = ? AND key = ?", (kind, key))
        return next((_whole(total, body) for _, total, body in rows), None)

    def load_all(self, kind: str) -> dict[str, bytes]:
        """Every row of a kind, by key."""
        rows = self._ask("SELECT key, sum, body FROM rows WHERE kind = ?", (kind,))
        return {key: whole for key, total, body in rows if (whole := _whole(total, body)) is not None}

    def save(self, kind: str, rows: Mapping[str, bytes]) -> bool:
        """Keep rows, in the place of those that have the same keys; whether all of them are kept."""
        made = [(kind, key, crc32(body), body) for key, body in rows.items() if len(body) <= CACHE_BYTES // 4]
        kept = self._change("INSERT OR REPLACE INTO rows (kind, key, sum, body) VALUES (?, ?, ?, ?)", made)
        return kept and len(made) == len(rows)

    def keep_newest(self, kind: str, most: int) -> bool:
        """Make room: of the rows of one kind the oldest go; whether any did."""
        oldest = self._ask("SELECT id FROM rows WHERE kind = ? ORDER BY id DESC LIMIT 1 OFFSET ?", (kind, most))
        for (number,) in oldest:
            self._change("DELETE FROM rows WHERE kind = ? AND id <= ?", [(kind, number)])
        return bool(oldest)

    def close(self) -> None:
        """Give the file back; it is opened again where it is wanted."""
        if self._connection is not None:
            self._connection.close()
        self._connection, self._opened = None, False

    # The file

    def _ask(self, query: str, values: tuple[object, ...]) -> list[tuple[Any, ...]]:
        import sqlite3

        connection = self._open()
        try:
            return connection.execute(query, values).fetchall() if connection is not None else []
        except sqlite3.Error as error:
            self._begin_anew(error)
            return []

    def _change(self, query: str, rows: Iterable[tuple[object, ...]]) -> bool:
        import sqlite3

        connection = self._open() if self.writable else None
        if connection is None:
            return False
        try:
            with connection:
                connection.execute("BEGIN IMMEDIATE")
                connection.executemany(query, rows)
        except sqlite3.Error as error:
            self._begin_anew(error)
            return False
        return True

    def _begin_anew(self, error: Exception) -> None:
        """Begin a damaged file anew; what else goes wrong is only slower."""
        note("cache", "%s: %s", self.rel, error)
        if getattr(error, "sqlite_errorcode", SPOILED[-1]) & 0xFF in SPOILED:
            self.close()
            self._remove(_FILES)

    def _remove(self, names: Iterable[str]) -> None:
        try:
            for name in names if self.writable else ():
                self.bench.remove_tree(f"{self.rel}/{name}")
        except (OSError, BadInput):
            return

    def _open(self) -> Connection | None:
        """The file, opened when it is first asked for; None where there can be none."""
        if self._opened:
            return self._connection
        self._opened = True
        import sqlite3

        try:
            found = self.bench.stat(f"{self.rel}/{FILE}")
            if found is None and not self.writable:
                return None
            self._make_room(found.st_size if found is not None else 0)
            self.bench.prove_plain(self.rel)
            self._connection = self._connect()
        except (OSError, BadInput):
            return None
        except sqlite3.Error as error:
            self._begin_anew(error)
            self._opened = True
            with suppress(sqlite3.Error):
                self._connection = self._connect()
        return self._connection

    def _make_room(self, size: int) -> None:
        """A file that grew too large goes; so does what stood here before there was a file."""
        if self.writable:
            self.bench.make(self.rel)
        if size > CACHE_BYTES:
            self._remove(_FILES)
        elif not size:
            self._remove((*_EARLIER, *(n for n in self.bench.names(self.rel) if n.startswith("facts-"))))

    def _connect(self) -> Connection:
        import sqlite3
        from urllib.parse import quote

        path = quote(self.bench.path(f"{self.rel}/{FILE}"))
        way = "rwc" if self.writable else "ro&immutable=1"
        found = sqlite3.connect(f"file:{path}?mode={way}", uri=True, timeout=WAIT, isolation_level=None)
        try:
            schema = found.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL LIMIT 2").fetchall()
            if not schema and self.writable:
                found.execute("PRAGMA journal_mode = WAL")
                found.execute(SCHEMA.replace("TABLE", "TABLE IF NOT EXISTS", 1))
            elif schema != [(SCHEMA,)]:
                raise sqlite3.DatabaseError("is not ours")
            found.execute("PRAGMA synchronous = OFF")  # what a power cut takes is only slower
        except sqlite3.Error:
            found.close()
            raise
        return found


def _whole(total: object, body: object) -> bytes | None:
    return body if isinstance(body, bytes) and crc32(body) == total else None


class CacheRow(NamedTuple):
    """One row of a cache."""

    cache: Cache
    kind: str
    key: str

    def load(self) -> bytes | None:
        """What stands in the row, or None."""
        return self.cache.load(self.kind, self.key)

    def save(self, body: bytes) -> None:
        """Write the row."""
        self.cache.save(self.kind, {self.key: body})
