"""How many random cases are tried, and how they are shared out: one test class a part, so that parts can run beside each other."""

from __future__ import annotations

import os

TIMES = float(os.environ.get("PROTYPON_CASES", "1"))
"""Multiplies random cases; above 1, every combination of what is not random is tried as well."""


def few() -> bool:
    """Whether fewer cases are tried than it takes for everything to turn up, as where only coverage is measured."""
    return TIMES < 1


def many() -> bool:
    """Whether all combinations are asked for, or some of them are enough."""
    return TIMES > 1


def seeds(number: int, part: int = 0, parts: int = 1) -> range:
    """The seeds of one part of the cases."""
    return range(part, int(number * TIMES), parts)
