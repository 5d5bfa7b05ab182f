"""From which kept release a text was made, as far as that can be told from the texts alone."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from protypon.core.merge.likeness import LETTERS, TIE, alike, lines_of, weigh
from protypon.core.merge.three_way import Differ
from protypon.core.model.labels import is_later
from protypon.core.model.nouns import Release

LIKELY = 0.8
"""From here on, and with no other text as near, an origin is likely and not a guess."""
APART = 0.07
"""Two texts of which one is nearer by so much are told apart by that alone."""
FLOOR = 0.2
"""Below this, a text that differs from release to release says nothing of which one it was made from."""
HEAD = 4_000
"""Bytes of a text in which it is looked for what it says of its own version."""
_STATED = re.compile(
    rb"(?i)\b(?:@?version|@?release|@since|v(?=\d))\s*[:=]?\s*[\"']?v?(\d+(?:\.\d+)+(?:[.-]?(?:a|b|rc|alpha|beta|dev)[.-]?\d*)?)"
)


class KeptText(NamedTuple):
    """A text that an override may have been made from."""

    release: Release
    text: bytes


class Choice(NamedTuple):
    """The one that it was made from."""

    candidate: KeptText | None
    """None: that can't be told."""
    alike: float
    sure: str
    """``exact``, ``likely`` or ``guess``."""
    runner_up: str = ""
    """The next best release with another text, and how alike that is."""
    later: bool = False
    """It is later than the release that is here now."""


def choose(ours: bytes, candidates: Sequence[KeptText], present: Release | None, differ: Differ) -> Choice:
    """The kept text that ``ours`` was made from; ``present`` is the release in the bench.

    What a text says of its own version counts before likeness; of texts that are as near, that of the release in the bench wins,
    then the newest that is not later. Raises ValueError without candidates.
    """
    scores = {text: 1.0 if text == ours else alike(ours, text) for text in {c.text for c in candidates}}
    best = max(candidates, key=lambda c: scores[c.text])
    says = stated_versions(ours)
    stating = [c for c in candidates if says and stated_versions(c.text) == says]
    told = 0 < len({c.text for c in stating}) < len(scores)
    if scores[best.text] < FLOOR and len(scores) > 1 and not told:
        return Choice(None, scores[best.text], "unknown", _candidate_words(best, scores))
    near = _nearest(ours, stating if told and scores[best.text] < 1.0 else candidates, scores, differ)
    chosen = _preferred_release(near, present)
    score, second = scores[chosen.text], _second(chosen, candidates, scores)
    rivals = {c.text for c in candidates} - {chosen.text}
    clear = told or all(score - scores[text] >= APART or _speak_for(ours, chosen.text, text) for text in rivals)
    sure = "exact" if score == 1.0 else "likely" if score >= LIKELY and clear else "guess"
    later = present is not None and is_later(chosen.release.label, present.label)
    return Choice(chosen, score, sure, _candidate_words(second, scores) if second is not None else "", later)


def same_everywhere(candidates: Sequence[KeptText], present: Release | None) -> Choice:
    """The same for a single value, of which likeness says nothing: the release in the bench, and likely only if all have one value."""
    values = {c.text for c in candidates}
    return Choice(
        _preferred_release(candidates, present),
        1.0 if len(values) == 1 else 0.0,
        "likely" if len(values) == 1 else "guess",
    )


def _nearest(
    ours: bytes, candidates: Sequence[KeptText], scores: Mapping[bytes, float], differ: Differ
) -> list[KeptText]:
    """Those that are as near as can be told: by their lines, then by how many of them differ in their places."""
    best = max(scores[c.text] for c in candidates)
    if best == 1.0:
        return [c for c in candidates if c.text == ours]
    near = [c for c in candidates if scores[c.text] > best - TIE / 5]
    steps = {text: sum(each.count + each.new_count for each in differ(text, ours)) for text in {c.text for c in near}}
    return [c for c in near if steps[c.text] == min(steps.values())]


def _speak_for(ours: bytes, one: bytes, other: bytes) -> bool:
    """Whether there are lines that only ``one`` shares with a text, and none that only ``other`` does."""
    mine, left, right = lines_of(ours), lines_of(one), lines_of(other)
    only_one, only_other = (
        [line for line in (a - b) & (mine - (a & b)) if weigh(line, {}) > LETTERS]
        for a, b in ((left, right), (right, left))
    )
    return bool(only_one) and not only_other


def _second(chosen: KeptText, candidates: Sequence[KeptText], scores: Mapping[bytes, float]) -> KeptText | None:
    others = [c for c in candidates if c.text != chosen.text]
    return max(others, key=lambda c: scores[c.text], default=None)


def _candidate_words(candidate: KeptText, scores: Mapping[bytes, float]) -> str:
    return f"{candidate.release.name} ({scores[candidate.text]:.0%})"


def _preferred_release(near: Sequence[KeptText], present: Release | None) -> KeptText:
    """The release in the bench, the newest before it, or else the first one after it."""
    if present is None:
        return near[-1]
    here = next((c for c in near if c.release.name == present.name), None)
    chosen = here or next((c for c in reversed(near) if not is_later(c.release.label, present.label)), near[0])
    for other in near if here is None else ():
        if not is_later(other.release.label, present.label) and is_later(other.release.label, chosen.release.label):
            chosen = other
    return chosen


def stated_versions(text: bytes) -> frozenset[bytes]:
    """The versions that a text names at its head.

    >>> sorted(stated_versions(b"/* Tide table\\n * @version 1.4.0 */"))
    [b'1.4.0']
    """
    return frozenset(found[1] for found in _STATED.finditer(text[:HEAD]))
