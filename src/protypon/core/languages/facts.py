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

FORMAT = "protypon.facts/2"
"""Changes whenever the rows of a cache file would for the same facts."""


def _version(name: str) -> str:
    """What the rows of one cache file depend on besides the sources."""
    return f"{FORMAT} {language(name.removesuffix('-code')).VERSION}"


class FactsCache:
    """Facts by digest, one cache file a language, read when first asked for and written by :meth:`save`."""

    def __init__(self, cache: Cache | None, progress: Progress | None = None) -> None:
        self._cache = cache
        self._progress = progress
        self._parsed = 0
        self._known: dict[str, dict[str, Any]] = {}
        self._changed: set[str] = set()
        self._used: set[str] = set()
        self._read: dict[tuple[str, str], SourceFacts] = {}
        self._said: dict[tuple[str, str], Code] = {}

    def known(self, name: str, digest: str) -> SourceFacts | None:
        """The facts of one source, if they were asked for before."""
        return self._read.get((name, digest))

    def facts(self, name: str, digest: str, read: Callable[[], bytes]) -> SourceFacts:
        """The facts of one source in language ``name``; ``read`` is called only where they are new."""
        if (name, digest) in self._read:
            return self._read[name, digest]
        module = language(name)
        known = self._load(name)
        self._used.add(digest)
        facts = _unpacked(known[digest]) if digest in known else None
        if facts is None:
            facts = _facts_of(module, read())
            known[digest] = _packed(facts)
            self._note(name)
        self._read[name, digest] = facts
        return facts

    def code(self, name: str, digest: str, read: Callable[[], bytes]) -> Code:
        """What one source says; likewise remembered by content."""
        key = digest + "*"
        if (name, key) in self._said:
            return self._said[name, key]
        module = coded(name)
        kept = name + "-code"
        known = self._load(kept)
        self._used.add(key)
        said = known.get(key)
        found = said if isinstance(said, Code) else _code_of_row(said)
        if found is None:
            found = _code_of(module, read())
            known[key] = found
            self._note(kept)
        self._said[name, key] = found
        return found

    def problems(self, name: str, digest: str, file: str, read: Callable[[], bytes]) -> list[Problem]:
        """Where one source does not parse, likewise remembered by content."""
        module = language(name)
        known = self._load(name)
        key = digest + "!"
        self._used.add(key)
        found = _problems_of_row(known.get(key), file)
        if found is None:
            sound = name in CODED and self.code(name, digest, read).sound
            found = [] if sound and module.ANY_ENCODING else _problems_of(module, read(), file, sound)
            known[key] = [[p.message, p.line, p.column] for p in found]
            self._note(name)
        return found

    def _note(self, name: str) -> None:
        self._changed.add(name)
        self._parsed += 1
        if self._progress:
            self._progress("sources parsed", self._parsed)

    def save(self) -> None:
        for name in self._changed:
            if self._cache is not None:
                body = {"version": _version(name), "facts": self._fresh(name)}
                self._cache.save(f"facts-{name}.json", json.dumps(body, separators=(",", ":")).encode())
        self._changed.clear()

    def _fresh(self, name: str) -> dict[str, Any]:
        """What to keep of one language: all of it, until most of it is of sources nobody asks for any more."""
        known = self._known[name]
        used = {key: row for key, row in known.items() if key in self._used}
        return used if len(known) > 4 * len(used) + 1000 else known

    def _load(self, name: str) -> dict[str, Any]:
        if name not in self._known:
            self._known[name] = {}
            if self._cache is not None:
                self._known[name] = _read(self._cache.load(f"facts-{name}.json"), _version(name))
        return self._known[name]


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


def _read(data: bytes | None, version: str) -> dict[str, Any]:
    try:
        body = json.loads(data) if data is not None else None
    except (ValueError, RecursionError):
        return {}
    found = body.get("facts") if isinstance(body, dict) and body.get("version") == version else None
    return found if isinstance(found, dict) else {}


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


def _code_of_row(row: Any) -> Code | None:
    try:
        return unpacked(row) if row is not None else None
    except SPOILED:
        return None


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


def _packed(facts: SourceFacts) -> list[Any]:
    references = [[r.how, r.names, r.line, r.column, r.optional, r.block] for r in facts.references]
    return [
        references,
        [[b.name, b.line, b.last, b.body, b.within, b.calls] for b in facts.blocks],
        facts.mentions,
        facts.calls,
        facts.bound,
    ]


def _unpacked(row: Any) -> SourceFacts | None:
    try:
        return _facts_of_row(row)
    except SPOILED:
        return None


def _facts_of_row(row: list[Any]) -> SourceFacts:
    references, blocks, mentions, calls, bound = row
    return SourceFacts(
        tuple(Reference(how, tuple(names), *rest) for how, names, *rest in references),
        tuple(Block(name, line, last, body, within, tuple(calls)) for name, line, last, body, within, calls in blocks),
        tuple(mentions),
        tuple(calls),
        tuple(bound),
    )
