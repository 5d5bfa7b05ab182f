"""Keys of structured texts: what they are called, what stands under each, and a change of one."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, Final, Protocol, runtime_checkable

Key = tuple[str, ...]
"""The names from the top of a document down to a value that is no table."""


class TakenOut:
    """What a key is changed to that is to go."""


GONE: Final = TakenOut()


@runtime_checkable
class Keyed(Protocol):
    """What a structured language offers whose keys can be changed one by one."""

    @staticmethod
    def leaves(text: str) -> dict[Key, Any] | None:
        """Return what stands under each key, in the order of the text; None for one that is not read, or is no table."""

    @staticmethod
    def lines(text: str) -> dict[Key, int]:
        """Return the line of each key, from 1, as far as it can be told."""

    @staticmethod
    def with_values(text: str, changes: Mapping[Key, Any]) -> str:
        """Return the text with other values, new keys, and without those that are ``GONE``: all else stays, byte for byte.

        Raises NotEdited. An empty text is begun.
        """


def leaves_of(value: Any) -> dict[Key, Any] | None:
    """The leaves of a table that was read.

    >>> leaves_of({"a": {"x": 1, "y": {}}, "b": [2]})
    {('a', 'x'): 1, ('a', 'y'): {}, ('b',): [2]}
    """
    return dict(_leaves(value, ())) if isinstance(value, dict) else None


def _leaves(table: Mapping[Any, Any], above: Key) -> Iterator[tuple[Key, Any]]:
    for name, value in table.items():
        key = (*above, name if isinstance(name, str) else json.dumps(name, default=str))
        if isinstance(value, dict) and value:
            yield from _leaves(value, key)
        else:
            yield key, value


def table_of(leaves: Mapping[Key, Any]) -> dict[str, Any]:
    """The table that has such leaves; of two that can't stand beside each other, the later one."""
    table: dict[str, Any] = {}
    for key, value in leaves.items():
        at = table
        for name in key[:-1]:
            below = at.get(name)
            if not isinstance(below, dict):
                below = at[name] = {}
            at = below
        at[key[-1]] = value
    return table


_PLAIN = re.compile(r"[^.\"#\s][^.\"#]*(?<!\s)|[^.\"#\s]")


def name_of(key: Key) -> str:
    """A key as an address has it.

    >>> name_of(("palette", "primary")), name_of(("site.title",))
    ('palette.primary', '"site.title"')
    """
    return ".".join(name if _PLAIN.fullmatch(name) else json.dumps(name, ensure_ascii=False) for name in key)


_NAME = re.compile(r"\"(?:[^\"\\]|\\.)*\"|[^.\"]+")


def key_of(name: str) -> Key | None:
    """The key that an address names; None for what names none.

    >>> key_of('palette."site.title"')
    ('palette', 'site.title')
    """
    found, at = list[str](), 0
    while True:
        match = _NAME.match(name, at)
        if match is None:
            return None
        word = match[0]
        try:
            found.append(json.loads(word) if word.startswith('"') else word)
        except ValueError:
            return None
        at = match.end()
        if at == len(name):
            return tuple(found)
        if name[at] != ".":
            return None
        at += 1


def meets(one: Key, other: Key) -> bool:
    """Whether two keys are one, or one stands below the other."""
    shorter = min(len(one), len(other))
    return one[:shorter] == other[:shorter]


def as_json(value: Any) -> str:
    """A value as one line of JSON."""
    return json.dumps(value, ensure_ascii=False, default=str)


def as_text(value: Any) -> str:
    """A value where there are only texts."""
    if isinstance(value, list | tuple):
        return ", ".join(map(as_text, value))
    return ("true" if value else "false") if isinstance(value, bool) else str(value)
