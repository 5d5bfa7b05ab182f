"""Several sheets in the order in which they load, with what each imports in its place."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from protypon.core.languages.css.rules import Condition, LayerNamed, StyleRule, StyleSheet

MOST_SHEETS = 2_000
"""Sheets with all that they import: one can name another many times."""


DEEPEST = 100
"""Sheets that import one another in a row; what lies deeper does not count here."""


class Loaded(NamedTuple):
    """A sheet where it loads, and under which conditions."""

    name: str
    conditions: tuple[Condition, ...]
    layer: tuple[str, ...]
    by: str
    """The sheet that imports it; empty for one that loads by itself."""


class PlacedRule(NamedTuple):
    """A rule, with the conditions and layers of its import, and the place of its sheet in the order."""

    rule: StyleRule
    sheet: int


@dataclass(slots=True)
class Together:
    """All rules of a page, in their order."""

    sheets: list[Loaded] = field(default_factory=list)
    rules: list[PlacedRule] = field(default_factory=list)
    layers: list[LayerNamed] = field(default_factory=list)
    missing: list[tuple[str, str]] = field(default_factory=list)
    """(sheet, address) of imports of which the sheet is not there."""


def together(
    names: Iterable[str], read: Callable[[str], StyleSheet | None], resolve: Callable[[str, str], str | None]
) -> Together:
    """Put sheets together; ``resolve`` gives the name of the sheet that one imports by an address, or None."""
    found = Together()
    for name in names:
        _load(found, Loaded(name, (), (), ""), read, resolve, ())
    return found


def _load(
    found: Together,
    loaded: Loaded,
    read: Callable[[str], StyleSheet | None],
    resolve: Callable[[str, str], str | None],
    above: tuple[str, ...],
) -> None:
    sheet = read(loaded.name)
    if sheet is None or len(found.sheets) >= MOST_SHEETS or len(above) > DEEPEST:
        found.missing.append((loaded.by, loaded.name))
        return
    layers = list(_layers(sheet, loaded))
    own = _own_names(loaded.name)
    named = 0
    for each in sheet.imports:
        found.layers += layers[named : each.named]
        named = each.named
        target = resolve(loaded.name, each.address)
        if target is None:
            found.missing.append((loaded.name, each.address))
        elif target not in (*above, loaded.name):
            inner = Loaded(
                target, (*loaded.conditions, *each.conditions), (*loaded.layer, *own(each.layer)), loaded.name
            )
            _load(found, inner, read, resolve, (*above, loaded.name))
    found.layers += layers[named:]
    place = len(found.sheets)
    found.sheets.append(loaded)
    for rule in sheet.rules:
        placed = rule._replace(
            layer=(*loaded.layer, *own(rule.layer)), conditions=(*loaded.conditions, *rule.conditions)
        )
        found.rules.append(PlacedRule(placed, place))


def _own_names(sheet: str) -> Callable[[tuple[str, ...]], tuple[str, ...]]:
    """How the layers of a sheet are called among those of others: one without a name is nobody else's."""

    def with_sheet(layer: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(f"({sheet} {part[1:]}" if part.startswith("(") else part for part in layer) if layer else layer

    return with_sheet


def _layers(sheet: StyleSheet, loaded: Loaded) -> Iterator[LayerNamed]:
    own = _own_names(loaded.name)
    for each in sheet.layers:
        yield LayerNamed((*loaded.layer, *own(each.path)), (*loaded.conditions, *each.conditions))
