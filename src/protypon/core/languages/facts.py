"""Syntax facts of sources, cached by content and grammar version: a second look parses nothing."""

from __future__ import annotations

import gc
import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from protypon.core.files.caches import Cache
from protypon.core.files.listing import Progress
from protypon.core.languages.code import Code, unpacked
from protypon.core.languages.registry import CODED, Coded, Language, coded, language
from protypon.core.languages.source import Block, Reference, SourceFacts
from protypon.core.model.limits import SOURCE_BYTES, TEMPLATE_BYTES
from protypon.core.model.nouns import Problem

FORMAT = "facts/3"
"""Changes whenever the rows of the cache would for the same facts."""
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
        self._used: dict[str, set[str]] = {}
        self._read: dict[tuple[str, str], SourceFacts] = {}
        self._said: dict[tuple[str, str], Code] = {}

    def known(self, name: str, digest: str) -> SourceFacts | None:
        """The facts of one source, if they were asked for before."""
        return self._read.get((name, digest))

    def facts(self, name: str, digest: str, read: Callable[[], bytes]) -> SourceFacts:
        """The facts of one source in language ``name``; ``read`` is called only where they are new."""
        if (name, digest) in self._read:
            return self._read[name, digest]
        kind = _kind("", name)
        facts = _facts_of_row(self._row(kind, digest))
        if facts is None:
            facts = _facts_of(language(name), read())
            self._note(kind, digest, _row_of_facts(facts))
        self._read[name, digest] = facts
        return facts

    def code(self, name: str, digest: str, read: Callable[[], bytes]) -> Code:
        """What one source says; likewise remembered by content."""
        if (name, digest) in self._said:
            return self._said[name, digest]
        kind = _kind("code", name)
        self._used.setdefault(kind, set()).add(digest)
        found = _code_of_row(self._cache.load(kind, digest) if self._cache is not None else None)
        if found is None:
            found = _code_of(coded(name), read())
            self._note(kind, digest, found)
        self._said[name, digest] = found
        return found

    def problems(self, name: str, digest: str, file: str, read: Callable[[], bytes]) -> list[Problem]:
        """Where one source does not parse, likewise remembered by content."""
        kind = _kind("problems", name)
        found = _problems_of_row(self._row(kind, digest), file)
        if found is None:
            module = language(name)
            sound = name in CODED and self.code(name, digest, read).sound
            found = [] if sound and module.ANY_ENCODING else _problems_of(module, read(), file, sound)
            self._note(kind, digest, [[p.message, p.line, p.column] for p in found])
        return found

    def _row(self, kind: str, digest: str) -> Any:
        """A small row; all of its kind are read at once."""
        if kind not in self._rows:
            self._rows[kind] = self._cache.load_all(kind) if self._cache is not None else {}
        self._used.setdefault(kind, set()).add(digest)
        return _decoded(self._rows[kind].get(digest))

    def _note(self, kind: str, digest: str, row: Any) -> None:
        self._parsed += 1
        if self._progress:
            self._progress("sources parsed", self._parsed)
        body = json.dumps(row, separators=(",", ":")).encode()
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
            if self._cache is not None:
                self._cache.save(kind, rows)
        self._new, self._waiting = {}, 0

    def save(self) -> None:
        """Write what is new, and make room where most of what is kept is of sources that nobody asks for any more."""
        self._write()
        for kind in self._changed:
            if self._cache is not None:
                self._cache.keep_used(kind, self._used[kind])
        self._changed.clear()


def _kind(what: str, name: str) -> str:
    """Where the rows of one language are, by all that they depend on besides the sources."""
    return f"{FORMAT} {what} {language(name).VERSION}"


def _decoded(data: bytes | None) -> Any:
    try:
        return json.loads(data) if data is not None else None
    except (ValueError, RecursionError):
        return None


@contextmanager
def uncollected() -> Iterator[None]:
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


def _too_large(module: Language | Coded, data: bytes) -> str:
    most = TEMPLATE_BYTES if module.VERSION.startswith("jinja/") else SOURCE_BYTES
    return f"is {len(data):,} bytes, over {most:,}, and is not followed" if len(data) > most else ""


def _facts_of(module: Language, data: bytes) -> SourceFacts:
    """What a source names; of one that is not read, that it may name anything."""
    if not _too_large(module, data):
        try:
            return module.facts(data.decode("utf-8", "replace"))
        except UNREADABLE:
            pass
    from protypon.core.languages.jinja.source import mentions

    return SourceFacts((Reference("include", (), 1, 1, True),), mentions=mentions(data.decode("utf-8", "replace")))


def _code_of(module: Coded, data: bytes) -> Code:
    """What a source does; of one that is not read, why."""
    if why := _too_large(module, data):
        return Code(unread=why)
    try:
        with uncollected():
            return module.code(data)
    except UNREADABLE as error:
        return Code(unread=f"can't be read: {_in_short(error)}")


def _problems_of(module: Language, data: bytes, file: str, sound: bool) -> list[Problem]:
    """Where a source does not parse; of one that is too large to be parsed, nothing is said. ``sound``: it is known to."""
    if _too_large(module, data):
        return []
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


SPOILED = (ValueError, TypeError, KeyError, IndexError, AttributeError, RecursionError)
"""What a row of a cache comes to that no reader wrote: it is as good as none."""


def _code_of_row(data: bytes | None) -> Code | None:
    row = _decoded(data)
    try:
        found = unpacked(row) if row is not None else None
    except SPOILED:
        return None
    return found if isinstance(found, Code) else None


def _problems_of_row(row: Any, file: str) -> list[Problem] | None:
    if not isinstance(row, list):
        return None
    fits = all(
        isinstance(r, list)
        and len(r) == 3
        and isinstance(r[0], str)
        and all(n is None or type(n) is int for n in r[1:])
        for r in row
    )
    return [Problem(file, *r) for r in row] if fits else None


def _row_of_facts(facts: SourceFacts) -> list[Any]:
    references = [[r.how, r.names, r.line, r.column, r.optional, r.block] for r in facts.references]
    return [
        references,
        [[b.name, b.line, b.last, b.body, b.within, b.calls] for b in facts.blocks],
        facts.mentions,
        facts.calls,
        facts.bound,
    ]


def _facts_of_row(row: Any) -> SourceFacts | None:
    if row is None:
        return None
    try:
        references, blocks, mentions, calls, bound = row
        return SourceFacts(
            tuple(Reference(how, tuple(names), *rest) for how, names, *rest in references),
            tuple(
                Block(name, line, last, body, within, tuple(calls)) for name, line, last, body, within, calls in blocks
            ),
            tuple(mentions),
            tuple(calls),
            tuple(bound),
        )
    except SPOILED:
        return None
