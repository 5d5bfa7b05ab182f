"""Values as far as they are known without running anything: those that every language shares.

Texts, numbers, truth values and nothing are themselves. A list or table of a language that copies them (PHP) is a ``list`` or ``dict`` that
nobody changes; one of a language that shares them (Python) is a :class:`Box` round one. All else is an object of its own class.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import NamedTuple

LONGEST_TEXT = 1 << 16
MOST_VALUES = 2000


FOLDER, ADDRESS = "\0", "\1"
"""What the known beginning of a path or address begins with: then comes a theme's slug, for nobody knows where a site lies."""
_SIGNS = (FOLDER, ADDRESS)


@dataclass(frozen=True, slots=True)
class Unknown:
    """A value that can't be known, and why; of a text, perhaps some of it."""

    why: str = "made at run time"
    shape: tuple[str | None, ...] = ()
    """Pieces of a text, None for each that can't be known; empty: it may be anything."""
    foreign: bool = False
    """It comes from elsewhere: no object of the lineage, but one that was handed out."""
    absent: bool = False
    """There may be nothing at all."""

    def may_be(self, text: str) -> bool:
        """Whether it can be a certain text."""
        if not self.shape:
            return True
        pattern = "".join(".*" if piece is None or piece[:1] in _SIGNS else re.escape(piece) for piece in self.shape)
        return re.fullmatch(pattern, text, re.DOTALL | re.IGNORECASE) is not None


@dataclass(frozen=True, slots=True)
class Failure:
    """What a language raises, for sure, instead of giving a value."""

    error: str
    """The class of the error, one of the language's own."""
    said: tuple[object, ...] | None = None
    """What it is made with; None: that is not known."""


class Markup(str):
    """A text that is HTML already."""


class Absent:
    """Stands where there is nothing."""

    def __repr__(self) -> str:
        return "ABSENT"


ABSENT = Absent()


@dataclass(frozen=True, eq=False, slots=True)
class Single:
    """A value of which there is only one, by its name."""

    name: str


NOT_IMPLEMENTED, ELLIPSIS = Single("NotImplemented"), Single("Ellipsis")
"""What an operation gives that an object does not know (https://docs.python.org/3/library/constants.html), and ``...``."""


def foreign(why: str) -> Unknown:
    """A value that comes from outside of the lineage."""
    return Unknown(why, (), True)


class NumberedTable(dict[object, object]):
    """A table of which the next number is not one more than its highest."""

    __slots__ = ("next",)

    def __init__(self, pairs: dict[object, object], next: int) -> None:
        super().__init__(pairs)
        self.next = next


@dataclass(frozen=True, eq=False, slots=True)
class Box:
    """A list, table or set that is shared: ``slots`` holds it under one key, so that it changes as variables do."""

    kind: str
    """``list``, ``dict``, ``set`` (a table of which only the keys count) or ``view`` (shows what stands elsewhere)."""
    slots: dict[object, object] = field(default_factory=dict)

    @property
    def value(self) -> object:
        """The list or table; Unknown where it was changed in a way that can't be followed."""
        return self.slots.get("value", Unknown())


def box(kind: str, value: object) -> Box:
    """A list or table that other values may share."""
    return Box(kind, {"value": value})


@dataclass(frozen=True, eq=False, slots=True)
class Alias:
    """A variable that has several names; ``slots`` holds its value under one key."""

    slots: dict[object, object] = field(default_factory=dict)

    @property
    def value(self) -> object:
        """What stands there now."""
        return self.slots.get("value")

    @property
    def lost(self) -> bool:
        """Whether it may be changed from where nobody sees it."""
        return "lost" in self.slots


@dataclass(frozen=True, eq=False, slots=True)
class Descriptor:
    """A function in a class that is asked for in a special way: ``property``, ``static`` (no object) or ``class`` (the class as the first)."""

    kind: str
    inside: object
    setter: object = None
    """What is called where a ``property`` is set."""


def is_known(value: object) -> bool:
    """Say whether a value is known to the last part."""
    waiting, count = [value], 0
    while waiting:
        count += 1
        found = waiting.pop()
        if isinstance(found, Unknown) or count > MOST_VALUES:
            return False
        if isinstance(found, Box | Alias):
            found = found.value
            if isinstance(found, Unknown):
                return False
        if isinstance(found, dict):
            waiting += found.values()
        elif isinstance(found, list | tuple):
            waiting += found
    return True


def within_bounds(value: object) -> object:
    """A list or table, unless it holds too much: one that holds itself twice grows without end."""
    waiting, count = [value], 0
    while waiting:
        count += 1
        if count > MOST_VALUES:
            return Unknown("a very large table")
        found = waiting.pop()
        if isinstance(found, Box | Alias):
            found = found.value
        if isinstance(found, dict):
            waiting += found.values()
        elif isinstance(found, list | tuple):
            waiting += found
    return value


class ThemePath(NamedTuple):
    """A path or address inside a theme."""

    sign: str
    """FOLDER or ADDRESS."""
    theme: str
    path: str
    """Without ``.`` and ``..``; empty for the theme's own folder."""


def in_theme(sign: str, theme: str, path: str = "") -> Unknown:
    """A path or address of which only is known where it lies in a theme."""
    return Unknown("where the site lies", (f"{sign}{theme}/{path}".rstrip("/"),), True)


def path_in_theme(value: object) -> ThemePath | None:
    """Where a path or address lies in a theme; None for any other value."""
    pieces = value.shape if isinstance(value, Unknown) else ()
    if len(pieces) != 1 or pieces[0] is None or pieces[0][:1] not in _SIGNS:
        return None
    theme, _, path = pieces[0][1:].partition("/")
    parts: list[str] = []
    for part in path.split("/"):
        if part == ".." and not parts:
            return None
        if part == "..":
            parts.pop()
        elif part not in ("", "."):
            parts.append(part)
    return ThemePath(pieces[0][0], theme, "/".join(parts))


def readable(value: object) -> object:
    """A value for people: a path in a theme as it is in the bench."""
    place = path_in_theme(value)
    return value if place is None else f"{place.theme}/{place.path}".rstrip("/")


def plain(value: object) -> object:
    """A value as people and other programs read it: lists and tables without what shares them."""
    return _plain(within_bounds(value), 0)


def _plain(value: object, depth: int) -> object:
    if depth > 50:
        return Unknown("nested too deeply")
    if isinstance(value, Box | Alias):
        return _plain(value.value, depth + 1)
    if isinstance(value, dict):
        return {key: _plain(each, depth + 1) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(each, depth + 1) for each in value]
    return value


def join_texts(pieces: list[object]) -> object:
    """Texts one after the other; of those that are not known, what is known of them."""
    shape: list[str | None] = []
    why = ""
    for piece in pieces:
        parts: tuple[object, ...] = (piece,)
        if not isinstance(piece, str):
            why = why or (piece.why if isinstance(piece, Unknown) else "made at run time")
            parts = piece.shape if isinstance(piece, Unknown) and piece.shape else (None,)
        for part in parts:
            text = part if isinstance(part, str) else None
            if shape and (text is None) == (shape[-1] is None):
                shape[-1] = None if text is None else f"{shape[-1]}{text}"
            else:
                shape.append(text)
    if sum(len(part) for part in shape if part is not None) > LONGEST_TEXT:
        return Unknown("a very long text")
    if why:
        return Unknown(why, tuple(shape))
    return shape[0] if shape else ""
