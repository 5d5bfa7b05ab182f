"""Syntax facts of sources, cached by content and grammar version: a second look parses nothing."""

from __future__ import annotations

import gc
import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from msgspec import MsgspecError, convert, msgpack, to_builtins

from protypon.core.files.caches import Cache
from protypon.core.files.listing import Progress
from protypon.core.languages.code import Code
from protypon.core.languages.mentions import mentions
from protypon.core.languages.registry import LANGUAGES, coded_language, is_coded, language
from protypon.core.languages.source import Reference, SourceFacts
from protypon.core.model.nouns import Problem

Made = TypeVar("Made")
ProblemRow = tuple[str, int | None, int | None]
"""Message, line and column."""
FORMAT = "facts/7"
"""Changes whenever the rows of the cache would for the same facts."""
MOST_SOURCES = 60_000
"""Sources of one language of which a kind of row is kept; the oldest go."""
WAITING_BYTES = 8 << 20
"""Bytes of rows that wait to be written together."""


class FactsCache:
    """Facts by digest, in rows of a cache that are written together by :meth:`save`."""

    def __init__(self, cache: Cache | None, progress: Progress | None = None) -> None:
        self._cache = cache
        self._progress = progress
        self._parsed = 0
        self._rows: dict[str, dict[str, bytes]] = {}
        """By kind and digest, those of small rows that were read all at once."""
        self._new: dict[str, dict[str, bytes]] = {}
        self._waiting = 0
        self._changed: set[str] = set()
        self.kept = cache is not None
        """Whether all that was read is in the cache, once it was saved."""
        self._read: dict[tuple[str, str], SourceFacts] = {}
        self._said: dict[tuple[str, str], Code] = {}

    def facts_of(self, name: str, digest: str) -> SourceFacts | None:
        """The facts of one source, if they were asked for before."""
        return self._read.get((name, digest))

    def facts(self, name: str, digest: str, read: Callable[[], bytes]) -> SourceFacts:
        """The facts of one source in language ``name``; ``read`` is called only where they are new."""
        if (name, digest) in self._read:
            return self._read[name, digest]
        kind = _kind("", name)
        facts = _decode_row(self._row(kind, digest), SourceFacts)
        if facts is None:
            facts = _facts_of(name, read())
            self._note(kind, digest, facts)
        self._read[name, digest] = facts
        return facts

    def code(self, name: str, digest: str, read: Callable[[], bytes]) -> Code:
        """What one source says; likewise remembered by content."""
        found = self._code(name, digest, read)
        self._said[name, digest] = found
        return found

    def _code(self, name: str, digest: str, read: Callable[[], bytes]) -> Code:
        """The same, and not held on to: a theme has thousands of files of which nobody asks but whether they parse."""
        if (name, digest) in self._said:
            return self._said[name, digest]
        kind = _kind("code", name)
        found = _decode_row(self._cache.load(kind, digest) if self._cache is not None else None, Code)
        if found is None:
            found = _code_of(name, read())
            self._note(kind, digest, found)
        return found

    def problems(self, name: str, digest: str, file: str, read: Callable[[], bytes]) -> list[Problem]:
        """Where one source does not parse, likewise remembered by content."""
        kind = _kind("problems", name)
        rows = _decode_row(self._row(kind, digest), list[ProblemRow])
        if rows is None:
            module = language(name)
            sound = is_coded(name) and self._code(name, digest, read).sound
            found = [] if sound and module.ANY_ENCODING else _problems_of(name, read(), file, sound)
            rows = [(p.message, p.line, p.column) for p in found]
            self._note(kind, digest, rows)
        return [Problem(file, *row) for row in rows]

    def read_the_same(
        self, name: str, before: str, now: str, file: str, read: Callable[[], bytes], code: bool = True
    ) -> bool:
        """Whether all that was ever asked of one source is the same of another, its ``code`` only if that is said.

        ``read`` gives the other's bytes.
        """
        for what, ask in (
            ("", lambda: self.facts(name, now, read)),
            ("problems", lambda: self.problems(name, now, file, read)),
            *((("code", lambda: self.code(name, now, read)),) if code else ()),
        ):
            kind = _kind(what, name)
            old = self._any_row(kind, before)
            if old is not None:
                ask()
                if self._any_row(kind, now) != old:
                    return False
        return True

    def _any_row(self, kind: str, digest: str) -> bytes | None:
        waiting = self._new.get(kind, {}).get(digest)
        if waiting is not None or self._cache is None:
            return waiting
        known = self._rows.get(kind, {}).get(digest)
        return known if known is not None else self._cache.load(kind, digest)

    @property
    def evictions(self) -> int:
        """How often rows were taken away to make room: what is not there may have been then."""
        row = self._cache.load("evictions", "facts") if self._cache is not None else None
        return int(row) if row is not None and row.isdigit() else 0

    def _row(self, kind: str, digest: str) -> bytes | None:
        """A small row; all of its kind are read at once."""
        if kind not in self._rows:
            self._rows[kind] = self._cache.load_all(kind) if self._cache is not None else {}
        return self._rows[kind].get(digest)

    def _note(self, kind: str, digest: str, row: object) -> None:
        self._parsed += 1
        if self._progress:
            self._progress("sources parsed", self._parsed)
        body = _encode_row(row)
        if kind in self._rows:
            self._rows[kind][digest] = body
        if self._cache is None:
            return
        self._new.setdefault(kind, {})[digest] = body
        self._waiting += len(body)
        if self._waiting > WAITING_BYTES:
            self._write()

    def _write(self) -> None:
        for kind, rows in self._new.items():
            self._changed.add(kind)
            self.kept = self.kept and self._cache is not None and self._cache.save(kind, rows)
        self._new, self._waiting = {}, 0

    def save(self) -> None:
        """Write what is new, and make room where very much is kept."""
        self._write()
        for kind in self._changed:
            if self._cache is not None and self._cache.keep_newest(kind, MOST_SOURCES):
                self._cache.save("evictions", {"facts": b"%d" % (self.evictions + 1)})
        self._changed.clear()


def _kind(what: str, name: str) -> str:
    """Where the rows of one language are, by all that they depend on besides the sources."""
    return f"{FORMAT} {what} {language(name).VERSION}"


def _encode_row(row: object) -> bytes:
    """A row as MessagePack; as JSON where a text has bytes that are no UTF-8, or a number more than 64 bits."""
    try:
        return msgpack.encode(row)
    except (UnicodeEncodeError, OverflowError):
        return json.dumps(to_builtins(row), separators=(",", ":")).encode()


def _decode_row(data: bytes | None, kind: type[Made]) -> Made | None:
    """The inverse; None for a row that no reader wrote."""
    if data is None:
        return None
    try:
        return convert(json.loads(data), kind) if data[:1] == b"[" else msgpack.decode(data, type=kind)
    except (ValueError, MsgspecError, RecursionError):
        return None


@contextmanager
def without_collector() -> Iterator[None]:
    """Without the collector of circular garbage: what is read makes very many tuples and no circles."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


UNREADABLE = (RecursionError, ValueError, OverflowError, MemoryError)
"""What a reader may come to on a text that goes beyond what it can hold: numbers of a million digits, nesting without end."""


def _too_large(name: str, data: bytes) -> str:
    most = LANGUAGES[name].most
    return f"is {len(data):,} bytes, over {most:,}, and is not followed" if len(data) > most else ""


def _facts_of(name: str, data: bytes) -> SourceFacts:
    """What a source names; of one that is not read, that it may name anything."""
    if not _too_large(name, data):
        try:
            return language(name).facts(data.decode("utf-8", "replace"))
        except UNREADABLE:
            pass
    return SourceFacts((Reference("include", (), 1, 1, True),), mentions=mentions(data.decode("utf-8", "replace")))


def _code_of(name: str, data: bytes) -> Code:
    """What a source does; of one that is not read, why."""
    if why := _too_large(name, data):
        return Code(unread=why)
    try:
        with without_collector():
            return coded_language(name).code(data)
    except UNREADABLE as error:
        return Code(unread=f"can't be read: {_in_short(error)}")


def _problems_of(name: str, data: bytes, file: str, sound: bool) -> list[Problem]:
    """Where a source does not parse; of one that is too large to be parsed, nothing is said. ``sound``: it is known to."""
    if _too_large(name, data):
        return []
    module = language(name)
    try:
        errors = "surrogateescape" if module.ANY_ENCODING else "strict"
        text = data.decode("utf-8-sig", errors)
        return [] if sound else module.problems(text, file)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        return [Problem(file, f"not UTF-8: byte 0x{data[error.start]:02x}", line)]
    except UNREADABLE as error:
        return [Problem(file, f"can't be read: {_in_short(error)}")]


def _in_short(error: BaseException) -> str:
    return " ".join(str(error).split())[:120] or type(error).__name__
