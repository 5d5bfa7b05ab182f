"""Paths in themes: how they are written, and what can stand at one. Light, for a warm check imports little else."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple, NewType

from protypon.core.model.errors import BadInput
from protypon.core.model.limits import PATH_BYTES, PATH_PARTS

RelPath = NewType("RelPath", str)
"""A path below a folder that can't lead out of it: made by :func:`rel_path` alone."""

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
    escaped = "surrogateescape" if "\udc80" <= char <= "\udcff" else "surrogatepass"
    return "".join(f"%{byte:02X}" for byte in char.encode("utf-8", escaped))


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


def rel_path(*parts: str) -> RelPath:
    """Join what may come from a theme, a ledger or an archive to a path that stays below the folder it is meant for.

    Raises BadInput for what is absolute, climbs (``..``), is empty, or holds what no path can hold.

    >>> rel_path("proposals", "gull", "pages/tour.html")
    'proposals/gull/pages/tour.html'
    """
    path = "/".join(parts)
    why = why_unsafe(path)
    if why:
        raise BadInput(f"{quote_path(path)[:200]!r}: {why}")
    return RelPath(path)


def why_unsafe(path: str) -> str:
    """What forbids a path below a folder; empty where nothing does."""
    pieces = path.split("/")
    if path.startswith("/"):
        return "is an absolute path"
    if ".." in pieces:
        return "climbs out of its folder"
    if "" in pieces or "." in pieces:
        return "is no plain path"
    if "\0" in path:
        return "has a NUL in it"
    return why_too_long(path, len(pieces))


def why_too_long(path: str, parts: int) -> str:
    """What a path has too much of; empty where it has not."""
    if parts > PATH_PARTS:
        return f"has more than {PATH_PARTS} folders"
    return f"is longer than {PATH_BYTES:,} bytes" if len(path.encode("utf-8", "surrogateescape")) > PATH_BYTES else ""


def folders_above(path: str) -> Iterator[str]:
    """The folders above a path, inner ones first.

    >>> list(folders_above("themes/gull/parts/a.html"))
    ['themes/gull/parts', 'themes/gull', 'themes']
    """
    while "/" in path:
        path = path.rpartition("/")[0]
        yield path


def is_name(text: str) -> bool:
    """Whether a text can be the name of one file or folder, and be typed and printed as it is.

    >>> is_name("lantern-rock"), is_name("../../etc")
    (True, False)
    """
    return "/" not in text and "\\" not in text and text.isprintable() and not why_unsafe(text)


class Entry(NamedTuple):
    """One file, link or empty folder of a theme, as found."""

    path: str
    mode: int
    size: int
    digest: str
    """The Git blob id of the bytes (of the target, for a link); empty for an empty folder."""
