"""Elements that a text prints: names, classes, ids and attributes, with holes where something is filled in at run time."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

from protypon.core.languages.holes import pieces, replace_holes

HOLE = "\ufffc"
"""In the place of what is filled in."""
_TAG = re.compile(rf"<([A-Za-z{HOLE}][\w{HOLE}:.-]*)((?:\"[^\"]*\"|'[^']*'|[^>\"'<])*)")
_ATTRIBUTE = re.compile(rf"([\w{HOLE}:@.-]+)\s*(?:=\s*(\"[^\"]*\"|'[^']*'|[^\s\"'>]+))?")
_NAME = re.compile(r"[\w-]+", re.ASCII)
LONGEST = 1_000_000


class Printed(NamedTuple):
    """One element as a text has it."""

    name: str
    """In lower case; empty where it is filled in."""
    classes: frozenset[str]
    more: tuple[str, ...]
    """Classes of which a part is filled in, with :data:`HOLE` in its place; ``HOLE`` alone: any other ones."""
    ids: tuple[str, ...]
    attributes: frozenset[str]
    open: bool
    """It may have attributes that are not seen here."""
    line: int


def printed_elements(text: str) -> Iterator[Printed]:
    """The elements of a template, or of the texts in code; one that begins in one text and ends in another is open.

    >>> [(p.name, sorted(p.classes), p.more) for p in printed_elements('<p class="lamp {{ x }} b-{{ y }}">')]
    [('p', ['lamp'], ('\ufffc', 'b-\ufffc'))]
    """
    if len(text) > LONGEST:
        return
    yield from _elements(replace_holes(text, _blank))
    code = list(pieces(text, {"<?": "?>"}))
    if code:
        outside = [0, *(place for piece in code for place in piece), len(text)]
        parts = (text[begin:end] for begin, end in pairwise(outside))
        yield from _elements("".join(part if number % 2 else _blank(part) for number, part in enumerate(parts)))


def _blank(text: str) -> str:
    """A hole that keeps its line ends."""
    return HOLE + "\n" * text.count("\n")


def _elements(text: str) -> Iterator[Printed]:
    plain = text.replace('\\"', '"').replace("\\'", "'")
    line, at = 1, 0
    for found in _TAG.finditer(plain):
        line, at = line + plain.count("\n", at, found.start()), found.start()
        yield _element(found, line)


def _element(found: re.Match[str], line: int) -> Printed:
    classes: set[str] = set()
    more: list[str] = []
    ids: list[str] = []
    names = set[str]()
    rest = found[2]
    for each in _ATTRIBUTE.finditer(rest):
        name, value = each[1].lower(), _value(each[2] or "")
        if name == "class" and HOLE in "".join(names):
            more.append(HOLE)  # what is filled in before it may have said it first
        names.add(name)
        if name == "class":
            for word in value.split():
                if _NAME.fullmatch(word):
                    classes.add(word)
                else:
                    more.append(_with_holes(word))
        elif name == "id":
            ids.append(value if _NAME.fullmatch(value) else _with_holes(value))
    outside = _ATTRIBUTE.sub("", rest)
    is_open = HOLE in "".join(names) or bool(outside.strip(" \t\r\n/")) or not found.string.startswith(">", found.end())
    name = "" if HOLE in found[1] else found[1].lower()
    return Printed(name, frozenset(classes), tuple(more), tuple(ids), frozenset(names), is_open, line)


def _value(written: str) -> str:
    """An attribute's value without its quotes; what stands outside of texts, where code puts several together, is a hole."""
    value = written[1:-1] if written[:1] in ('"', "'") else written
    other = "'" if written.startswith('"') else '"'
    return HOLE.join(value.split(other)[::2])


def _with_holes(word: str) -> str:
    """A word with one hole for each stretch that is no letter of a name, and each variable."""
    return re.sub(r"(?:\$\w+|[^\w-])+", HOLE, word)


def may_be(word: str, name: str) -> bool:
    """Whether a word with holes can come to be a name."""
    return re.fullmatch(".*".join(map(re.escape, word.split(HOLE))), name, re.DOTALL) is not None


def may_have_class(element: Printed, name: str) -> bool:
    """Whether an element has a class, or may have it."""
    unseen = element.open and "class" not in element.attributes
    return name in element.classes or unseen or any(may_be(word, name) for word in element.more)


def may_have_id(element: Printed, name: str) -> bool:
    """Whether an element has an id, or may have it where part of it is filled in."""
    unseen = element.open and "id" not in element.attributes
    return unseen or any(may_be(word, name) if HOLE in word else word == name for word in element.ids)
