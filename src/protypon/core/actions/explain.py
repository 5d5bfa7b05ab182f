"""Explain one unit: what is in force and from where, what it hides at every level, what would take its place, what its author says."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.actions.records import choose
from protypon.core.model.actions import Override, pack_words
from protypon.core.model.nouns import Unit
from protypon.core.model.paths import quote_path
from protypon.core.themes.page_kinds import candidates, page_named
from protypon.core.units import styles_told
from protypon.core.units.explaining import Table, unknown_of
from protypon.core.units.registry import explain_of, explainers, kinds
from protypon.core.units.world import World

FORMAT = "protypon.explain/1"
RULE = "rule"
PAGE = "page"
"""A kind of page has an address, and nobody overrides it."""


def explain(world: World, text: str) -> Table:
    """Explain what a typed text means, as the table that ``--format json`` prints.

    Raises UnknownName for a text that means nothing, or several things.
    """
    unit = (
        _page_typed(world, text)
        or _rule_typed(text)
        or choose(text, sorted(set(all_units(world)), key=lambda unit: unit.address))
    )
    tell = _page if unit.kind == PAGE else explain_of(unit).tell
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
        "next": pack_words(_lighter(world, unit, found) or _change(world, unit)),
    }


def _lighter(world: World, unit: Unit, found: Table) -> Override | None:
    """How one rule of a sheet that is the parents' is taken over: less than a copy of it."""
    rules, place = found.get("rules"), found["in_force"]
    if not rules or not world.child.maintained or place is None or place["theme"] == world.child.slug:
        return None
    return Override(
        f"{RULE}:{quote_path(unit.path)}#{rules[0]['selector']}", world.child.slug, ("--set", "PROPERTY=VALUE")
    )


def _change(world: World, unit: Unit) -> Override | None:
    """How a unit is taken over into the child; None where it has it already, or can't."""
    if not (world.child.maintained and world.ancestors) or unit in world.records or unit.kind == PAGE:
        return None
    options = explain_of(unit).taking(world, unit)
    return Override(unit.address, world.child.slug, options) if options is not None else None


def all_units(world: World) -> Iterable[Unit]:
    """Every unit that can be asked about: what the lineage supplies, files of any of its themes, and what its code makes."""
    for theme in world.lineage.themes:
        for kind in kinds():
            yield from kind.supplied_units(world, theme)
    for explainer in explainers(world.behaviour.speaks):
        yield from explainer.units(world)
    if world.behaviour.speaks:
        yield from (Unit(PAGE, page.kind) for page in world.behaviour.page_kinds)


def explain_styles(world: World) -> Table:
    """The sheets and scripts that load, as the table that ``--styles --format json`` prints."""
    row = {
        "format": FORMAT,
        "unit": "styles",
        "kind": "styles",
        "theme": world.child.slug,
        "lineage": list(world.lineage.slugs),
    }
    return {**row, "unknown": world.lineage.cut or None, **styles_told.sheets(world)}


def _rule_typed(text: str) -> Unit | None:
    """A rule of a sheet by its address; which ones there are is told once it is looked for."""
    kind, colon, _ = text.partition(":")
    return Unit.parse(text) if colon and kind == RULE and "#" in text else None


def _page_typed(world: World, text: str) -> Unit | None:
    """A kind of page by its address, also one that no theme has a template of its own for."""
    kind, colon, name = text.partition(":")
    known = colon and kind == PAGE and page_named(world.platform, world.lineage.themes, name)
    return Unit(PAGE, name) if known else None


def _page(world: World, unit: Unit) -> Table:
    """The templates that a kind of page could have, in the order in which the platform asks for them."""
    page = page_named(world.platform, world.lineage.themes, unit.path)
    assert page is not None
    run = next((p for p in world.behaviour.pages if p.kind == unit.path), None)
    found = [{"theme": s.theme.slug, "file": s.path, "line": None} for s in candidates(world.resolver, page)]
    missing = [path for path in page.templates if not any(path in t.files for t in world.lineage.themes)]
    asked = ", then ".join(page.templates)
    first = (
        "the nearest theme that has one of them"
        if world.platform.code.nearest == "theme"
        else "the first that any theme has"
    )
    notes = [f"the platform asks for {asked}: {first} counts"]
    notes += [f"no theme has {path}" for path in missing]
    notes += [f"made of {slug}/{path}" for slug, path in (run.used if run is not None else ())]
    return {
        "in_force": found[0] if found else None,
        "hidden": [{**row, "how": "comes later"} for row in found[1:]],
        "without": found[1] if len(found) > 1 else None,
        "notes": notes,
        **unknown_of(world.behaviour),
    }
