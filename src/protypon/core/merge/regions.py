"""Two changes of one text side by side: what each side changed where, and how they meet."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from protypon.core.merge.three_way import Differ, LineChange

CONTEXT = 3
"""Lines that are shown around what changed."""


class RegionLine(NamedTuple):
    """One line of a region: who has it."""

    who: str
    """Whose change it is: ``parent``, ``child``, ``both``; empty for a line that nobody changed."""
    sign: str
    """``-`` for a line of the base that goes, ``+`` for one that comes; empty where it stays."""
    text: str
    base: int | None
    """Its line in the base; None for one that comes."""


class Region(NamedTuple):
    """A part of the base that a side changed, with the lines around it."""

    first: int
    """The first and the last line of the base that are shown, from 1."""
    last: int
    parent: tuple[LineChange, ...]
    child: tuple[LineChange, ...]
    meets: str
    """How the two meet there: empty where only one side changed something, ``same``, ``apart`` or ``conflict``."""
    rows: tuple[RegionLine, ...]
    place: str = ""
    """Where it stands, in words: in which block, element, function or rule."""


def regions(base: bytes, ours: bytes, theirs: bytes, differ: Differ) -> list[Region]:
    """Every region of three texts, in order; ``theirs`` is the parent's, ``ours`` the child's."""
    parent, child = list(differ(base, theirs)), list(differ(base, ours))
    lines = [_lines(text) for text in (base, theirs, ours)]
    found = []
    for first, last, left, right in _group_changes(parent, child, len(lines[0])):
        rows = tuple(_rows(first, last, left, right, *lines))
        found.append(Region(first, last, left, right, _meeting(left, right, *lines), rows))
    return found


def _lines(text: bytes) -> list[str]:
    found = text.decode("utf-8", "replace").split("\n")
    return [line.rstrip("\r") for line in (found[:-1] if found[-1] == "" else found)]


def _span(change: LineChange) -> tuple[int, int]:
    """The lines of the base that a change takes up; of one that only brings lines, that above them."""
    return (change.start, change.start + change.count - 1) if change.count else (change.start, change.start)


def _group_changes(
    parent: list[LineChange], child: list[LineChange], total: int
) -> Iterator[tuple[int, int, tuple[LineChange, ...], tuple[LineChange, ...]]]:
    """Changes that stand close to each other, with the lines around them."""
    waiting = sorted([(_span(c), 0, c) for c in parent] + [(_span(c), 1, c) for c in child], key=lambda row: row[:2])
    while waiting:
        end, mine = waiting[0][0][1], list[tuple[int, LineChange]]()
        begin = waiting[0][0][0]
        while waiting and waiting[0][0][0] <= end + 2 * CONTEXT:
            (_, last), side, change = waiting.pop(0)
            mine.append((side, change))
            end = max(end, last)
        left, right = (tuple(c for side, c in mine if side == which) for which in (0, 1))
        yield max(1, begin - CONTEXT), max(min(total, end + CONTEXT), 0), left, right


def _rows(
    first: int,
    last: int,
    left: Iterable[LineChange],
    right: Iterable[LineChange],
    base: list[str],
    theirs: list[str],
    ours: list[str],
) -> Iterator[RegionLine]:
    gone = {n: who for who, changes in (("parent", left), ("child", right)) for c in changes for n in _numbers(c)}
    both = set(_lines_of_changes(left)) & set(_lines_of_changes(right))
    comes = {"parent": _coming(left, theirs), "child": _coming(right, ours)}
    for number in range(first, last + 1):
        if number == 1:
            yield from _new(0, comes)
        who = "both" if number in both else gone.get(number, "")
        yield RegionLine(who, "-" if who else "", base[number - 1], number)
        yield from _new(number, comes)
    if last == 0:
        yield from _new(0, comes)


def _numbers(change: LineChange) -> range:
    return range(change.start, change.start + change.count)


def _lines_of_changes(changes: Iterable[LineChange]) -> Iterator[int]:
    for change in changes:
        yield from _numbers(change)


def _coming(changes: Iterable[LineChange], text: list[str]) -> dict[int, list[str]]:
    """The lines that come, by the line of the base behind which they stand."""
    found: dict[int, list[str]] = {}
    for c in changes:
        behind = c.start + c.count - 1 if c.count else c.start
        if c.new_count:
            found.setdefault(behind, []).extend(text[c.new_start - 1 : c.new_start - 1 + c.new_count])
    return found


def _new(number: int, comes: dict[str, dict[int, list[str]]]) -> Iterator[RegionLine]:
    parents, own = comes["parent"].get(number, []), comes["child"].get(number, [])
    if parents and parents == own:
        yield from (RegionLine("both", "+", line, None) for line in parents)
        return
    yield from (RegionLine("parent", "+", line, None) for line in parents)
    yield from (RegionLine("child", "+", line, None) for line in own)


def _meeting(
    left: tuple[LineChange, ...], right: tuple[LineChange, ...], base: list[str], theirs: list[str], ours: list[str]
) -> str:
    if not left or not right:
        return ""
    touching = [(a, b) for a in left for b in right if _touch(a, b)]
    if not touching:
        return "apart"
    if all(_same(a, b, theirs, ours) for a, b in touching):
        return "same" if len(left) == len(right) == len(touching) else "apart"
    return "conflict"


def _touch(a: LineChange, b: LineChange) -> bool:
    (a1, a2), (b1, b2) = (
        (c.start - 0.5, c.start + c.count - 0.5) if c.count else (c.start + 0.5, c.start + 0.5) for c in (a, b)
    )
    return a1 <= b2 and b1 <= a2


def _same(a: LineChange, b: LineChange, theirs: list[str], ours: list[str]) -> bool:
    texts = (text[c.new_start - 1 : c.new_start - 1 + c.new_count] for c, text in ((a, theirs), (b, ours)))
    return (a.start, a.count) == (b.start, b.count) and next(texts) == next(texts)
