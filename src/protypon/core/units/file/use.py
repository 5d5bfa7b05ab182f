"""Does the platform use a file of the child, and who names it: by kind of file."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.state import MissingFile, Sheet
from protypon.core.languages.registry import LANGUAGES
from protypon.core.languages.values import Unknown
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule, Platform, Register
from protypon.core.themes import page_kinds
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import relative
from protypon.core.units.world import World

DOES = {"style": "sheet", "script": "script"}
"""By kind of file, what a call does that registers one."""


class Use(NamedTuple):
    """``yes``, ``no`` or ``unknown``, with the reason; whether a mechanical step would help."""

    reach: str
    because: str = ""
    mendable: bool = False


class NamedAt(NamedTuple):
    """A place that names a file."""

    words: str
    theme: str
    path: str


def of(world: World, path: str, rule: FileRule) -> Use:
    """Say whether the platform comes to use a file that stands in the child."""
    if rule.kind == "template":
        return _template(world, path, rule)
    if rule.kind == "code":
        return _use_of_code(world, path, rule)
    registers = registers_of(world.platform, rule.kind)
    return _use_of_sheet(world, path, registers) if registers else Use("yes")


def registers_of(platform: Platform, kind: str) -> list[Register]:
    """How files of a kind are registered: for the site first, then for other surfaces."""
    return sorted((r for r in platform.registers if r.kind == kind), key=lambda r: r.surface != "site")


def place_words(site: Location) -> str:
    """A place as a person reads it."""
    return f"{site.theme}/{quote_path(site.path)} line {site.line}"


def _template(world: World, path: str, rule: FileRule) -> Use:
    reach = world.resolver.templates
    if (world.child.slug, path) in reach.perhaps:
        return Use("unknown", f"{world.platform.templates.elsewhere} may name it")
    if (world.child.slug, path) in reach.used:
        return Use("yes")
    winner = world.resolver.winner(path, rule)
    if winner is not None and (winner.theme.slug, winner.path) != (world.child.slug, path):
        return Use("no", f"{winner.theme.slug}/{quote_path(winner.path)} wins instead")
    if LANGUAGES[rule.language].extends or not world.behaviour.speaks:
        if reach.dynamic:
            return Use("unknown", f"{place_words(reach.dynamic[0])} names a template at run time")
        return Use("no", hiding_templates(world, path) or "no template in the lineage names it")
    return _asked_for(world, path, "no template or code of the lineage asks for it")


def hiding_templates(world: World, path: str) -> str:
    """Which templates come first on each kind of page that would ask for one; empty where none would."""
    pages = page_kinds.pages_with(world.resolver, path)
    first = [supply for page in pages if (supply := page_kinds.template_of(world.resolver, page)) is not None]
    names = ", ".join(dict.fromkeys(f"{s.theme.slug}/{quote_path(s.path)}" for s in first))
    return f"{names} {'comes' if names.count(',') == 0 else 'come'} first wherever it was used" if names else ""


def _use_of_code(world: World, path: str, rule: FileRule) -> Use:
    """A code file that runs only where another one asks for it."""
    return Use("yes") if rule.combine == "load" else _asked_for(world, path, "no code file that runs asks for it")


def _asked_for(world: World, path: str, nobody: str) -> Use:
    """A file that runs where code asks for it, on loading or on some kind of page."""
    child, states = world.child.slug, world.behaviour.states
    if any((child, path) in (*state.loaded, *state.shown) for state in states):
        return Use("yes")
    asked = next((site for state in states for (_, other), site in state.pulled.items() if other == path), None)
    if asked is not None:
        return Use("no", f"{place_words(asked)} pulls in its own by a fixed path, so a copy further down is dead")
    stopped = next((state.stopped for state in states if state.stopped is not None), None)
    if stopped is not None:
        return Use("unknown", f"the site stops before: {stopped.because}")
    blind = next((why for state in states if (why := state.blind_about("points"))), "")
    if blind:
        return Use("unknown", blind)
    perhaps = _never_run(world, path, ("pull", "part", "find"))
    if perhaps is not None:
        return Use("unknown", f"{place_words(perhaps)} may ask for it, and whether that runs is not known")
    return Use("no", hiding_templates(world, path) or nobody)


def _never_run(world: World, path: str, does: tuple[str, ...]) -> Location | None:
    """Code that was not come to, and that would ask for a file."""
    asked = {site for state in world.behaviour.states for site in state.asked}
    for each in world.behaviour.said:
        wanted = each.meaning.does in does and "file" in each.meant.roles
        if wanted and each.place not in asked and each.meant.may_mean(path):
            return each.place
    return None


def _use_of_sheet(world: World, path: str, registers: list[Register]) -> Use:
    if any((world.child.slug, path) in loaded_files(world, each) for each in registers):
        return Use("yes")
    register = registers[0]
    site = _mention(world, path)
    if site is not None:
        return Use("yes")
    if register.elsewhere:
        return Use("unknown", "no manifest registers it, and a site can do so where Protypon can't look")
    if register.lists == "call":
        return _called_for(world, path, register)
    unread = next((t for t in world.lineage.themes if t.problems and register.field not in t.values), None)
    if unread is not None:
        return Use("unknown", f"the manifest of {unread.slug} can't be read, and may register it")
    where = f"{register.field} in the manifest of {world.child.slug}"
    return Use("no", f"it is not registered: {where} does not name it, and nothing imports it", True)


def _called_for(world: World, path: str, register: Register) -> Use:
    """A file that no call registers for sure."""
    for state in world.behaviour.states:
        if state.stopped is not None:
            return Use("unknown", "the site stops before")
        if blind := state.blind_about("points"):
            return Use("unknown", blind)
        for sheet in state.sheets.values():
            if sheet.kind == register.kind and _may_mean(sheet.path, path):
                return Use("unknown", f"{place_words(sheet.site)} registers a file whose name is made at run time")
    fixed = next((s for s in sheets(world, register) if s.path == path and s.theme not in ("", world.child.slug)), None)
    if fixed is not None:
        return Use(
            "no",
            f"{place_words(fixed.site)} registers the one of {fixed.theme} by its address, so a copy further down never loads",
        )
    perhaps = _never_run(world, path, (DOES[register.kind],))
    if perhaps is not None:
        return Use("unknown", f"{place_words(perhaps)} may register it, and whether that runs is not known")
    can = any(meaning.does == DOES[register.kind] for meaning in world.platform.code.meanings)
    return Use("no", "no code that runs registers it", can)


def _may_mean(given: str | Unknown, path: str) -> bool:
    """Whether an address that is made at run time may be that of a file of a theme."""
    return isinstance(given, Unknown) and (given.may_be(path) or given.may_be(f"/{path}"))


def sheets(world: World, register: Register) -> list[Sheet]:
    """The files that calls register and that load, in the order of loading: those that another one needs come before it."""
    rows: dict[str, Sheet] = {}
    for state in world.behaviour.states:
        for sheet in state.sheets.values():
            if sheet.kind == register.kind and isinstance(sheet.handle, str) and sheet.path:
                rows.setdefault(sheet.handle, sheet)
    found: dict[str, Sheet] = {}

    def put(handle: str, above: tuple[str, ...]) -> None:
        if handle in rows and handle not in found and handle not in above:
            for need in rows[handle].needs:
                put(need, (*above, handle))
            found[handle] = rows[handle]

    for handle in [handle for handle, sheet in rows.items() if sheet.loads]:
        put(handle, ())
    return list(found.values())


def loaded_files(world: World, register: Register) -> set[tuple[str, str]]:
    """The files (theme, path) that load: the registered ones, and what they import, from sheet to sheet.

    Where a relative address looks in its own theme only, an import finds that theme's file, whoever overrides it.
    """
    found: set[tuple[str, str]] = set()
    waiting = list(_first(world, register))
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


def _first(world: World, register: Register) -> Iterator[Supply]:
    """The files that load for their own sake."""
    for path in register.always:
        holders = [Supply(theme, path) for theme in world.lineage.themes if path in theme.files]
        yield from holders if register.lists == "add" else holders[:1]
    if register.lists != "call":
        yield from (supply for name, _ in world.resolver.files_registered(register) if (supply := _winner(world, name)))
        return
    for sheet in sheets(world, register):
        theme = _theme(world, sheet.theme)
        if theme is not None and str(sheet.path) in theme.files:
            yield Supply(theme, str(sheet.path))
        elif not sheet.theme and (supply := _winner(world, str(sheet.path))) is not None:
            yield supply


def registered_files(world: World, register: Register) -> list[tuple[str, NamedAt]]:
    """The files that a lineage registers, in the order of loading, each with the place that says so."""
    if register.lists == "call":
        return [(str(sheet.path), _naming_at(sheet.site)) for sheet in sheets(world, register)]
    return [(name, _naming_in(theme)) for name, theme in world.resolver.files_registered(register)]


def _winner(world: World, path: str) -> Supply | None:
    rule = world.platform.rule_of(path)
    return world.resolver.winner(path, rule) if rule is not None else None


def missing(world: World) -> list[MissingFile]:
    """What the child's code and templates ask for at fixed paths in the child, and is not there."""
    if not world.behaviour.speaks:
        return []
    child = world.child.slug
    found = (m for state in world.behaviour.states for m in state.missing if m.site.theme == child == m.theme)
    return list({(m.site, m.path): m for m in found}.values())


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


def who_names(world: World, path: str, rule: FileRule) -> NamedAt | None:
    """Who in the lineage still names a file that no ancestor has."""
    if rule.kind == "template":
        site = world.resolver.templates.used.get((world.child.slug, path))
        return _naming_at(site) if site is not None else _manifest_naming(world, path) or _dangling_name(world, path)
    for register in registers_of(world.platform, rule.kind):
        for name, where in registered_files(world, register):
            if name == path:
                return where
    return _naming_in_text(world, path)


def _manifest_naming(world: World, path: str) -> NamedAt | None:
    """The manifest that names a template, if any does."""
    themes = world.lineage.themes
    return next((_naming_in(theme) for theme in themes if path in theme.values.get("templates", ())), None)


def _dangling_name(world: World, path: str) -> NamedAt | None:
    return next((_naming_at(n.site) for n in world.resolver.templates.dangling if n.name == path), None)


def _naming_at(site: Location) -> NamedAt:
    return NamedAt(place_words(site), site.theme, site.path)


def _naming_in(theme: Theme) -> NamedAt:
    return NamedAt(f"{theme.slug}/{quote_path(theme.manifest)}", theme.slug, theme.manifest)


def _naming_in_text(world: World, path: str) -> NamedAt | None:
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
                return _naming_at(Location(theme.slug, other, data.count(b"\n", 0, at) + 1))
    return None
