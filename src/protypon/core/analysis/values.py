"""Values as far as they are known without running anything, and what operations make of them."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from protypon.core.languages.code import Code, Function

LONGEST_TEXT = 1 << 16
MOST_VALUES = 2000


@dataclass(frozen=True, slots=True)
class Unknown:
    """A value that can't be known, and why."""

    why: str = "made at run time"


@dataclass(frozen=True, slots=True)
class File:
    """One code file or template of one theme."""

    theme: str
    path: str
    code: Code = field(repr=False, compare=False)
    language: str = ""
    hoists: bool = False
    folds: bool = False

    @property
    def root(self) -> str:
        """How a file's own folder is written while paths are made: no real path begins like it."""
        folder = self.path.rpartition("/")[0]
        return f"\0{self.theme}/{folder}".rstrip("/")


@dataclass(frozen=True, eq=False, slots=True)
class Closure:
    """A function as a value: which one, and the variables that it sees."""

    function: Function
    file: File
    env: Env | None = None
    this: Any = None
    opaque: bool = False
    """Something wraps it that is not known."""

    @property
    def name(self) -> str:
        return self.function.name


@dataclass(frozen=True, eq=False, slots=True)
class Thing:
    """An object of a class of the lineage, and those of its attributes that were set."""

    cls: str
    values: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Bound:
    """A method of an object."""

    thing: Thing
    name: str


@dataclass(slots=True)
class Env:
    """Variables, and those around them."""

    values: dict[str, Any]
    outer: Env | None = None

    def get(self, name: str) -> Any:
        """A variable's value; KeyError where there is none."""
        env: Env | None = self
        while env is not None:
            if name in env.values:
                return env.values[name]
            env = env.outer
        raise KeyError(name)


def known(value: Any) -> bool:
    """Say whether a value is known to the last part."""
    if isinstance(value, Unknown):
        return False
    if isinstance(value, dict):
        return all(known(item) for item in value.values())
    return all(known(item) for item in value) if isinstance(value, list) else True


def bounded(value: Any) -> Any:
    """A list or table, unless it holds too much: one that holds itself twice grows without end."""
    waiting, count = [value], 0
    while waiting:
        count += 1
        if count > MOST_VALUES:
            return Unknown("a very large table")
        found = waiting.pop()
        if isinstance(found, dict):
            waiting += found.values()
        elif isinstance(found, list):
            waiting += found
    return value


def as_text(value: Any, php: bool) -> str | Unknown:
    """A value as it is printed."""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return ("1" if value else "") if php else str(value)
    if value is None:
        return "" if php else "None"
    return str(value) if isinstance(value, int) else Unknown()


def truth(value: Any, php: bool) -> bool | Unknown:
    """Whether a value counts as true."""
    if isinstance(value, Unknown):
        return value
    if php and value == "0":
        return False
    return bool(value) if isinstance(value, str | int | float | bool | list | dict | None) else True


def equal(a: Any, b: Any, php: bool) -> bool | Unknown:
    """Whether two values are equal. In PHP, values of two types are compared as its manual says (Comparison Operators)."""
    if not (known(a) and known(b)):
        return Unknown()
    if type(a) is type(b) or not php:
        return bool(a == b)
    if not all(isinstance(v, str | int | bool | None) for v in (a, b)):
        return Unknown("values of two types are compared")
    if isinstance(a, bool) or isinstance(b, bool):
        return truth(a, True) == truth(b, True)
    if a is None or b is None:
        other = b if a is None else a
        return other == "" if isinstance(other, str) else not other
    text, number = (a, b) if isinstance(a, str) else (b, a)
    return int(text) == number if re.fullmatch(r"-?\d{1,15}", str(text)) else str(number) == text


def identical(a: Any, b: Any) -> bool | Unknown:
    return type(a) is type(b) and a == b if known(a) and known(b) else Unknown()


def combine(op: str, values: list[Any], php: bool) -> Any:
    """The result of an operation that needs all its values."""
    if op == ".":
        texts = [as_text(value, php) for value in values]
        if any(isinstance(text, Unknown) for text in texts):
            return Unknown()
        joined = "".join(str(text) for text in texts)
        return joined if len(joined) <= LONGEST_TEXT else Unknown("a very long text")
    if op == "not":
        value = truth(values[0], php)
        return value if isinstance(value, Unknown) else not value
    if op == "==":
        return equal(values[0], values[1], php)
    if op == "===":
        return identical(values[0], values[1])
    if op in ("!=", "!=="):
        same = combine({"!=": "==", "!==": "==="}[op], values, php)
        return same if isinstance(same, Unknown) else not same
    if op in _NUMBERS and all(isinstance(v, int) and not isinstance(v, bool) for v in values):
        result = values[0]
        for value in values[1:]:
            result = _NUMBERS[op](result, value)
        return result if abs(result) < 1 << 62 else Unknown("a very large number")
    if op == "+" and not php and (all(isinstance(v, str) for v in values) or all(isinstance(v, list) for v in values)):
        return sum(values[1:], values[0]) if isinstance(values[0], list) else combine(".", values, php)
    if op in ("<", ">", "<=", ">=") and all(isinstance(v, int) for v in values):
        return _ORDERED[op](*values)
    if op in ("in", "not in") and isinstance(values[1], list | dict | str) and known(values):
        found = values[0] in values[1] if not isinstance(values[1], str) or isinstance(values[0], str) else Unknown()
        return found if isinstance(found, Unknown) or op == "in" else not found
    if op == "[]":
        return _item(*values)
    return Unknown()


def _item(holder: Any, key: Any) -> Any:
    if isinstance(holder, list) and isinstance(key, int) and 0 <= key < len(holder):
        return holder[key]
    if isinstance(holder, dict) and isinstance(key, str | int):
        return holder.get(key, Unknown("a key that is not there"))
    return Unknown()


_NUMBERS: dict[str, Callable[[int, int], int]] = {"+": int.__add__, "-": int.__sub__, "*": int.__mul__}
_ORDERED: dict[str, Callable[[Any, Any], bool]] = {
    "<": lambda a, b: a < b, ">": lambda a, b: a > b, "<=": lambda a, b: a <= b, ">=": lambda a, b: a >= b,
}  # fmt: skip
