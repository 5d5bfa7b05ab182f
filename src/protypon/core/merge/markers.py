"""A text with conflict markers, taken apart and put together again: each place by itself."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from protypon.core.merge.three_way import MARKER_BASE, MARKER_OURS, MARKER_THEIRS, Triple

BETWEEN = b"======="


class Clash(NamedTuple):
    """One place where two sides meet: whole lines of each."""

    base: bytes
    ours: bytes
    theirs: bytes


def taken_apart(marked: bytes, token: str, triple: Triple) -> list[bytes | Clash] | None:
    """The pieces of a text whose markers are followed by a token; None where a line of the text looks like a marker itself.

    ``triple`` are the whole texts: a last line without an end, to which a marker gave one, is without it again.
    """
    found: list[bytes | Clash] = []
    side, parts = "", dict[str, list[bytes]]()
    ending = token.encode()
    for line in marked.splitlines(keepends=True):
        bare = line.rstrip(b"\r\n")
        if not side and bare == MARKER_OURS + ending:
            side, parts = "ours", {"": parts.get("", []), "ours": [], "base": [], "theirs": []}
            found.append(b"".join(parts[""]))
        elif side == "ours" and bare == MARKER_BASE + ending:
            side = "base"
        elif side == "base" and bare == BETWEEN:
            side = "theirs"
        elif side == "theirs" and bare == BETWEEN:
            return None
        elif side == "theirs" and bare == MARKER_THEIRS + ending:
            found.append(Clash(*(b"".join(parts[which]) for which in ("base", "ours", "theirs"))))
            side, parts = "", {}
        else:
            parts.setdefault(side, []).append(line)
    if side:
        return None
    rest = b"".join(parts.get("", []))
    last = found[-1] if found else b""
    if not rest and isinstance(last, Clash):
        sides = zip(last, triple, strict=True)
        found[-1] = Clash._make(text if whole.endswith(b"\n") else text.removesuffix(b"\n") for text, whole in sides)
    return [*found, rest]


def put_together(pieces: Iterable[bytes | Clash], token: str) -> tuple[bytes, bool]:
    """The text again, and whether no place is left that a person must look at."""
    out, clean, ending = list[bytes](), True, token.encode()
    for piece in pieces:
        if isinstance(piece, bytes):
            out.append(piece)
            continue
        clean = False
        end = b"\r\n" if b"\r\n" in piece.ours + piece.theirs else b"\n"
        sides = ((MARKER_OURS + ending, piece.ours), (MARKER_BASE + ending, piece.base), (BETWEEN, piece.theirs))
        for marker, text in sides:
            out += [marker, end, text, b"" if not text or text.endswith(b"\n") else end]
        out += [MARKER_THEIRS + ending, end]
    return b"".join(out), clean


def solutions(pieces: Sequence[bytes | Clash], finished: bytes) -> dict[Clash, bytes]:
    """What a person made of each place of a marked text; empty where the finished text has more changed than these places.

    >>> solutions([b"a\\n", Clash(b"x\\n", b"y\\n", b"z\\n"), b"b\\n"], b"a\\nyz\\nb\\n")
    {Clash(base=b'x\\n', ours=b'y\\n', theirs=b'z\\n'): b'yz\\n'}
    """
    found: dict[Clash, bytes] = {}
    at, waiting = 0, None
    for number, piece in enumerate(pieces):
        if isinstance(piece, Clash):
            waiting = piece
            continue
        last = number == len(pieces) - 1
        where = (len(finished) - len(piece) if finished.endswith(piece) else -1) if last else finished.find(piece, at)
        if where < at or (waiting is None and where != at):
            return {}
        if waiting is not None:
            found[waiting] = finished[at:where]
        at, waiting = where + len(piece), None
    return found if waiting is None and at == len(finished) else {}
