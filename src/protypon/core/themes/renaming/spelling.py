"""A name in its spellings: words joined by hyphens, underscores, capitals or nothing; found in a text, and written anew in the same spelling."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

_WORD = re.compile(r"[A-Za-z0-9]+")
_CAPITALS = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")
_IN_NAMES = r"A-Za-z0-9_\-\x80-\xff"
"""What names are made of; letters beyond ASCII belong to words."""


def words_of(slug: str) -> tuple[str, ...]:
    """The words of a name, in small letters.

    >>> words_of("lantern-rock"), words_of("lanternRock2")
    (('lantern', 'rock'), ('lantern', 'rock2'))
    """
    return tuple(word.lower() for part in _CAPITALS.split(slug) for word in _WORD.findall(part))


class Spelled(NamedTuple):
    """One place where a name stands."""

    begin: int
    end: int
    run_begin: int
    run_end: int
    """The whole name that it is a part of, with hyphens and underscores."""
    place: str
    """``exact``: all of that name; ``first``: it begins so; ``inner``: further on in it."""


class Spelling:
    """An old name and a new one."""

    def __init__(self, old: str, new: str) -> None:
        self.old, self.new = old, new
        self.words, self.new_words = words_of(old), words_of(new)
        self._pattern = re.compile("[-_]?".join(map(re.escape, self.words)), re.IGNORECASE) if self.words else None
        self._run = re.compile(rf"[{_IN_NAMES}]+")

    def places(self, text: str) -> Iterator[Spelled]:
        """Every place where the old name stands as whole words."""
        if self._pattern is None:
            return
        run_end = -1
        run_begin = 0
        for found in self._pattern.finditer(text):
            if found.start() >= run_end:
                run_begin = found.start()
                while run_begin > 0 and self._run.match(text[run_begin - 1]):
                    run_begin -= 1
                match = self._run.match(text, found.start())
                run_end = match.end() if match is not None else found.end()
            if _begins_word(text, run_begin, *found.span()) and _ends_word(text, run_end, *found.span()):
                before = text[run_begin : found.start()]
                first = not before.strip("-_") or before in ("data-", "--", "no-", "is-", "js-")
                rest = text[found.end() : run_end].strip("-_")
                place = "inner" if not first else "first" if rest or before.strip("-_") else "exact"
                yield Spelled(*found.span(), run_begin, run_end, place)

    def anew(self, text: str, found: Spelled, kind: str) -> str:
        """The new name, spelled as the old one is there; ``kind`` is what the stretch is."""
        old = text[found.begin : found.end]
        behind, before = text[found.end : found.end + 1], text[found.begin - 1 : found.begin]
        joint = next((sign for sign in "-_" if sign in old), "")
        if not joint and len(self.words) == 1:
            joint = _joint(behind, before)
        words = list(self.new_words)
        if old.isupper() and len(old) > 1 and not (behind.isalpha() and behind.isascii()):
            return (joint or ("_" if len(self.words) == 1 and kind == "code" else "")).join(words).upper()
        if not joint and (old[0].isupper() or (len(self.words) > 1 and not old.islower())):
            made = "".join(word.capitalize() for word in words)
            return made if old[0].isupper() else made[:1].lower() + made[1:]
        if old[0].isupper():
            return joint.join(word.capitalize() for word in words)
        if joint:
            return joint.join(words)
        if len(self.words) > 1:
            return "".join(words)
        if behind.isupper():
            return words[0] + "".join(word.capitalize() for word in words[1:])
        return self.new if kind != "code" else "_".join(words)


def _joint(behind: str, before: str) -> str:
    """How the words of a name are joined that has one word itself: as it is joined with what stands beside it."""
    for sign in (behind, before):
        if sign in ("-", "_"):
            return sign
    return ""


def _begins_word(text: str, run: int, begin: int, end: int) -> bool:
    before = text[begin - 1] if begin > run else ""
    if not before or before in "-_":
        return True
    return before.isascii() and before.islower() and text[begin].isupper()


def _ends_word(text: str, run_end: int, begin: int, end: int) -> bool:
    behind = text[end] if end < run_end else ""
    if not behind or behind in "-_":
        return True
    if not (behind.isascii() and behind.isupper()):
        return False
    return not text[end - 1].isupper() or (text[begin:end].isupper() and text[end : end + 2][1:].islower())
