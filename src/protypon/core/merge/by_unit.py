"""Three versions of a code file -> one, unit by unit: functions, methods, calls. Asked where a merge by lines does not come out, or comes out wrong.

Two sides that add, remove or change *different* units need no person. One unit changed on both sides is merged by its lines.
Whatever is not sure to hold every unit of either side once, in an order that both sides agree on, stays a conflict.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from protypon.core.languages.spans import Piece
from protypon.core.merge.three_way import Merged, MergeLines, Triple

Split = Callable[[bytes], "list[Piece] | None"]
Parses = Callable[[bytes], bool]


class Chunk(NamedTuple):
    """Whole lines of a file: one unit (or several that share a line), with the lines before it."""

    key: str
    text: bytes
    loose: bool
    """Functions and members can stand in any order; statements can't."""


def chunks(data: bytes, pieces: Sequence[Piece]) -> list[Chunk]:
    """A file's lines, divided among its units; joined, they are the file."""
    found: list[Chunk] = []
    at = 0
    for number, piece in enumerate(pieces):
        end = data.find(b"\n", piece.end)
        end = len(data) if end < 0 else end + 1
        following = pieces[number + 1] if number + 1 < len(pieces) else None
        shared = following is not None and following.begin < end
        if found and piece.begin < at:
            last = found.pop()
            found.append(Chunk(f"{last.key} + {piece.key}", last.text + data[at:end], False))
        else:
            found.append(Chunk(piece.key, data[at:end], piece.kind in ("function", "method") and not shared))
        at = max(at, end)
    if data[at:].strip() or (at < len(data) and not found):
        return []
    return [*found, Chunk("\0end", data[at:], False)]


def merge(triple: Triple, by_lines: Merged, split: Split, parses: Parses, weave: MergeLines) -> Merged:
    """The better of a merge by lines and one by units.

    A merge by lines that loses or doubles a unit, or does not parse, is none.
    """
    parts = [split(text) for text in triple]
    if any(part is None for part in parts):
        return by_lines
    sides = [chunks(text, part or ()) for text, part in zip(triple, parts, strict=True)]
    if not all(sides):
        return by_lines
    units = [_units(text, part or ()) for text, part in zip(triple, parts, strict=True)]

    def right(text: bytes) -> bool:
        found = split(text)
        return found is not None and _fits(_units(text, found), units) and parses(text)

    if by_lines.text is not None and right(by_lines.text):
        return by_lines
    made = _merge_units(sides, weave)
    if made is not None and right(made):
        return Merged(made, by="units")
    return by_lines if by_lines.text is None else Merged(None, by_lines.text)


Units = dict[str, list[bytes]]


def _units(data: bytes, pieces: Sequence[Piece]) -> Units:
    """The texts of each function, member, call, and of what opens a class; a key can stand several times."""
    found: Units = {}
    for p in pieces:
        if p.kind not in ("statement", "close"):
            found.setdefault(p.key.partition(" ~")[0], []).append(data[p.begin : p.end])
    return found


def _fits(made: Units, sides: Sequence[Units]) -> bool:
    """Whether a merge has every unit that it must have, as it must be, and none too often."""
    return all(
        _right(made.get(key, []), *[side.get(key, []) for side in sides])
        for key in {key for table in (made, *sides) for key in table}
    )


def _right(there: list[bytes], base: list[bytes], ours: list[bytes], theirs: list[bytes]) -> bool:
    if ours == theirs or theirs == base:
        return there == ours
    if ours == base:
        return there == theirs
    if not base:
        return len(there) == max(len(ours), len(theirs))
    return min(len(ours), len(theirs)) <= len(there) <= max(len(ours), len(theirs))


def _merge_units(sides: Sequence[list[Chunk]], weave: MergeLines) -> bytes | None:
    base, ours, theirs = ({c.key: c for c in side} for side in sides)
    if any(len(table) != len(side) for table, side in zip((base, ours, theirs), sides, strict=True)):
        return None
    if _renamed_twice(base, ours, theirs):
        return None
    result: dict[str, bytes] = {}
    waiting: list[str] = []
    for key in {**ours, **theirs}:
        b, o, t = (table[key].text if key in table else None for table in (base, ours, theirs))
        if o == t or t == b:
            chosen = o
        elif o == b:
            chosen = t
        elif o is None or t is None:
            if b is None or _same(o if o is not None else t, b):
                chosen = None
            else:
                return None
        else:
            waiting.append(key)
            continue
        if chosen is not None:
            result[key] = chosen
    woven = _by_lines([(base.get(k), ours[k], theirs[k]) for k in waiting], weave)
    if woven is None:
        return None
    result |= dict(zip(waiting, woven, strict=True))
    order = _order([[c.key for c in side if c.key in result] for side in sides], ours | theirs)
    return _join_lines([result[key] for key in order]) if order is not None else None


def _renamed_twice(base: dict[str, Chunk], ours: dict[str, Chunk], theirs: dict[str, Chunk]) -> bool:
    """Whether both sides may have made something else of one unit, each in its own way."""
    gone = base.keys() - ours.keys() - theirs.keys()
    return bool(gone and ours.keys() - base.keys() - theirs.keys() and theirs.keys() - base.keys() - ours.keys())


def _same(text: bytes | None, other: bytes) -> bool:
    """Whether two texts of a unit are one but for the space around it."""
    return text is not None and text.strip() == other.strip()


def _by_lines(threes: list[tuple[Chunk | None, Chunk, Chunk]], weave: MergeLines) -> list[bytes] | None:
    """Units that both sides changed (or added): by their lines."""
    found: dict[int, bytes] = {}
    triples: dict[int, Triple] = {}
    for number, (b, o, t) in enumerate(threes):
        if (b is None and _same(o.text, t.text)) or (b is not None and _same(o.text, b.text)):
            found[number] = t.text
        elif b is not None and _same(t.text, b.text):
            found[number] = o.text
        elif b is None:
            return None
        else:
            triples[number] = (b.text, o.text, t.text)
    for number, woven in zip(triples, weave(list(triples.values())), strict=True):
        if not woven.clean:
            return None
        found[number] = woven.text
    return [found[number] for number in range(len(threes))]


def _order(sides: list[list[str]], units: dict[str, Chunk]) -> list[str] | None:
    """The order of the side that moved things, with what the other one added behind what it stands behind there."""
    base, ours, theirs = sides
    common = set(base) & set(ours) & set(theirs)
    rows = [[key for key in side if key in common] for side in sides]
    first, second = (theirs, ours) if rows[1] == rows[0] else (ours, theirs)
    if rows[0] not in (rows[1], rows[2]) and rows[1] != rows[2]:
        strict = [[key for key in row if not units[key].loose] for row in rows]
        if strict[1] != strict[2]:
            return None
    order = list(first)
    placed = set(order)
    for number, key in enumerate(second):
        if key not in placed:
            before = next((k for k in reversed(second[:number]) if k in placed), None)
            at = order.index(before) + 1 if before is not None else 0
            at = _behind_additions(order, at, set(second), set(base))
            order.insert(at, key)
            placed.add(key)
    return order


def _behind_additions(order: list[str], at: int, second: set[str], base: set[str]) -> int:
    """Where both sides add at one place, the first one's additions come first."""
    while at < len(order) and order[at] not in second and order[at] not in base:
        at += 1
    return at


def _join_lines(texts: list[bytes]) -> bytes:
    """Texts of whole lines; one that was the last of its file may lack its line end."""
    end = b"\r\n" if any(b"\r\n" in text for text in texts) else b"\n"
    *most, last = texts
    solid = [text if text.endswith(b"\n") or not text else text + end for text in most]
    if (
        not last
        and solid
        and all(not t or t.endswith(b"\n") for t in most[:-1])
        and most
        and most[-1]
        and not most[-1].endswith(b"\n")
    ):
        solid[-1] = most[-1]
    return b"".join(solid) + last
