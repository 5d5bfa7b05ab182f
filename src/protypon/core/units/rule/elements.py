"""Which elements that the lineage prints a rule may be for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.languages.css.selectors import asked_for
from protypon.core.languages.markup import Printed
from protypon.core.model.paths import quote_path
from protypon.core.units.printing import elements, files_that_print, matches_surely, may_match
from protypon.core.units.world import World

SHOWN = 3
"""Places that are named."""


class Spot(NamedTuple):
    """Where an element is printed."""

    theme: str
    path: str
    element: Printed


def elements_for(world: World, selector: str) -> list[Spot] | None:
    """The elements of templates and code that a selector may match, by what it asks of the element itself; None for one that is not read."""
    wanted = asked_for(selector)
    return None if wanted is None else [spot for spot in _all(world) if may_match(spot.element, wanted)]


def _all(world: World) -> Iterator[Spot]:
    """Every element of the templates that count and of the code, each with its place."""
    for theme, path in files_that_print(world):
        for each in elements(world, theme, path):
            yield Spot(theme.slug, path, each)


def words_for(world: World, selector: str) -> str:
    """Where the lineage prints what a rule may be for, in a sentence; empty where that can't be told, or is everywhere."""
    wanted, found = asked_for(selector), elements_for(world, selector)
    if found is None or wanted is None or not (wanted.name or wanted.classes or wanted.ids):
        return ""
    if not found:
        return "no template or code of the lineage prints an element that it could be for; a site's own content may"
    sure = [s for s in found if matches_surely(s.element, wanted)]
    chosen = sure or found
    places = list(dict.fromkeys(f"{s.theme}/{quote_path(s.path)} line {s.element.line}" for s in chosen))
    more = f" and {len(places) - SHOWN} more places" if len(places) > SHOWN else ""
    return f"{'for elements' if sure else 'perhaps for elements'} printed in {', '.join(places[:SHOWN])}{more}"
