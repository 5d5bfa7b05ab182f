"""Paths in themes: how they are written, and what can stand at one. Light, for a warm check imports little else."""

from __future__ import annotations

from typing import NamedTuple

FILE, RUNNABLE, LINK, FOLDER = 0o100644, 0o100755, 0o120000, 0o040000
"""The modes of an entry, as Git writes them (gitformat-index, "mode")."""


def quote_path(path: str) -> str:
    """Write a path for an address: ``#``, ``%``, control characters and undecodable bytes become ``%XX``.

    >>> quote_path("img/50% off#1.svg")
    'img/50%25 off%231.svg'
    """
    if path.isprintable() and "#" not in path and "%" not in path:
        return path
    return "".join(c if c.isprintable() and c not in "#%" else _percent(c) for c in path)


def _percent(char: str) -> str:
    return "".join(f"%{byte:02X}" for byte in char.encode("utf-8", "surrogateescape"))


def unquote_path(text: str) -> str:
    """Undo :func:`quote_path`; a ``%`` that is no escape stands for itself."""
    if "%" not in text:
        return text
    out = bytearray()
    position = 0
    raw = text.encode("utf-8", "surrogateescape")
    while position < len(raw):
        pair = raw[position + 1 : position + 3]
        if (
            raw[position : position + 1] == b"%"
            and len(pair) == 2
            and all(b in b"0123456789abcdefABCDEF" for b in pair)
        ):
            out.append(int(pair, 16))
            position += 3
        else:
            out.append(raw[position])
            position += 1
    return out.decode("utf-8", "surrogateescape")


class Entry(NamedTuple):
    """One file, link or empty folder of a theme, as found."""

    path: str
    mode: int
    size: int
    digest: str
    """The Git blob id of the bytes (of the target, for a link); empty for an empty folder."""
