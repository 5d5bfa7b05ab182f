"""Names of sheets and scripts in a text of any language."""

from __future__ import annotations

import re
from collections.abc import Iterator

_ENDING = re.compile(r"\.(?:css|js)\b")
_NAME = re.compile(r"[\w./-]+")
_LONGEST = 300


def mentions(text: str) -> tuple[str, ...]:
    """Names of sheets and scripts that stand anywhere in a text."""
    return tuple(sorted(set(_mentions(text))))


def _mentions(text: str) -> Iterator[str]:
    """Names of sheets and scripts, read backwards from their endings, so that no long run of letters is read twice."""
    for ending in _ENDING.finditer(text):
        name = _NAME.match(text[max(0, ending.start() - _LONGEST) : ending.start()][::-1])
        if name:
            yield name[0][::-1] + ending[0]
