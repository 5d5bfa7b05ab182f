"""How alike two texts are: by their lines, long and rare ones weighing most, indentation left aside."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

ALIKE = 0.5
"""From here on a text is taken for the same one, moved or edited."""
REWRITE = 0.12
"""Below this a text of some length is one of its own, whatever it was made from."""
SOME = 6
"""Lines from which on a text has some length."""
TIE = 0.05
"""Two candidates that are closer than this can't be told apart."""
LETTERS = 4
"""Letters of a line that stands in many texts by chance."""
BOILERPLATE = 500
"""A line that stands in more texts than this says nothing of any of them."""


def lines_of(data: bytes) -> Counter[bytes]:
    """The lines of a text without indentation, each with how often it stands there; blank ones left out."""
    return Counter(line for line in (raw.strip() for raw in data.splitlines()) if line)


def weigh(line: bytes, common: Mapping[bytes, int]) -> float:
    """What one line says of a text: little where it is short, or stands in many files."""
    letters = sum(byte > 0x40 or 0x30 <= byte < 0x3A for byte in line[:120])
    return (1 + letters) / (1 + common.get(line, 0))


def alike(a: bytes, b: bytes, common: Mapping[bytes, int] | None = None) -> float:
    """Return 0 (nothing shared) to 1 (the same bytes).

    ``common`` says in how many other files a line stands, so that boilerplate does not make strangers relatives.

    >>> alike(b"a b c\\n", b"a b c\\n")
    1.0
    """
    if a == b:
        return 1.0
    left, right = lines_of(a), lines_of(b)
    known = common or {}
    total = sum(weigh(line, known) * count for side in (left, right) for line, count in side.items())
    if not total:
        return 0.0
    shared = sum(weigh(line, known) * count for line, count in (left & right).items())
    return min(2 * shared / total, 0.99)


def share_left(base: bytes, ours: bytes) -> float | None:
    """How much is left of a text that was written anew; None where it was edited, or is too short to tell.

    >>> share_left(b"a\\n" * 9, b"a\\n" * 8) is None
    True
    """
    if min(sum(lines_of(text).values()) for text in (base, ours)) < SOME:
        return None
    left = alike(base, ours)
    return left if left < REWRITE else None


class Index:
    """Many texts, to be compared with one after another: only those that share a line with it are looked at."""

    def __init__(self, texts: Sequence[bytes]) -> None:
        lines = [lines_of(text) for text in texts]
        common = Counter(line for each in lines for line in each)
        self._weights = {
            line: weigh(line, {line: number - 1}) for line, number in common.items() if number <= BOILERPLATE
        }
        self._places: dict[bytes, list[tuple[int, int]]] = {}
        for number, each in enumerate(lines):
            for line, count in each.items():
                if line in self._weights:
                    self._places.setdefault(line, []).append((number, count))
        self._totals = [self._total(each) for each in lines]
        self._boilerplate = frozenset(line for line, number in common.items() if number > BOILERPLATE)

    def _total(self, lines: Mapping[bytes, int]) -> float:
        return sum(self._weights.get(line, weigh(line, {})) * count for line, count in lines.items())

    def alike(self, text: bytes) -> dict[int, float]:
        """How alike each text is that shares a line with this one, by its number; lines that stand nearly everywhere say nothing."""
        mine = {line: count for line, count in lines_of(text).items() if line not in self._boilerplate}
        total = self._total(mine)
        shared: dict[int, float] = {}
        for line, count in mine.items():
            for number, other in self._places.get(line, ()):
                shared[number] = shared.get(number, 0.0) + self._weights[line] * min(count, other)
        return {number: min(2 * both / (total + self._totals[number]), 0.99) for number, both in shared.items()}
