"""Three texts -> one text, or the places that need a person. What the merge itself is made with comes in as ``weave``."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

from protypon.core.model.evidence import Place

MARKER_OURS, MARKER_BASE, MARKER_THEIRS = b"<<<<<<< ", b"||||||| ", b">>>>>>> "


class MergedLines(Protocol):
    """The result of one merge by lines."""

    @property
    def clean(self) -> bool:
        """Whether it came out without a person."""

    @property
    def text(self) -> bytes:
        """The merged text, with marks where it did not come out."""

    @property
    def token(self) -> str:
        """The mark that begins lines of a conflict and stands in none of the texts."""


class LineChange(Protocol):
    """One difference of lines."""

    @property
    def start(self) -> int:
        """The first line that goes, from 1."""

    @property
    def count(self) -> int:
        """How many lines go."""

    @property
    def new_start(self) -> int:
        """The first line that comes, from 1."""

    @property
    def new_count(self) -> int:
        """How many lines come."""


Triple = tuple[bytes, bytes, bytes]
MergeLines = Callable[[Sequence[Triple]], Sequence[MergedLines]]
Differ = Callable[[bytes, bytes], Sequence[LineChange]]


@dataclass(frozen=True, slots=True)
class Merged:
    """``text`` where it is clean; ``marked`` (with markers behind which ``token`` stands) where it is not.

    Binary files have neither: both versions must be offered.
    """

    text: bytes | None
    marked: bytes | None = None
    token: str = ""
    by: str = ""
    """What it was merged by where lines alone would not do: ``units``, ``elements``, ``keys`` or ``layout``."""


def is_binary(data: bytes) -> bool:
    """Git's rule: a NUL byte among the first 8000 (git, xdiff-interface.c, FIRST_FEW_BYTES)."""
    return b"\0" in data[:8000]


def line_end(data: bytes) -> bytes | None:
    """The one line end of a text: CRLF, LF or CR; None where it has several, or none at all."""
    crlf = data.count(b"\r\n")
    lf, cr = data.count(b"\n") - crlf, data.count(b"\r") - crlf
    found = [end for end, count in ((b"\r\n", crlf), (b"\n", lf), (b"\r", cr)) if count]
    return found[0] if len(found) == 1 else None


def merge_all(triples: Sequence[Triple], weave: MergeLines) -> list[Merged]:
    """Merge many (base, ours, theirs); never mixes binary files.

    Where a merge by lines does not come out, it is tried once more with line ends made alike, and the child's
    line ends given back.
    """
    results: dict[int, Merged] = {}
    textual = []
    for number, (base, ours, theirs) in enumerate(triples):
        if ours in (base, theirs):
            results[number] = Merged(theirs)
        elif base == theirs:
            results[number] = Merged(ours)
        elif any(map(is_binary, (base, ours, theirs))):
            results[number] = Merged(None)
        else:
            textual.append(number)
    for number, woven in zip(textual, weave([triples[n] for n in textual]), strict=True):
        results[number] = Merged(woven.text) if woven.clean else Merged(None, woven.text, woven.token)
    _with_one_line_end(triples, results, weave)
    return [results[number] for number in range(len(triples))]


def _with_one_line_end(triples: Sequence[Triple], results: dict[int, Merged], weave: MergeLines) -> None:
    again = []
    for number, result in results.items():
        ends = [line_end(text) for text in triples[number]]
        if result.text is None and result.marked is not None and None not in ends and len(set(ends)) > 1:
            again.append((number, ends))
    texts = [tuple(_with_ends(t, e, b"\n") for t, e in zip(triples[n], ends, strict=True)) for n, ends in again]
    for (number, ends), woven in zip(again, weave(texts), strict=True):  # type: ignore[arg-type]
        own = ends[1] or b"\n"
        text = _with_ends(woven.text, b"\n", own)
        results[number] = Merged(text) if woven.clean else Merged(None, text, woven.token)


def _with_ends(text: bytes, old: bytes | None, new: bytes) -> bytes:
    return text if old is None or old == new else text.replace(old, new)


def label(marked: bytes, token: str, ours: str, base: str, theirs: str) -> bytes:
    """Write people's words behind our markers.

    >>> label(b"<<<<<<< t\\na\\n", "t", "yours", "old", "new")
    b'<<<<<<< yours\\na\\n'
    """
    ending = token.encode()
    for marker, words in ((MARKER_OURS, ours), (MARKER_BASE, base), (MARKER_THEIRS, theirs)):
        marked = marked.replace(marker + ending, marker + words.encode("utf-8", "backslashreplace"))
    return marked


def changed_lines(before: bytes, after: bytes, differ: Differ) -> tuple[tuple[int, int], ...]:
    """Line ranges (first, last) of ``after`` that differ from ``before``; what was only cut out gives the line it stood at."""
    if is_binary(before) or is_binary(after):
        return ()
    return tuple(_range(h.new_start, h.new_count) for h in differ(before, after))


def _range(start: int, count: int) -> tuple[int, int]:
    return (start, start + count - 1) if count else (max(start, 1), max(start, 1))


def conflict_places(base: bytes, ours: bytes, theirs: bytes, differ: Differ) -> tuple[Place, ...]:
    """Where both sides changed the same lines of the base, as ranges of the two."""
    if any(map(is_binary, (base, ours, theirs))):
        return ()
    left, right = differ(base, ours), differ(base, theirs)
    return tuple(
        Place((a.new_start, a.new_count), (b.new_start, b.new_count)) for a in left for b in right if _touch(a, b)
    )


def _touch(a: LineChange, b: LineChange) -> bool:
    first, last = _base_span(a)
    other_first, other_last = _base_span(b)
    return first <= other_last and other_first <= last


def _base_span(change: LineChange) -> tuple[float, float]:
    """The base lines a difference takes up; an insertion stands between two lines."""
    if change.count:
        return change.start - 0.5, change.start + change.count - 0.5
    return change.start + 0.5, change.start + 0.5
