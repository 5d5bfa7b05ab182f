"""Path patterns of platform files: ``*`` and ``?`` stay in one folder, ``**`` crosses folders.

A pattern with few wildcards becomes a regular expression, which is fast. With many, an expression would try every way
to share a path out among them; those are followed all ways at once, in time that grows with the path alone.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

FEW = 2
"""Wildcards that an expression may have, ``**/`` aside: a path has few folders."""
_TOKEN = re.compile(r"(?:\*\*/)+|\*{2,}|[*?]|[^*?]", re.DOTALL)


def expression(pattern: str) -> str:
    """Return the regular expression, for a full match, of one path pattern.

    >>> bool(re.fullmatch(expression("parts/**/*.html"), "parts/a/b/c.html"))
    True
    """
    return "".join(_EXPRESSIONS.get(_kind(token), re.escape(token)) for token in _TOKEN.findall(pattern))


_EXPRESSIONS = {"folders": "(?:[^/]+/)*", "all": ".*", "some": "[^/]*", "one": "[^/]"}


def _kind(token: str) -> str:
    if token.startswith("**"):
        return "folders" if token.endswith("/") else "all"
    return {"*": "some", "?": "one"}.get(token, "")


class PathPatterns:
    """Groups of patterns, tried in order.

    >>> PathPatterns([["*.css"], ["**/*.html", "*.txt"]]).first("parts/a.html")
    1
    """

    def __init__(self, groups: Iterable[Iterable[str]]) -> None:
        self.groups = tuple(tuple(group) for group in groups)
        few = [[p for p in group if _is_simple(p)] for group in self.groups]
        alternatives = [f"(?P<g{n}>{'|'.join(map(expression, group))})" for n, group in enumerate(few) if group]
        self._simple = re.compile("|".join(alternatives) or r"(?!)", re.DOTALL).fullmatch
        self._others = [(n, _Automaton(p)) for n, group in enumerate(self.groups) for p in group if not _is_simple(p)]

    def fits(self, path: str) -> bool:
        """Whether the whole path fits any of them."""
        return self.first(path) is not None

    def first(self, path: str) -> int | None:
        """The number of the first group with a pattern that the whole path fits, or None."""
        found = self._simple(path)
        best = int(found.lastgroup[1:]) if found and found.lastgroup else None
        for number, automaton in self._others:
            if (best is None or number < best) and automaton.fits(path):
                best = number
        return best


def _is_simple(pattern: str) -> bool:
    return sum(_kind(token) in ("all", "some") for token in _TOKEN.findall(pattern)) <= FEW


class _Automaton:
    """One pattern as a set of states, a bit each: bit ``i`` says that the first ``i`` tokens fit so far."""

    def __init__(self, pattern: str) -> None:
        tokens = _TOKEN.findall(pattern)
        self.end = 1 << len(tokens)
        self.literal: dict[str, int] = {}
        self.masks = dict.fromkeys(("folders", "all", "some", "one"), 0)
        for number, token in enumerate(tokens):
            kind = _kind(token)
            if kind:
                self.masks[kind] |= 1 << number
            else:
                self.literal[token] = self.literal.get(token, 0) | 1 << number
        self.skipped = self.masks["folders"] | self.masks["all"] | self.masks["some"]

    def fits(self, path: str) -> bool:
        states, inside = self._closure(1), 0
        for char in path:
            plain = char != "/"
            new = (states & self.literal.get(char, 0)) << 1 | states & self.masks["all"]
            if plain:
                new |= (states & self.masks["one"]) << 1 | states & self.masks["some"]
                inside |= states & self.masks["folders"]
            else:
                new, inside = new | inside, 0
            states = self._closure(new)
            if not states and not inside:
                return False
        return bool(states & self.end)

    def _closure(self, states: int) -> int:
        """With what is reached by taking a wildcard for nothing."""
        while more := (states & self.skipped) << 1 & ~states:
            states |= more
        return states


@lru_cache(maxsize=256)
def patterns_of(patterns: tuple[str, ...]) -> PathPatterns:
    """One set of patterns, ready to be asked; the same one for the same patterns."""
    return PathPatterns([patterns])


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Say whether a whole path fits one of the patterns."""
    return patterns_of(tuple(patterns)).fits(path)
