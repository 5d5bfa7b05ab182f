"""Path patterns of platform files: ``*`` and ``?`` stay in one folder, ``**`` crosses folders."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache


def expression(pattern: str) -> str:
    """Return the regular expression, for a full match, of one path pattern.

    >>> bool(re.fullmatch(expression("parts/**/*.html"), "parts/a/b/c.html"))
    True
    """
    out = []
    position = 0
    while position < len(pattern):
        if pattern.startswith("**/", position):
            out.append("(?:[^/]+/)*")
            position += 3
        elif pattern.startswith("**", position):
            out.append(".*")
            position += 2
        else:
            char = pattern[position]
            out.append({"*": "[^/]*", "?": "[^/]"}.get(char, re.escape(char)))
            position += 1
    return "".join(out)


@lru_cache(maxsize=256)
def matcher(patterns: tuple[str, ...]) -> re.Pattern[str]:
    """Compile several patterns into one expression for ``fullmatch``; none of them matches nothing."""
    return re.compile("|".join(f"(?:{expression(p)})" for p in patterns) or r"(?!)", re.DOTALL)


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Say whether a whole path fits one of the patterns."""
    return matcher(tuple(patterns)).fullmatch(path) is not None
