"""Where a text is filled in, or says what is to be done with it: pieces between two marks, found in one walk."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping

ENDS = {"{{": "}}", "{%": "%}", "{#": "#}", "<?": "?>"}
"""What ends each kind of piece; one of the last kind may end with the text."""


def pieces(text: str, ends: Mapping[str, str] = ENDS) -> Iterator[tuple[int, int]]:
    """The pieces of a text, each from its first mark to behind its last one. What is never ended is none, but ``<?``.

    >>> list(pieces("a {{ b }} {% c"))
    [(2, 9)]
    """
    open_for_ever: set[str] = set()
    at = 0
    for found in re.finditer("|".join(map(re.escape, ends)), text):
        mark = found[0]
        if found.start() < at or mark in open_for_ever:
            continue
        end = text.find(ends[mark], found.end())
        if end < 0 and mark != "<?":
            open_for_ever.add(mark)
            continue
        at = len(text) if end < 0 else end + len(ends[mark])
        yield found.start(), at


def replace_holes(text: str, by: Callable[[str], str], ends: Mapping[str, str] = ENDS) -> str:
    """A text with something else in the place of each piece."""
    out: list[str] = []
    at = 0
    for begin, end in pieces(text, ends):
        out += [text[at:begin], by(text[begin:end])]
        at = end
    return "".join([*out, text[at:]])
