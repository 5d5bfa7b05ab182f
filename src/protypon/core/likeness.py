"""How alike two texts are: by their lines, long and rare ones weighing most, indentation left aside."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping

ALIKE = 0.5
"""From here on a text is taken for the same one, moved or edited."""
TIE = 0.05
"""Two candidates that are closer than this can't be told apart."""


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


def document_counts(texts: Iterable[bytes]) -> Counter[bytes]:
    """In how many texts each line stands, the first one not counted."""
    counts: Counter[bytes] = Counter()
    for text in texts:
        counts.update(lines_of(text).keys())
    return Counter({line: count - 1 for line, count in counts.items() if count > 1})
