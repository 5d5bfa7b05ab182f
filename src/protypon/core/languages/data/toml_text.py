"""A TOML text (v1.0.0) changed key by key, by tomlkit: comments and order stay."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from protypon.core.languages.data.keys import GONE, Key, key_of
from protypon.core.languages.source import NotEdited

_HEAD = re.compile(r"\s*\[([^\[\]]+)\]\s*(?:#.*)?")
_LINE = re.compile(
    r"\s*((?:[\w-]+|\"(?:[^\"\\]|\\.)*\"|'[^']*')(?:\s*\.\s*(?:[\w-]+|\"(?:[^\"\\]|\\.)*\"|'[^']*'))*)\s*="
)


def lines(text: str) -> dict[Key, int]:
    """The line of each key that stands at the beginning of one."""
    found: dict[Key, int] = {}
    above: Key = ()
    for number, line in enumerate(text.splitlines(), 1):
        head, member = _HEAD.fullmatch(line), _LINE.match(line)
        if head is not None:
            above = _key(head[1])
            found[above] = number
        elif member is not None:
            found.setdefault((*above, *_key(member[1])), number)
    return found


def _key(words: str) -> Key:
    return key_of(re.sub(r"\s*\.\s*", ".", words.strip()).replace("'", '"')) or ()


def with_values(text: str, changes: Mapping[Key, Any]) -> str:
    """The text with other values. Raises NotEdited."""
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        document: Any = tomlkit.parse(text)
        for key, value in changes.items():
            if value is GONE:
                _take_out(document, key)
            else:
                _put_key(document, key, value)
        return tomlkit.dumps(document)
    except (TOMLKitError, ValueError, TypeError, AttributeError, IndexError) as error:
        raise NotEdited(" ".join(str(error).split())[:120] or type(error).__name__) from error


def _put_key(table: Any, key: Key, value: Any) -> None:
    import tomlkit

    for name in key[:-1]:
        if not isinstance(table.get(name), dict):
            table[name] = tomlkit.table()
        table = table[name]
    table[key[-1]] = value


def _take_out(document: Any, key: Key) -> None:
    around: list[tuple[Any, str]] = []
    table = document
    for name in key:
        if not isinstance(table, dict) or name not in table:
            return
        around.append((table, name))
        table = table[name]
    while len(around) > 1 and len(around[-1][0]) == 1:
        around.pop()
    table, name = around[-1]
    table.remove(name)
