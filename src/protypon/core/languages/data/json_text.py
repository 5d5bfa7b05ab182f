"""A JSON text (RFC 8259) changed key by key: all but the values in question stays as it is written."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from protypon.core.languages.data.keys import GONE, Key, table_of
from protypon.core.languages.source import NotEdited

_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|[{}\[\],:]|[^\s{}\[\],:"]+')
MOST_NESTED = 200
"""Objects and lists inside one another that are gone into."""


@dataclass(slots=True)
class _Value:
    """A value: where it begins and ends, and its members if it is an object."""

    start: int
    end: int
    members: list[_Member] = field(default_factory=list)
    is_object: bool = False


@dataclass(slots=True)
class _Member:
    """A key of an object with what stands under it."""

    name: str
    start: int
    value: _Value


def lines(text: str) -> dict[Key, int]:
    """The line of each key."""
    found: dict[Key, int] = {}

    def go(node: _Value, above: Key) -> None:
        for member in node.members:
            key = (*above, member.name)
            found[key] = text.count("\n", 0, member.start) + 1
            go(member.value, key)

    go(_read_values(text), ())
    return found


def with_values(text: str, changes: Mapping[Key, Any]) -> str:
    """The text with other values. Raises NotEdited for one that is no object."""
    newline = "\r\n" if "\r\n" in text else "\n"
    if not text.strip("\ufeff \t\r\n"):
        left = {key: value for key, value in changes.items() if value is not GONE}
        return text.strip() + json.dumps(table_of(left), indent=2, ensure_ascii=False).replace("\n", newline) + newline
    for key, value in changes.items():
        text = _without(text, key) if value is GONE else _with(text, key, value, newline)
    return text


def _with(text: str, key: Key, value: Any, newline: str) -> str:
    node, depth = _top(text), 0
    while True:
        member = next((m for m in reversed(node.members) if m.name == key[depth]), None)
        if member is None:
            return _add_member(text, node, key[depth:], value, newline, depth)
        depth += 1
        if depth == len(key) or not member.value.is_object:
            found = member.value
            return text[: found.start] + _value(key[depth:], value, text, newline, depth) + text[found.end :]
        node = member.value


def _add_member(text: str, node: _Value, key: Key, value: Any, newline: str, depth: int) -> str:
    """A member more at the end of an object."""
    unit = _indent(text)
    member = f"{json.dumps(key[0], ensure_ascii=False)}: {_value(key[1:], value, text, newline, depth + 1)}"
    if node.members:
        last = node.members[-1]
        before = text[: last.start]
        gap = (
            before[len(before.rstrip()) :] if len(node.members) == 1 or "\n" in before[len(before.rstrip()) :] else " "
        )
        return f"{text[: last.value.end]},{gap}{member}{text[last.value.end :]}"
    if unit:
        inside = f"{newline}{unit * (depth + 1)}{member}{newline}{unit * depth}"
        return f"{text[: node.start]}{{{inside}}}{text[node.end :]}"
    return f"{text[: node.start]}{{{member}}}{text[node.end :]}"


def _value(key: Key, value: Any, text: str, newline: str, depth: int) -> str:
    """A value, inside of tables if more of its key is to come; tables stand over several lines where the text does."""
    for name in reversed(key):
        value = {name: value}
    unit = _indent(text)
    if unit and isinstance(value, dict) and value:
        return json.dumps(value, indent=unit, ensure_ascii=False).replace("\n", newline + unit * depth)
    return json.dumps(value, ensure_ascii=False)


def _indent(text: str) -> str:
    """By how much members stand in; empty where all stands in one line."""
    found = re.search(r"[{\[][ \t]*\r?\n([ \t]+)", text)
    return found[1] if found else ("  " if "\n" in text.strip() else "")


def _without(text: str, key: Key) -> str:
    """Without a key, and without the tables that have nothing in them then."""
    around, node = list[tuple[_Value, int]](), _top(text)
    for name in key:
        number = next((n for n, m in enumerate(node.members) if m.name == name), None)
        if number is None:
            return text
        around.append((node, number))
        node = node.members[number].value
    while len(around) > 1 and len(around[-1][0].members) == 1:
        around.pop()
    table, number = around[-1]
    member = table.members[number]
    if len(table.members) == 1:
        return f"{text[: table.start]}{{}}{text[table.end :]}"
    if number + 1 < len(table.members):
        return text[: member.start] + text[table.members[number + 1].start :]
    return text[: table.members[number - 1].value.end] + text[member.value.end :]


def _top(text: str) -> _Value:
    node = _read_values(text)
    if not node.is_object:
        raise NotEdited("the top of the file is not an object")
    return node


def _read_values(text: str) -> _Value:
    """The values of a text that is right."""
    tokens = [(match[0], match.start(), match.end()) for match in _TOKEN.finditer(text)]
    if not tokens:
        raise NotEdited("there is nothing in it")
    try:
        return _value_at(tokens, 0, 0)[0]
    except IndexError:
        raise NotEdited("it ends too early") from None


def _value_at(tokens: list[tuple[str, int, int]], at: int, depth: int) -> tuple[_Value, int]:
    word, start, end = tokens[at]
    if word not in ("{", "["):
        return _Value(start, end), at + 1
    if depth > MOST_NESTED:
        raise NotEdited("nested too deeply")
    node, at = _Value(start, end, is_object=word == "{"), at + 1
    while tokens[at][0] not in ("}", "]"):
        if tokens[at][0] == ",":
            at += 1
            continue
        name, begun = tokens[at][0], tokens[at][1]
        if node.is_object:
            at += 2
        value, at = _value_at(tokens, at, depth + 1)
        if node.is_object:
            node.members.append(_Member(json.loads(name, strict=False), begun, value))
    node.end = tokens[at][2]
    return node, at + 1
