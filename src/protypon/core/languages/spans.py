"""What the languages share: the spans of units, calls and functions in a syntax tree."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterable, Iterator
from typing import Any, NamedTuple

MOST = 100_000
"""Nodes of a tree that are looked at."""


class Piece(NamedTuple):
    """One unit of a file: a function, a member of a class, a call, a statement."""

    key: str
    """What it is known by in another version of the file."""
    kind: str
    """``function``, ``open`` and ``close`` (of a class or namespace), ``method``, ``call`` or ``statement``."""
    name: str
    begin: int
    """With the comments right above it."""
    start: int
    end: int
    """With the comment behind it in its last line."""
    stop: int = 0
    """Without it; 0 where none can stand there."""


class CallSpan(NamedTuple):
    """One call: its name, and where its arguments stand."""

    name: str
    start: int
    end: int
    name_end: int
    arguments: tuple[tuple[str, int, int], ...]
    """Keyword (empty: by position), start and end of the value."""
    line: int


class DeclarationSpan(NamedTuple):
    """One named function, class or method."""

    kind: str
    """``function``, ``class`` or ``method``."""
    name: str
    """Of a method with its class before it: ``Class::name``."""
    begin: int
    """With the comments right above it, or above its guard."""
    start: int
    end: int
    column: int
    """Bytes before it in its line."""
    guard: tuple[int, int] | None
    """The statement whose only body it is."""
    around: tuple[int, int]
    """All that goes when it goes: with its guard, and the comments above that."""


def source_of(data: bytes) -> bytes:
    """The text with the same offsets, a byte order mark made into empty lines."""
    return data.replace(codecs.BOM_UTF8, b"\n\n\n", 1) if data.startswith(codecs.BOM_UTF8) else data


def walk(root: Any, into: Callable[[Any], bool] = lambda node: True) -> Iterator[Any]:
    """Nodes in the order of the text, at most ``MOST`` of them."""
    waiting, count = [root], 0
    while waiting and count < MOST:
        node = waiting.pop()
        count += 1
        yield node
        if into(node):
            waiting.extend(reversed(node.named_children))


def with_comments(node: Any, among: list[Any], number: int) -> int:
    """Where a node begins, with the comments that stand right above it."""
    begin, row = node.start_byte, node.start_point[0]
    while number > 0:
        before = among[number - 1]
        last = before.end_point[0] - (before.end_point[1] == 0)
        if before.type != "comment" or last != row - 1 or not _alone(among, number - 1):
            break
        begin, row, number = before.start_byte, before.start_point[0], number - 1
    return int(begin)


def _alone(among: list[Any], number: int) -> bool:
    """Whether a comment has its line for itself."""
    before = among[number - 1] if number > 0 else None
    return before is None or before.end_point[0] != among[number].start_point[0] or before.end_point[1] == 0


def with_trailing_comment(node: Any, among: list[Any], number: int) -> int:
    """Where a node ends, with a comment behind it in the same line."""
    after = among[number + 1] if number + 1 < len(among) else None
    if after is not None and after.type == "comment" and after.start_point[0] == node.end_point[0]:
        return int(after.end_byte)
    return int(node.end_byte)


def number_alike(found: Iterable[Piece]) -> list[Piece]:
    """Pieces with one key told apart by their number."""
    seen: dict[str, int] = {}
    result = []
    for piece in found:
        seen[piece.key] = seen.get(piece.key, 0) + 1
        result.append(piece if seen[piece.key] == 1 else piece._replace(key=f"{piece.key} ~{seen[piece.key]}"))
    return result


def text_of(node: Any) -> str:
    """The text of a node; bytes that are no UTF-8 survive."""
    return (node.text or b"").decode("utf-8", "surrogateescape")


def begin_of(node: Any) -> int:
    """Where a node begins, with the comments above it among its neighbours."""
    among = list(node.parent.children) if node.parent is not None else [node]
    return with_comments(node, among, next(n for n, other in enumerate(among) if other.id == node.id))


def declaration_span(kind: str, name: str, whole: Any, end: int, guard: Any = None) -> DeclarationSpan:
    """The span of a declaration; of one in a guard, a comment above that counts where there is none inside."""
    begin = begin_of(whole)
    if begin == whole.start_byte and guard is not None:
        above = begin_of(guard)
        begin = above if above < guard.start_byte else begin
    first = guard if guard is not None else whole
    around = begin_of(first), first.end_byte
    outer = (guard.start_byte, guard.end_byte) if guard is not None else None
    return DeclarationSpan(kind, name, begin, whole.start_byte, end, whole.start_point[1], outer, around)


def call_span(name: Any, node: Any, arguments: list[tuple[str, int, int]]) -> CallSpan:
    """A call as a span, with those of its arguments."""
    called = text_of(name).lstrip("\\")
    return CallSpan(
        called,
        node.start_byte,
        node.end_byte,
        name.end_byte,
        tuple(arguments),
        node.start_point[0] + 1,
    )


def without_layout(text: bytes, most: int = 120) -> str:
    """A text without its layout, as part of a key."""
    return " ".join(text.decode("utf-8", "surrogateescape").split())[:most]


def end_of_text(data: bytes) -> int:
    """Behind the last line that says something, its own trailing space included."""
    at = len(data.rstrip())
    while at < len(data) and data[at : at + 1] in (b" ", b"\t"):
        at += 1
    return at
