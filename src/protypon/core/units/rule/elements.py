"""Which elements that the lineage prints a rule may be for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple, cast

from protypon.core.languages.css.selectors import AskedFor, asked_for
from protypon.core.languages.markup import Printed, may_have_class, may_have_id, printed
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
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
    return None if wanted is None else [spot for spot in _all(world) if _may_be(spot.element, wanted)]


def _may_be(element: Printed, wanted: AskedFor) -> bool:
    return (
        (not wanted.name or element.name in ("", wanted.name))
        and all(may_have_class(element, name) for name in wanted.classes)
        and all(may_have_id(element, name) for name in wanted.ids)
    )


def _all(world: World) -> Iterator[Spot]:
    """Every element of the templates that count and of the code, each with its place."""
    taken: set[str] = set()
    for theme in world.lineage.themes:
        for path, rule in world.platform.ruled(theme.files).rows:
            if rule.kind == "code" or (rule.kind == "template" and path not in taken):
                taken.add(path)
                for each in _printed(world, theme, path):
                    yield Spot(theme.slug, path, each)


def _printed(world: World, theme: Theme, path: str) -> list[Printed]:
    key = ("printed", theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        text = world.snapshot.read(theme, path).decode("utf-8", "replace")
        world.snapshot.worked_out[key] = list(printed(text))
    return cast("list[Printed]", world.snapshot.worked_out[key])


def words_for(world: World, selector: str) -> str:
    """Where the lineage prints what a rule may be for, in a sentence; empty where that can't be told, or is everywhere."""
    wanted, found = asked_for(selector), elements_for(world, selector)
    if found is None or wanted is None or not (wanted.name or wanted.classes or wanted.ids):
        return ""
    if not found:
        return "no template or code of the lineage prints an element that it could be for; a site's own content may"
    sure = [s for s in found if wanted.name in ("", s.element.name) and wanted.classes <= s.element.classes]
    chosen = sure or found
    places = list(dict.fromkeys(f"{s.theme}/{quote_path(s.path)} line {s.element.line}" for s in chosen))
    more = f" and {len(places) - SHOWN} more places" if len(places) > SHOWN else ""
    return f"{'for elements' if sure else 'perhaps for elements'} printed in {', '.join(places[:SHOWN])}{more}"
