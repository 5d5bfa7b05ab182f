"""Whether a text is what was foretold, piece by piece: an unknown piece may be anything."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.languages.values import Unknown


def fits(pieces: Iterable[str | Unknown], text: str) -> bool:
    """Say whether a text has all known pieces in their order, and nothing but unknown ones in between."""
    known: list[str] = [""]
    for piece in pieces:
        if isinstance(piece, Unknown):
            known.append("")
        else:
            known[-1] += piece
    if len(known) == 1:
        return text == known[0]
    first, *middle, last = known
    if not text.startswith(first) or len(text) < len(first) + len(last):
        return False
    at = len(first)
    for piece in middle:
        found = text.find(piece, at)
        if found < 0:
            return False
        at = found + len(piece)
    return len(text) - len(last) >= at and text.endswith(last)
