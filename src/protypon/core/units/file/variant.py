"""A template for one kind of page only, made of the one that the platform uses for more of them, and named as the platform asks for it."""

from __future__ import annotations

from collections.abc import Mapping

from protypon.core.model.actions import Explain, Override
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.nouns import Content, Record, Theme, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.platform.schema import nearest
from protypon.core.themes.page_kinds import PageKind, page_named, pages_of, pages_with
from protypon.core.units.world import World


def place_variant(
    world: World, released: Mapping[str, Theme], unit: Unit, kind: str, why: str
) -> tuple[Record, Content]:
    """The record of a variant of a template, and its text.

    Raises UnknownName for a kind of page that the platform has not; ProtyponError where there is no narrower name,
    or a theme has a template of that name.
    """
    page = _page(world, kind)
    path = _narrow(world, page, unit)
    rule = world.platform.rule_of(unit.path)
    supply = world.resolver.winner(unit.path, rule) if rule is not None else None
    assert supply is not None
    theme, found = supply.theme, supply.theme.files[supply.path]
    data = world.snapshot.read(theme, supply.path)
    digest = released.get(theme.slug, theme).files.get(supply.path, found).digest
    written = Written(variant_of=Unit("template", supply.path).address)
    record = Record(Unit("template", path), "variant", theme.slug, theme.release, digest, why, written=written)
    return record, Content(found.digest, found.mode, data)


def _page(world: World, kind: str) -> PageKind:
    page = page_named(world.platform, world.lineage.themes, kind)
    if page is None:
        kinds = [each.kind for each in pages_of(world.platform, world.lineage.themes)]
        patterns = [each.kind for each in world.platform.code.pages]
        near = nearest(kind, tuple(kinds))
        names = ", ".join(dict.fromkeys([*patterns, *kinds])) or "none"
        raise UnknownName(
            f"{world.platform.title} has no kind of page {kind!r}",
            f"did you mean {near}?" if near else f"kinds of page are: {names}",
        )
    return page


def _narrow(world: World, page: PageKind, unit: Unit) -> str:
    """The path under which the platform asks for a template for pages of one kind only."""
    if unit.path not in page.templates:
        other = next((p.kind for p in pages_with(world.resolver, unit.path)), None)
        hint = Explain(f"page:{page.kind}", world.child.slug)
        tail = f"; it is one for pages of the kind {other}" if other else ""
        raise ProtyponError(
            f"{unit.address}: pages of the kind {page.kind} never ask for it{tail}",
            ("see what they ask for with: ", hint),
        )
    path = page.templates[0]
    if path == unit.path:
        raise ProtyponError(
            f"{unit.address}: is the most special template for pages of the kind {page.kind} already",
            ("take that one over with: ", Override(unit.address, world.child.slug)),
        )
    holder = next((theme for theme in world.lineage.themes if path in theme.files), None)
    if holder is None:
        return path
    address = Unit("template", path).address
    if holder is world.child:
        raise ProtyponError(
            f"{world.child.slug} has {quote_path(path)} already; nothing was overwritten",
            ("see what it does with: ", Explain(address, world.child.slug)),
        )
    raise ProtyponError(
        f"{holder.slug} has {quote_path(path)} for pages of the kind {page.kind} itself",
        ("take that one over with: ", Override(address, world.child.slug)),
    )
