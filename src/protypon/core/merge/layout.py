"""A change of a text without the parts of it that are only layout or comments."""

from __future__ import annotations

import re
from collections.abc import Callable

from protypon.core.merge.three_way import Differ, LineChange

MOST = 200
"""Differences of one text that are looked at one by one."""


def without_layout(base: bytes, text: bytes, differ: Differ, same: Callable[[bytes, bytes], bool]) -> bytes:
    """``text`` with every difference taken back that does not count: with it and without it, the texts are the ``same``."""
    changes = list(differ(base, text))
    if len(changes) > MOST:
        return text
    for change in reversed(changes):
        without = _taken_back(base, text, change)
        if same(text, without):
            text = without
    return text


def _taken_back(base: bytes, text: bytes, change: LineChange) -> bytes:
    """A text with the lines of the base in the place of one difference."""
    old, new = (re.findall(rb"[^\n]*\n|[^\n]+", side) for side in (base, text))
    first, at = ((start if count else start + 1) - 1 for start, count in _spans(change))
    made = new[:at] + old[first : first + change.count] + new[at + change.new_count :]
    return b"".join(line if line.endswith(b"\n") or n == len(made) - 1 else line + b"\n" for n, line in enumerate(made))


def _spans(change: LineChange) -> tuple[tuple[int, int], tuple[int, int]]:
    return (change.start, change.count), (change.new_start, change.new_count)
