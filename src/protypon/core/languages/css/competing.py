"""Which declarations compete with one, in any page: those of rules that match all that its rule matches, and those that may."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import Any, NamedTuple

from protypon.core.languages.css import cascade
from protypon.core.languages.css.cascade import Competitor, Layers
from protypon.core.languages.css.media import Window, all_hold
from protypon.core.languages.css.rules import StyleDeclaration, StyleRule
from protypon.core.languages.css.selectors import Selector, bucket, buckets, covers, never_both, parse, shares
from protypon.core.languages.css.shorthands import set_by
from protypon.core.languages.css.together import Together
from protypon.core.languages.css.values import is_taken


class Rival(NamedTuple):
    """A declaration that competes with another one."""

    candidate: Competitor
    always: bool
    """On every element that the other one is for, whenever that one counts; else on some of them, or sometimes."""
    wins: bool
    by: str
    """By what the winner of the two wins."""
    taken: bool | None
    """Whether browsers take its value."""
    near: bool
    """Its rule speaks of the same kind of element; else only an element that happens to be both is meant."""


class _Ranked(NamedTuple):
    """A declaration with what it is sorted by."""

    key: tuple[Any, ...]
    candidate: Competitor
    selector: Selector
    taken: bool


MOST_COMPARED = 1_000_000
"""Pairs of declarations that are compared for one page: beyond, nothing is said of those that are left."""


class Competing:
    """All declarations of a page's sheets; ``sure``: that all of them load, in this order."""

    def __init__(self, found: Together, window: Window, *, sure: bool = True) -> None:
        self.together, self.window, self.sure = found, window, sure
        self.layers = Layers(found.layers, window)
        self._left = MOST_COMPARED

    def rivals(self, declaration: StyleDeclaration, rule: StyleRule, sheet: int) -> list[Rival] | str:
        """What competes with a declaration, those that win first; a text where that can't be told: why."""
        mine = parse(rule.selector)
        if mine is None:
            return f"the selector {rule.selector} is not one that Protypon reads"
        own = Competitor(declaration, rule, mine.specificity, sheet)
        wanted, found = set_by(declaration.name), list[Rival]()
        window = self.window if all_hold(rule.conditions, self.window) is not False else Window("print")
        for each, other, place in self._setting(wanted):
            if (other.number, place, each) == (rule.number, sheet, declaration):
                continue
            theirs = parse(other.selector) if all_hold(other.conditions, window) is not False else None
            if theirs is not None and not never_both(mine, theirs):
                rival = Competitor(each, other, theirs.specificity, place)
                same = (other.number, place) == (rule.number, sheet)
                before = same and rule.declarations.index(each) < rule.declarations.index(declaration)
                pair = (rival, own) if before else (own, rival)
                found.append(self._rival(pair, rival, mine, theirs, wanted))
        return sorted(found, key=lambda r: (not r.wins, not r.always, not r.near))

    def _rival(
        self,
        pair: tuple[Competitor, Competitor],
        rival: Competitor,
        mine: Selector,
        theirs: Selector,
        wanted: frozenset[str],
    ) -> Rival:
        """One of a pair, which stands in the order of the sheets, as the rival of the other."""
        own = pair[0] if pair[1] is rival else pair[1]
        each, other, rule = rival.declaration, rival.rule, own.rule
        first, second = cascade.in_order(pair, self.layers)
        unsure = (bool(self.layers.unsure) and other.layer != rule.layer) or (
            not self.sure and own.sheet != rival.sheet
        )
        whole = wanted <= set_by(each.name) and set(other.conditions) <= set(rule.conditions)
        always = whole and not unsure and covers(theirs, mine)
        by = cascade.why(first, second, self.layers)
        return Rival(rival, always, first is rival, by, is_taken(each), shares(mine, theirs))

    def _setting(self, wanted: frozenset[str]) -> list[tuple[StyleDeclaration, StyleRule, int]]:
        """The declarations that set any of some properties, in their order."""
        found = {number: row for name in wanted for number, row in self._by_property.get(name, {}).items()}
        return [found[number] for number in sorted(found)]

    @cached_property
    def _by_property(self) -> dict[str, dict[int, tuple[StyleDeclaration, StyleRule, int]]]:
        """By property, as longhands, every declaration that sets it, by its place among all."""
        found: dict[str, dict[int, tuple[StyleDeclaration, StyleRule, int]]] = {}
        number = 0
        for rule, sheet in self.together.rules:
            for declaration in rule.declarations:
                for name in set_by(declaration.name):
                    found.setdefault(name, {})[number] = (declaration, rule, sheet)
                number += 1
        return found

    def find_outranked(self, of: Callable[[int], bool]) -> Iterator[tuple[Competitor, Rival]]:
        """The declarations of some sheets that never count, each with the best of those that win wherever it would count."""
        for own in self._all:
            rival = self._best(own) if of(own.candidate.sheet) else None
            if rival is not None:
                yield own.candidate, rival

    def beaten(self, declaration: StyleDeclaration, rule: StyleRule, sheet: int) -> Rival | None:
        """The best of those that would win over a declaration wherever it would count, if a rule in a sheet had it."""
        parsed = parse(rule.selector) if all_hold(rule.conditions, self.window) is not False else None
        if parsed is None:
            return None
        candidate = Competitor(declaration, rule, parsed.specificity, sheet)
        key = (*cascade.key(candidate, self.layers), len(rule.declarations))
        return self._best(_Ranked(key, candidate, parsed, taken=True))

    def _best(self, own: _Ranked) -> Rival | None:
        """Of what wins over a declaration wherever it counts, the best."""
        wanted = set_by(own.candidate.declaration.name)
        rows = self._ranking.get(min(wanted), {})
        tried = (self._winner(rows.get(name, ()), own, wanted) for name in buckets(own.selector))
        best = max((row for row in tried if row is not None), key=lambda row: row.key, default=None)
        if best is None:
            return None
        by = cascade.why(best.candidate, own.candidate, self.layers)
        return Rival(best.candidate, always=True, wins=True, by=by, taken=True, near=True)

    def _winner(self, rows: Sequence[_Ranked], own: _Ranked, wanted: frozenset[str]) -> _Ranked | None:
        """The first of some, the greatest first, that wins over one wherever it counts."""
        rule = own.candidate.rule
        for row in rows:
            if row.key <= own.key or self._left <= 0:
                return None
            self._left -= 1
            other = row.candidate.rule
            if (row.candidate.sheet, other.number, row.candidate.declaration) == (
                own.candidate.sheet,
                rule.number,
                own.candidate.declaration,
            ):
                continue  # another selector of the same rule
            unsure = (bool(self.layers.unsure) and other.layer != rule.layer) or (
                not self.sure and own.candidate.sheet != row.candidate.sheet
            )
            whole = (
                row.taken
                and wanted <= set_by(row.candidate.declaration.name)
                and set(other.conditions) <= set(rule.conditions)
            )
            if whole and not unsure and covers(row.selector, own.selector):
                return row
        return None

    @cached_property
    def _all(self) -> list[_Ranked]:
        """Every declaration that may count, in the order of the sheets."""
        found: list[_Ranked] = []
        for rule, sheet in self.together.rules:
            parsed = parse(rule.selector) if all_hold(rule.conditions, self.window) is not False else None
            for number, declaration in enumerate(rule.declarations if parsed is not None else ()):
                assert parsed is not None
                candidate = Competitor(declaration, rule, parsed.specificity, sheet)
                key = (*cascade.key(candidate, self.layers), number)
                found.append(_Ranked(key, candidate, parsed, is_taken(declaration) is True))
        return found

    @cached_property
    def _ranking(self) -> dict[str, dict[str, list[_Ranked]]]:
        """By property, and by one thing that its elements have, every declaration that may count, the winner first."""
        found: dict[str, dict[str, list[_Ranked]]] = {}
        for row in sorted(self._all, key=lambda row: row.key, reverse=True):
            for name in set_by(row.candidate.declaration.name):
                found.setdefault(name, {}).setdefault(bucket(row.selector), []).append(row)
        return found
