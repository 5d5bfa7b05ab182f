"""A YAML text (1.2) changed key by key: all but the values in question stays as it is written."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

from protypon.core.languages.data.keys import GONE, Key
from protypon.core.languages.source import NotEdited

if TYPE_CHECKING:
    from ruamel.yaml.nodes import Node

_PLAIN = re.compile(r"[A-Za-z_/][\w ./%+-]*")
_WORDS = frozenset({"true", "false", "null", "yes", "no", "on", "off", "y", "n"})
"""Plain words that some readers take for something else than a text."""


def lines(text: str) -> dict[Key, int]:
    """The line of each key."""
    found: dict[Key, int] = {}

    def go(node: Node | None, above: Key) -> None:
        for name, value in _members(node):
            key = (*above, str(name.value))
            found[key] = name.start_mark.line + 1
            go(value, key)

    go(_compose(text), ())
    return found


def with_values(text: str, changes: Mapping[Key, Any]) -> str:
    """The text with other values. Raises NotEdited for one that is no mapping."""
    newline = "\r\n" if "\r\n" in text else "\n"
    for key, value in changes.items():
        text = _without(text, key) if value is GONE else _with(text, key, value, newline)
    return text


def _with(text: str, key: Key, value: Any, newline: str) -> str:
    node, depth = _top(text), 0
    if node is None:
        gap = "" if not text or text.endswith("\n") else newline
        return f"{text}{gap}{newline.join(_lines(key, value, 0))}{newline}"
    while True:
        pair = next((p for p in _members(node) if str(p[0].value) == key[depth]), None)
        if pair is None:
            return _add_member(text, node, key[depth:], value, newline)
        depth += 1
        if depth == len(key) or not _is_mapping(pair[1]):
            return _replace_value(text, pair, key[depth:], value, newline, _is_flow(node))
        node = pair[1]


def _replace_value(text: str, pair: tuple[Any, Any], rest: Key, value: Any, newline: str, flow: bool) -> str:
    """Another value under a key."""
    name, old = pair
    start, end = old.start_mark.index, _end(text, old)
    style = getattr(old, "style", None)
    for word in reversed(rest):
        value = {word: value}
    if flow or _is_flow(old) or not (isinstance(value, dict) and value):
        made = _flow(value) if style not in ("'", '"') or not isinstance(value, str) else _quote_value(value, style)
        if not _is_mapping(old) and not _is_block(old) and start != end:
            return text[:start] + made + text[end:]
        made = " " + made
    else:
        step = name.start_mark.column + 2
        made = newline + newline.join(line for key, each in value.items() for line in _lines((key,), each, step))
    colon = text.index(":", name.end_mark.index) + 1
    return text[:colon] + made + text[max(end, colon) :]


def _add_member(text: str, node: Any, rest: Key, value: Any, newline: str) -> str:
    """A member more at the end of a mapping."""
    members = _members(node)
    if _is_flow(node):
        for word in reversed(rest[1:]):
            value = {word: value}
        made = f"{_flow(rest[0])}: {_flow(value)}"
        at = members[-1][1].end_mark.index if members else node.start_mark.index + 1
        return f"{text[:at]}{', ' if members else ''}{made}{text[at:]}"
    end = _end(text, members[-1][1])
    stop = text.find("\n", end)
    column = members[0][0].start_mark.column
    made = newline.join(_lines(rest, value, column))
    if stop < 0:
        return f"{text}{newline}{made}"
    return f"{text[: stop + 1]}{made}{newline}{text[stop + 1 :]}"


def _without(text: str, key: Key) -> str:
    around, node = list[tuple[Any, int]](), _top(text)
    for word in key:
        number = next((n for n, p in enumerate(_members(node)) if str(p[0].value) == word), None)
        if node is None or number is None:
            return text
        around.append((node, number))
        node = _members(node)[number][1]
    while len(around) > 1 and len(_members(around[-1][0])) == 1:
        around.pop()
    table, number = around[-1]
    members = _members(table)
    name, value = members[number]
    if _is_flow(table):
        if number + 1 < len(members):
            return text[: name.start_mark.index] + text[members[number + 1][0].start_mark.index :]
        begin = members[number - 1][1].end_mark.index if number else name.start_mark.index
        return text[:begin] + text[value.end_mark.index :]
    begin = text.rfind("\n", 0, name.start_mark.index) + 1
    if text[begin : name.start_mark.index].strip("\ufeff \t"):
        raise NotEdited(f"line {name.start_mark.line + 1} has more than the key in it")
    stop = text.find("\n", _end(text, value))
    return text[:begin] + (text[stop + 1 :] if stop >= 0 else "")


def _compose(text: str) -> Node | None:
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError

    try:
        return YAML(typ="safe", pure=True).compose(text)  # type: ignore[no-any-return]
    except (YAMLError, RecursionError, ValueError) as error:
        raise NotEdited("it does not parse") from error


def _top(text: str) -> Any:
    node = _compose(text)
    if node is not None and not _is_mapping(node):
        raise NotEdited("the top of the file is not a mapping")
    return node


def _members(node: Any) -> list[tuple[Any, Any]]:
    return list(node.value) if _is_mapping(node) else []


def _is_mapping(node: Any) -> bool:
    return getattr(node, "id", "") == "mapping"


def _is_flow(node: Any) -> bool:
    return bool(getattr(node, "flow_style", False))


def _is_block(node: Any) -> bool:
    """Whether a value stands below its key: a list, or a text over several lines."""
    return (node.id == "sequence" and not _is_flow(node)) or getattr(node, "style", None) in ("|", ">")


def _end(text: str, node: Any) -> int:
    """Where what a value says ends: comments and empty lines behind it are not its own."""
    if node.id != "scalar" and not _is_flow(node) and node.value:
        last = node.value[-1]
        return _end(text, last[1] if isinstance(last, tuple) else last)
    end: int = node.end_mark.index
    return len(text[:end].rstrip("\r\n")) if getattr(node, "style", None) in ("|", ">") else end


def _lines(rest: Key, value: Any, column: int) -> Iterator[str]:
    """A key and its value as lines of a block."""
    for depth, word in enumerate(rest[:-1]):
        yield f"{' ' * (column + 2 * depth)}{_flow(word)}:"
    column += 2 * (len(rest) - 1)
    if isinstance(value, dict) and value:
        yield f"{' ' * column}{_flow(rest[-1])}:"
        for key, each in value.items():
            yield from _lines((key,), each, column + 2)
    else:
        yield f"{' ' * column}{_flow(rest[-1])}: {_flow(value)}"


def _flow(value: Any) -> str:
    """A value in one line: a plain text where that is safe, else as JSON has it, which YAML reads too."""
    if isinstance(value, str) and _PLAIN.fullmatch(value) and not value.endswith(" ") and value.lower() not in _WORDS:
        return value
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_flow(key)}: {_flow(each)}" for key, each in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_flow, value)) + "]"
    try:
        return json.dumps(value, ensure_ascii=False)
    except (TypeError, ValueError) as error:
        raise NotEdited(f"{value!r} can't be written") from error


def _quote_value(value: str, style: str | None) -> str:
    if style == "'" and value.isprintable():
        return "'" + value.replace("'", "''") + "'"
    return json.dumps(value, ensure_ascii=False)
