"""Explain one unit: what is in force and from where, what it hides at every level, what would take its place, what its author says."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.actions.records import choose
from protypon.core.model.actions import Override, packed
from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, unknown_of
from protypon.core.units.registry import explain_of, explainers, kinds
from protypon.core.units.world import World

FORMAT = "protypon.explain/1"
PAGE = "page"
"""A kind of page has an address, and nobody overrides it."""


def explain(world: World, text: str) -> Table:
    """Explain what a typed text means, as the table that ``--format json`` prints.

    Raises UnknownName for a text that means nothing, or several things.
    """
    unit = choose(text, sorted(set(all_units(world)), key=lambda unit: unit.address))
    tell = _page if unit.kind == PAGE else explain_of(unit.kind).tell
    found = {
        "in_force": None,
        "hidden": [],
        "without": None,
        "comment": "",
        "unknown": None,
        "notes": [],
        **tell(world, unit),
    }
    return {
        "format": FORMAT,
        "unit": unit.address,
        "kind": unit.kind,
        "theme": world.child.slug,
        "lineage": list(world.lineage.slugs),
        **found,
        "next": packed(_change(world, unit)),
    }


def _change(world: World, unit: Unit) -> Override | None:
    """How a unit is taken over into the child; None where it has it already, or can't."""
    if not (world.child.maintained and world.ancestors) or unit in world.records or unit.kind == PAGE:
        return None
    options = explain_of(unit.kind).taking(world, unit)
    return Override(unit.address, world.child.slug, options) if options is not None else None


def all_units(world: World) -> Iterable[Unit]:
    """Every unit that can be asked about: what the lineage supplies, files of any of its themes, and what its code makes."""
    for theme in world.lineage.themes:
        for kind in kinds():
            yield from kind.supplied(world, theme)
    for explainer in explainers(world.behaviour.speaks):
        yield from explainer.units(world)
    if world.behaviour.speaks:
        yield from (Unit(PAGE, page.kind) for page in world.behaviour.pages)


def _page(world: World, unit: Unit) -> Table:
    page = next(p for p in world.behaviour.pages if p.kind == unit.path)
    candidates = next(p.templates for p in world.platform.code.pages if p.kind == unit.path)
    others = [(t, path) for path in candidates for t in world.lineage.themes if path in t.files]
    assert page.template is not None
    winner = (page.template.theme.slug, page.template.path)
    return {
        "in_force": {"theme": winner[0], "file": winner[1], "line": None},
        "hidden": [
            {"theme": t.slug, "file": path, "line": None, "how": "a more special or nearer one wins"}
            for t, path in others
            if (t.slug, path) not in page.used
        ],
        "notes": [f"made of {slug}/{path}" for slug, path in page.used],
        **unknown_of(world.behaviour),
    }
