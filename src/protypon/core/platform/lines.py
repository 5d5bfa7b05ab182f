"""In which line of a TOML document (v1.0.0) something stands that a problem names."""

from __future__ import annotations

import re
from collections import Counter

_TOKEN = re.compile(
    r'"""(?:[^\\]|\\.)*?"""|\'\'\'.*?\'\'\'|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*|\n|[\[\]{},=]|[^\s\[\]{},=#"\']+',
    re.S,
)


def line_of(text: str, where: str) -> int | None:
    """The line of ``means.attach[2].call``, or of the nearest thing round it that stands in the document.

    >>> line_of('[means]\\nattach = [\\n  "a(point)",\\n  "b(point)",\\n]\\n', "means.attach[2]")
    4
    """
    lines = _places(text)
    while where:
        if where in lines:
            return lines[where]
        where = re.sub(r"(\[\d+\]|\.?[^.\[]+)$", "", where)
    return None


def _places(text: str) -> dict[str, int]:
    """Every key and item of a document, with its line."""
    found: dict[str, int] = {}
    tokens, line = [], 1
    for match in _TOKEN.finditer(text):
        tokens.append((match.group(), line))
        line += match.group().count("\n")
    counts: Counter[str] = Counter()
    head, at = "", 0
    while at < len(tokens):
        token, line = tokens[at]
        if token == "[":
            head, at = _header(tokens, at, counts)
            found.setdefault(head, line)
        elif token in ("\n", "]", ",") or token.startswith("#"):
            at += 1
        else:
            at = _pair(tokens, at, head, found)
    return found


def _header(tokens: list[tuple[str, int]], at: int, counts: Counter[str]) -> tuple[str, int]:
    double = tokens[at + 1][0] == "[" if at + 1 < len(tokens) else False
    name = ""
    while at < len(tokens) and tokens[at][0] != "\n":
        name += _bare(tokens[at][0]) if tokens[at][0] not in "[]" and not tokens[at][0].startswith("#") else ""
        at += 1
    counts[name] += double
    return (f"{name}[{counts[name]}]" if double else name), at


def _bare(token: str) -> str:
    return token[1:-1] if token[:1] in "\"'" else token


def _pair(tokens: list[tuple[str, int]], at: int, head: str, found: dict[str, int]) -> int:
    """Read ``key = value`` and note where it stands; where the next token is."""
    key, line = "", tokens[at][1]
    while at < len(tokens) and tokens[at][0] not in ("=", "\n"):
        key += _bare(tokens[at][0])
        at += 1
    place = f"{head}.{key}" if head else key
    found.setdefault(place, line)
    return _value(tokens, at + 1, place, found)


def _value(tokens: list[tuple[str, int]], at: int, place: str, found: dict[str, int]) -> int:
    token = tokens[at][0] if at < len(tokens) else ""
    if token == "[":
        return _array(tokens, at + 1, place, found)
    if token == "{":
        at += 1
        while at < len(tokens) and tokens[at][0] != "}":
            at = at + 1 if tokens[at][0] in (",", "\n") else _pair(tokens, at, place, found)
    return at + 1


def _array(tokens: list[tuple[str, int]], at: int, place: str, found: dict[str, int]) -> int:
    number = 0
    while at < len(tokens) and tokens[at][0] != "]":
        if tokens[at][0] in (",", "\n") or tokens[at][0].startswith("#"):
            at += 1
            continue
        number += 1
        found.setdefault(f"{place}[{number}]", tokens[at][1])
        at = _value(tokens, at, f"{place}[{number}]", found)
    return at + 1
