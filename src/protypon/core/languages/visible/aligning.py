"""Words of a page held against what a source prints: which of its texts they can come from, with holes for anything at all."""

from __future__ import annotations

import re
from typing import NamedTuple

from protypon.core.languages.visible.reading import SeenAt, SeenText, Stretch

LEAST_SHARE = 0.25
"""Of the letters that are looked for, so many have to stand in the source."""
MOST_SKIPPED = 40
"""Stretches in a row that may be left out."""
INSIDE_WORDS = 0.9
"""How much letters count that only stand inside of longer words."""
LONGEST_WORDS = 400
"""Letters that are looked for; what comes behind is not."""
_WORD = re.compile(r"\w+")


class Fit(NamedTuple):
    """How words can come out of one run of seen text."""

    share: float
    """Of their letters, those that stand there."""
    whole_words: bool
    """They begin and end where words do."""
    alone: bool
    """Nothing else stands in the run."""
    parts: tuple[tuple[SeenAt, int], ...]
    """Each place that adds some, with how many letters."""
    holes: tuple[int, ...] = ()
    """The holes that would have to print the rest."""


def fit(words: str, run: SeenText) -> Fit | None:
    """The best way in which folded words come out of a run; None where too little of them stands there."""
    return _inside(words, run) or _across(words, run)


def _inside(words: str, run: SeenText) -> Fit | None:
    """All of them in one stretch; of several places, each where they begin and end as words do, if there is one."""
    whole: list[tuple[SeenAt, int]] = []
    other: list[tuple[SeenAt, int]] = []
    for stretch in run.stretches:
        begin = stretch.text.find(words)
        while begin >= 0:
            end = begin + len(words)
            is_whole = _is_edge(stretch.text, begin) and _is_edge(stretch.text, end)
            (whole if is_whole else other).extend(_parts(stretch, begin, end))
            begin = stretch.text.find(words, begin + 1)
    if not whole and not other:
        return None
    alone = len(run.stretches) == 1 and len(run.stretches[0].text) == len(words)
    return Fit(1.0 if whole else INSIDE_WORDS, bool(whole), alone, tuple(whole or other))


def _is_edge(text: str, at: int) -> bool:
    """Whether a word begins or ends at a place of a text."""
    return at in (0, len(text)) or not (text[at - 1].isalnum() and text[at].isalnum())


def _parts(stretch: Stretch, begin: int, end: int) -> tuple[tuple[SeenAt, int], ...]:
    """The places between two letters of a stretch."""
    found: list[tuple[SeenAt, int]] = []
    ends = (*stretch.starts[1:], len(stretch.text))
    for start, stop, place in zip(stretch.starts, ends, stretch.places, strict=True):
        size = min(stop, end) - max(start, begin)
        if size > 0:
            found.append((place, size))
    return tuple(found)


class _Way(NamedTuple):
    """Words matched so far: up to which letter, by which parts."""

    upto: int
    covered: int
    parts: tuple[tuple[int, int, int], ...]
    """Stretch, begin, end."""
    holes: tuple[int, ...]


def _across(words: str, run: SeenText) -> Fit | None:
    """Some of them in stretches, the rest in the holes between, before and behind: what prints the run may print more."""
    stretches = run.stretches
    if not any(s.text and (s.text in words or _overlap(words, s.text)) for s in stretches):
        return None
    best: _Way | None = None
    for start, stretch in enumerate(stretches):
        for way in _beginnings(words, stretches, start, stretch):
            found = _furthest(words, stretches, start, way)
            if best is None or found.covered > best.covered:
                best = found
    letters = sum(1 for letter in words if letter != " ")
    if best is None or not _has_word(words, best, stretches) or best.covered < LEAST_SHARE * letters:
        return None
    parts = tuple(part for number, begin, end in best.parts for part in _parts(stretches[number], begin, end))
    return Fit(min(best.covered / letters, 1.0), True, False, parts, best.holes)


def _overlap(words: str, text: str) -> bool:
    return bool(_tail(words, text) or _head(words, text))


def _tail(words: str, text: str) -> int:
    """The longest end of a text, from where a word begins, with which the words begin."""
    sizes = range(min(len(words), len(text)), 0, -1)
    return next((n for n in sizes if text.endswith(words[:n]) and _is_edge(text, len(text) - n)), 0)


def _head(words: str, text: str) -> int:
    """The longest beginning of a text, up to where a word ends, with which the words end."""
    sizes = range(min(len(words), len(text)), 0, -1)
    return next((n for n in sizes if words.endswith(text[:n]) and _is_edge(text, n)), 0)


def _beginnings(words: str, stretches: list[Stretch], start: int, stretch: Stretch) -> list[_Way]:
    """The words begin in a stretch, or in the hole before it."""
    found = []
    size = _tail(words, stretch.text) if stretch.text else 0
    if size:
        part = (start, len(stretch.text) - size, len(stretch.text))
        found.append(_Way(size, _letters(words[:size]), (part,), ()))
    if (stretch.before or not start) and stretch.text:
        at = words.find(stretch.text)
        if at >= 0:
            end = at + len(stretch.text)
            found.append(_Way(end, _letters(stretch.text), ((start, 0, len(stretch.text)),), stretch.before))
        else:
            size = _head(words, stretch.text)
            if size:
                found.append(_Way(len(words), _letters(stretch.text[:size]), ((start, 0, size),), stretch.before))
    return found


def _furthest(words: str, stretches: list[Stretch], at: int, way: _Way) -> _Way:
    """Go on behind a stretch, through holes and the stretches after them, until the words are over."""
    skipped = 0
    best = way._replace(holes=(*way.holes, *_next_holes(stretches, at))) if way.upto < len(words) else way
    if way.upto >= len(words):
        return best
    for number in range(at + 1, len(stretches)):
        stretch = stretches[number]
        rest = words[way.upto :]
        place = rest.find(stretch.text) if stretch.text else -1
        if place >= 0:
            end = way.upto + place + len(stretch.text)
            part = (number, 0, len(stretch.text))
            way = _Way(end, way.covered + _letters(stretch.text), (*way.parts, part), (*way.holes, *stretch.before))
            best, skipped = way, 0
            if end >= len(words):
                return best
            continue
        size = min(_head(rest, stretch.text), len(rest))
        if size:
            part = (number, 0, size)
            covered = way.covered + _letters(stretch.text[:size])
            last = _Way(len(words), covered, (*way.parts, part), (*way.holes, *stretch.before))
            if last.covered > best.covered:
                best = last
        if not stretch.perhaps or skipped >= MOST_SKIPPED:
            break
        skipped += 1
    return best


def _next_holes(stretches: list[Stretch], at: int) -> tuple[int, ...]:
    return stretches[at + 1].before if at + 1 < len(stretches) else ()


def _letters(text: str) -> int:
    return sum(1 for letter in text if letter != " ")


def _has_word(words: str, way: _Way, stretches: list[Stretch]) -> bool:
    """Whether at least one word of those looked for stands there whole."""
    wanted = {found[0] for found in _WORD.finditer(words)}
    most = max((len(word) for word in wanted), default=0)
    seen = {f[0] for number, begin, end in way.parts for f in _WORD.finditer(stretches[number].text[begin:end])}
    return any(len(word) >= min(3, most) for word in wanted & seen)
