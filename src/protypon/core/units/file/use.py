"""Does the platform use a file of the child, and who names it: by kind of file."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule, Register
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import relative
from protypon.core.units.world import World


class Use(NamedTuple):
    """``yes``, ``no`` or ``unknown``, with the reason; whether a mechanical step would help."""

    reach: str
    because: str = ""
    mendable: bool = False


def of(world: World, path: str, rule: FileRule) -> Use:
    """Say whether the platform comes to use a file that stands in the child."""
    if rule.kind == "template":
        return _template(world, path, rule)
    if rule.kind == "code":
        return _pulled(world, path, rule)
    register = next((r for r in world.platform.registers if r.kind == rule.kind), None)
    if register is not None:
        return _registered(world, path, register)
    return Use("yes")


def shown(site: Location) -> str:
    return f"{site.theme}/{quote_path(site.path)} line {site.line}"


def _template(world: World, path: str, rule: FileRule) -> Use:
    reach = world.resolver.templates
    if (world.child.slug, path) in reach.used:
        return Use("yes")
    winner = world.resolver.winner(path, rule)
    if winner is not None and (winner.theme.slug, winner.path) != (world.child.slug, path):
        return Use("no", f"{winner.theme.slug}/{quote_path(winner.path)} wins instead")
    if reach.dynamic:
        return Use("unknown", f"{shown(reach.dynamic[0])} names a template at run time")
    return Use("no", "no template in the lineage names it")


def _pulled(world: World, path: str, rule: FileRule) -> Use:
    """A code file that runs only where another one asks for it."""
    state = world.behaviour.state
    if rule.combine == "load" or (world.child.slug, path) in state.loaded:
        return Use("yes")
    asked = next((site for (_, other), site in state.pulled.items() if other == path), None)
    if asked is not None:
        return Use("no", f"{shown(asked)} pulls in its own by a fixed path, so a copy further down is dead")
    if state.stopped is not None:
        return Use("unknown", f"the site stops before: {state.stopped.because}")
    blind = state.blind_about("points")
    if blind:
        return Use("unknown", blind)
    return Use("no", "no code file that runs asks for it")


def _registered(world: World, path: str, register: Register) -> Use:
    if (world.child.slug, path) in loaded(world, register):
        return Use("yes")
    site = _mention(world, path)
    if site is not None:
        return Use("yes")
    if register.elsewhere:
        return Use("unknown", "no manifest registers it, and a site can do so where Protypon can't look")
    if register.lists == "call":
        state = world.behaviour.state
        unsure = next((m for m in state.sheets if not isinstance(m.name, str)), None)
        if unsure is not None or state.stopped is not None:
            why = (
                f"{shown(unsure.site)} registers a file whose name is made at run time"
                if unsure
                else "the site stops before"
            )
            return Use("unknown", why)
        return Use("no", "no code that runs registers it")
    where = f"{register.field} in the manifest of {world.child.slug}"
    return Use("no", f"it is not registered: {where} does not name it, and nothing imports it", True)


def loaded(world: World, register: Register) -> set[tuple[str, str]]:
    """The files (theme, path) that load: the registered ones, and what they import, from sheet to sheet.

    Where a relative address looks in its own theme only, an import finds that theme's file, whoever overrides it.
    """
    found: set[tuple[str, str]] = set()
    waiting = [supply for name, _ in registered(world, register) if (supply := _winner(world, name))]
    while waiting:
        supply = waiting.pop()
        rule = world.platform.rule_of(supply.path)
        if (supply.theme.slug, supply.path) in found or rule is None:
            continue
        found.add((supply.theme.slug, supply.path))
        for reference in world.resolver.facts(supply, rule).references:
            target = relative(supply.path, reference.names) if reference.how == "import" else None
            if target is None:
                continue
            if world.platform.served == "theme":
                waiting += [Supply(supply.theme, target)] if target in supply.theme.files else []
            else:
                waiting += [winner] if (winner := _winner(world, target)) else []
    return found


def registered(world: World, register: Register) -> list[tuple[str, str]]:
    """The files that a lineage registers, in the order of loading, each with the place that says so."""
    if register.lists == "call":
        marks = [m for m in world.behaviour.state.sheets if isinstance(m.name, str)]
        return [(str(m.name), shown(m.site)) for m in marks]
    return [(name, f"{theme.slug}/{quote_path(theme.manifest)}") for name, theme in world.resolver.registered(register)]


def _winner(world: World, path: str) -> Supply | None:
    rule = world.platform.rule_of(path)
    return world.resolver.winner(path, rule) if rule is not None else None


def needed_beside(world: World, path: str) -> str:
    """Which file of the child asks for another one beside itself; empty where none does."""
    site = world.beside.get(path)
    return f"{quote_path(site.path)} line {site.line}" if site else ""


def _mention(world: World, path: str) -> Location | None:
    """A reached template in whose text the file's path, or its end, stands."""
    for slug, template in world.resolver.templates.used:
        theme = _theme(world, slug)
        rule = world.platform.rule_of(template)
        if theme is None or rule is None:
            continue
        for name in world.resolver.facts(Supply(theme, template), rule).mentions:
            bare = name.lstrip("./")
            if path == bare or path.endswith("/" + bare) or bare.endswith("/" + path):
                return Location(slug, template, 0)
    return None


def _theme(world: World, slug: str) -> Theme | None:
    return next((t for t in world.lineage.themes if t.slug == slug), None)


def referred(world: World, path: str, rule: FileRule) -> str:
    """Who in the lineage still names a file that no ancestor has: a place in words, or nothing."""
    if rule.kind == "template":
        site = world.resolver.templates.used.get((world.child.slug, path))
        return shown(site) if site is not None else _dangling(world, path)
    register = next((r for r in world.platform.registers if r.kind == rule.kind), None)
    if register is not None:
        for name, where in registered(world, register):
            if name == path:
                return where
    return _named_in_text(world, path)


def _dangling(world: World, path: str) -> str:
    return next((shown(n.site) for n in world.resolver.templates.dangling if n.name == path), "")


def _named_in_text(world: World, path: str) -> str:
    """Any text of the lineage that gives the file's bare name; looked for byte by byte."""
    name = path.rpartition("/")[2].encode("utf-8", "surrogateescape")
    for theme in world.lineage.themes:
        for other in sorted(theme.files):
            rule = world.platform.rule_of(other)
            if rule is None or rule.kind == "asset" or other == path:
                continue
            data = world.snapshot.read(theme, other)
            at = data.find(name)
            if at >= 0:
                return shown(Location(theme.slug, other, data.count(b"\n", 0, at) + 1))
    return ""
