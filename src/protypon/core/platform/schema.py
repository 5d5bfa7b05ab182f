"""What a structured file may say: a small description language and a checker that finds the nearest right word."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any, Protocol

from protypon.core.model.limits import PATTERN_BYTES
from protypon.core.model.nouns import Problem
from protypon.core.platform.expand import signature_problem
from protypon.core.platform.expressions import problem_of


class Shape(Protocol):
    """One kind of value."""

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a value; ``where`` is its place in the file."""

    @property
    def says(self) -> str:
        """What may stand there, in words."""


def value_words(value: Any) -> str:
    """A found value, short enough for one line."""
    if isinstance(value, dict):
        return "a table"
    text = str(value).lower() if isinstance(value, bool) else repr(value).replace("'", '"')
    return text if len(text) <= 40 else text[:37] + "..."


def _wrong(value: Any, where: str, file: str, says: str, near: str = "") -> list[Problem]:
    tail = f'; did you mean "{near}"?' if near else ""
    return [Problem(file, f"{where}: found {value_words(value)}, allowed is {says}{tail}")]


@dataclass(frozen=True, slots=True)
class String:
    """A string; one of ``choices`` where there are any; a regular expression or a relative path where asked."""

    choices: tuple[str, ...] | Callable[[], tuple[str, ...]] = ()
    regex: bool = False
    relative: bool = False

    @property
    def allowed(self) -> tuple[str, ...]:
        """The only texts that may stand there; empty where any may."""
        return self.choices() if callable(self.choices) else self.choices

    @property
    def says(self) -> str:
        """What may stand there, in words."""
        if self.allowed:
            return "one of " + ", ".join(f'"{c}"' for c in self.allowed)
        if self.regex:
            return "a regular expression"
        return "a relative path with /" if self.relative else "a text"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a value; ``where`` is its place in the file."""
        if not isinstance(value, str):
            return _wrong(value, where, file, self.says)
        if self.allowed and value not in self.allowed:
            return _wrong(value, where, file, self.says, nearest(value, self.allowed))
        if len(value) > PATTERN_BYTES and not self.allowed:
            return _wrong(value, where, file, f"{self.says} of at most {PATTERN_BYTES:,} characters")
        if self.regex and (why := problem_of(value)):
            return _wrong(value, where, file, f"{self.says} ({why})")
        if self.relative and (value.startswith("/") or "\\" in value or ".." in value.split("/")):
            return _wrong(value, where, file, self.says)
        return []


@dataclass(frozen=True, slots=True)
class Flag:
    """True or false."""

    says: str = "true or false"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a value; ``where`` is its place in the file."""
        return [] if isinstance(value, bool) else _wrong(value, where, file, self.says)


@dataclass(frozen=True, slots=True)
class Number:
    """A whole number."""

    says: str = "a whole number"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a value; ``where`` is its place in the file."""
        fits = isinstance(value, int) and not isinstance(value, bool)
        return [] if fits else _wrong(value, where, file, self.says)


@dataclass(frozen=True, slots=True)
class Anything:
    """Whatever TOML can say."""

    says: str = "any value"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """Nothing is wrong with any value."""
        return []


@dataclass(frozen=True, slots=True)
class Many:
    """An array of one shape."""

    item: Shape
    empty: bool = True

    @property
    def says(self) -> str:
        """What may stand there, in words."""
        return f"a list; each item {self.item.says}"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a list and with each of its items."""
        if not isinstance(value, list) or (not value and not self.empty):
            return _wrong(value, where, file, self.says)
        return [p for i, item in enumerate(value, 1) for p in self.item.check(item, f"{where}[{i}]", file)]


@dataclass(frozen=True, slots=True)
class Signature:
    """How a call is written, with the role of each argument."""

    says: str = 'a call as in "hang(point, callback, order=10)"'

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a call as it is written with the roles of its arguments."""
        if not isinstance(value, str) or len(value) > PATTERN_BYTES:
            return _wrong(value, where, file, self.says)
        why = signature_problem(value)
        return _wrong(why, where, file, self.says) if why else []


@dataclass(frozen=True, slots=True)
class Either:
    """One of several shapes, told apart by the type of the value."""

    shapes: Mapping[type, Shape]

    @property
    def says(self) -> str:
        """What may stand there, in words."""
        return " or ".join(shape.says for shape in self.shapes.values())

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a value, by the shape that its type has here."""
        shape = self.shapes.get(type(value))
        return shape.check(value, where, file) if shape is not None else _wrong(value, where, file, self.says)


@dataclass(frozen=True, slots=True)
class Dictionary:
    """A table with free keys, or with the keys of ``words`` only."""

    item: Shape
    words: tuple[str, ...] = ()

    @property
    def says(self) -> str:
        """What may stand there, in words."""
        return "a table"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with the keys and values of a table with any keys."""
        if not isinstance(value, dict):
            return _wrong(value, where, file, self.says)
        problems = [
            p
            for key in value
            if self.words and key not in self.words
            for p in unknown_key(key, where, file, self.words)
        ]
        return problems + [p for key, item in value.items() for p in self.item.check(item, f"{where}.{key}", file)]


@dataclass(frozen=True, slots=True)
class Table:
    """A table with known keys."""

    keys: Mapping[str, Shape]
    required: tuple[str, ...] = field(default=())

    @property
    def says(self) -> str:
        """What may stand there, in words."""
        return "a table"

    def check(self, value: Any, where: str, file: str) -> list[Problem]:
        """What is wrong with a table: keys that it may not have, keys that it lacks, and its values."""
        if not isinstance(value, dict):
            return _wrong(value, where, file, self.says)
        prefix = where + "." if where else ""
        problems = []
        for key, item in value.items():
            shape = self.keys.get(key)
            if shape is None:
                problems += unknown_key(key, where, file, tuple(self.keys))
            else:
                problems += shape.check(item, prefix + key, file)
        problems += [
            Problem(file, f"{prefix}{key}: not there, needed is {self.keys[key].says}")
            for key in self.required
            if key not in value
        ]
        return problems


def nearest(word: str, words: tuple[str, ...], alike: float = 0.5) -> str:
    """Return the word most like ``word``, or an empty string where none is ``alike`` enough."""
    return next(iter(get_close_matches(word, words, 1, alike)), "")


def unknown_key(key: str, where: str, file: str, known: tuple[str, ...]) -> list[Problem]:
    """The problem of a key that may not stand there, with the nearest one that may."""
    near = nearest(key, known)
    tail = f'; did you mean "{near}"?' if near else ""
    place = f"{where}.{key}" if where else key
    return [Problem(file, f"{place}: no such key, allowed is {', '.join(sorted(known))}{tail}")]
