"""A text with conflict markers, taken apart and put together again: each place by itself."""

from __future__ import annotations

from collections.abc import Iterable
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
