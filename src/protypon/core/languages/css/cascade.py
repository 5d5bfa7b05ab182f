"""Which of several declarations wins (CSS Cascading and Inheritance Level 5, section 6): importance, layers, specificity, order."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from protypon.core.languages.css.media import Window, all_hold
from protypon.core.languages.css.rules import LayerNamed, StyleDeclaration, StyleRule
from protypon.core.languages.css.shorthands import longhands

Specificity = tuple[int, int, int]


class Competitor(NamedTuple):
    """A declaration that competes."""

    declaration: StyleDeclaration
    rule: StyleRule
    specificity: Specificity
    sheet: int
    """The place of its sheet in the order of loading."""


class Layers:
    """The order of layers: that of their first naming, where what stands around it holds."""

    def __init__(self, named: Iterable[LayerNamed], window: Window) -> None:
        self._order: dict[tuple[str, ...], dict[str, int]] = {}
        self.unsure = ""
        """A layer whose place hangs on a condition that is not known."""
        for each in named:
            there = all_hold(each.conditions, window)
            for depth in range(len(each.path)):
                row = self._order.setdefault(each.path[:depth], {})
                if there is None and each.path[depth] not in row:
                    self.unsure = ".".join(each.path)
                if there:
                    row.setdefault(each.path[depth], len(row))

    def rank(self, path: tuple[str, ...]) -> tuple[float, ...]:
        """Where a layer stands; what stands in none, or in none within a layer, comes last."""
        found = [float(self._order.get(path[:depth], {}).get(name, -1)) for depth, name in enumerate(path)]
        return (*found, math.inf)


def key(candidate: Competitor, layers: Layers) -> tuple[object, ...]:
    """What a candidate is sorted by: the greatest wins. For important ones layers count the other way round."""
    important = candidate.declaration.important
    rank = layers.rank(candidate.rule.layer)
    return (
        important,
        tuple(-place for place in rank) if important else rank,
        candidate.specificity,
        candidate.sheet,
        candidate.rule.number,
    )


def in_order(candidates: Sequence[Competitor], layers: Layers) -> list[Competitor]:
    """The candidates, the winner first; of two in one rule the later one."""
    numbered = sorted(enumerate(candidates), key=lambda pair: (key(pair[1], layers), pair[0]), reverse=True)
    return [candidate for _, candidate in numbered]


def why(winner: Competitor, other: Competitor, layers: Layers) -> str:
    """By what one wins over another: ``important``, ``layer``, ``specificity`` or ``order``."""
    mine, theirs = key(winner, layers), key(other, layers)
    names = ("important", "layer", "specificity", "order", "order")
    return next((name for name, a, b in zip(names, mine, theirs, strict=True) if a != b), "order")


def sets(declaration: StyleDeclaration, name: str) -> bool:
    """Whether a declaration sets a property: itself, or a shorthand that it belongs to."""
    return declaration.name == name or name in longhands(declaration.name)
