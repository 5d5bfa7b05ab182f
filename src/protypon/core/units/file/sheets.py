"""The style sheets and scripts that load, in their order, and which of several declarations wins among them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from protypon.core.analysis.state import Sheet
from protypon.core.languages.css.competing import Competing
from protypon.core.languages.css.media import Window
from protypon.core.languages.css.rendered import read_rendered
from protypon.core.languages.css.rules import StyleSheet, read
from protypon.core.languages.css.together import Loaded, Together, together
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Platform, Register
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.resolve import relative
from protypon.core.units.file import use
from protypon.core.units.world import World


class SheetRow(NamedTuple):
    """A sheet or script that loads by itself."""

    theme: str
    path: str
    by: str
    """Who registers it, in words."""
    surface: str = "site"
    place: str = ""
    doubt: str = ""


def rows(world: World, kind: str) -> list[SheetRow]:
    """What loads of a kind, in the order of loading; what several surfaces load stands there for each."""
    return [row for register in use.registers_of(world.platform, kind) for row in _rows(world, register)]


def _rows(world: World, register: Register) -> list[SheetRow]:
    found = list(_always(world, register))
    if register.lists == "call":
        return found + [row for sheet in use.sheets(world, register) if (row := _by_call(world, sheet)) is not None]
    for name, theme in world.resolver.files_registered(register):
        winner = _winner(world, name)
        if winner is not None:
            by = f"{theme.slug}/{quote_path(theme.manifest)}"
            found.append(SheetRow(winner.theme.slug, name, by, register.surface, register.place))
    return list({(row.theme, row.path): row for row in reversed(found)}.values())[::-1]


def _always(world: World, register: Register) -> Iterator[SheetRow]:
    for path in register.always:
        holders = [theme for theme in world.lineage.themes if path in theme.files]
        for theme in reversed(holders) if register.lists == "add" else holders[:1]:
            yield SheetRow(theme.slug, path, f"{world.platform.title} by itself", register.surface)


def _by_call(world: World, sheet: Sheet) -> SheetRow | None:
    path = str(sheet.path)
    theme = sheet.theme or next((t.slug for t in world.lineage.themes if path in t.files), "")
    return (
        SheetRow(theme, path, use.place_words(sheet.site), sheet.surface, sheet.place, sheet.doubt) if theme else None
    )


def surfaces(world: World) -> list[str]:
    """The surfaces on which some sheet loads, the site first."""
    return list(dict.fromkeys(["site", *(row.surface for row in rows(world, "style"))]))


def styles_of(world: World, surface: str = "site") -> Styles:
    """The rules of one surface, put together once."""
    key = ("styles", surface)
    if key not in world.memo:
        world.memo[key] = _styles(world, surface)
    found: Styles = world.memo[key]
    return found


def _winner(world: World, path: str) -> Supply | None:
    rule = world.platform.rule_of(path)
    return world.resolver.winner(path, rule) if rule is not None else None


def parse_sheet(platform: Platform, path: str, data: bytes) -> StyleSheet:
    """What a text says that stands at a path: rendered by the platform, or served as it lies there."""
    rule = platform.rule_of(path)
    text = data.decode("utf-8-sig", "replace")
    is_rendered = rule is not None and path.endswith(tuple(rule.renders)) and "{" in text
    return read_rendered(text) if is_rendered else read(text)


def sheet_of(world: World, theme: Theme, path: str) -> StyleSheet:
    """What a theme's sheet says, read once for all who ask."""
    key = ("style sheet", theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        world.snapshot.worked_out[key] = parse_sheet(world.platform, path, world.snapshot.read(theme, path))
    found: StyleSheet = world.snapshot.worked_out[key]
    return found


@dataclass
class Styles:
    """All rules of the sheets that load on one surface. It knows no world: worlds remember it."""

    rows: list[SheetRow]
    together: Together
    window: Window
    unread: list[str]
    """What is not gone into of the sheets that load: where, and why."""

    @cached_property
    def competing(self) -> Competing:
        """Which of the declarations win over which; nothing is sure of the order where it is not known whether a sheet loads."""
        return Competing(self.together, self.window, sure=not any(row.doubt for row in self.rows))

    def owner(self, sheet: int) -> tuple[str, str]:
        """The theme and path of a sheet by its place in the order."""
        theme, _, path = self.together.sheets[sheet].name.partition("/")
        return theme, path

    def loading_of(self, sheet: int) -> Loaded:
        """How a sheet loads: by what, in which order, for what."""
        return self.together.sheets[sheet]


def _styles(world: World, surface: str) -> Styles:
    """The sheets of one surface, read and put in order."""
    found = [row for row in rows(world, "style") if row.surface == surface]
    names = [f"{row.theme}/{row.path}" for row in found]
    placed = together(
        names, lambda name: _read_sheet(world, name), lambda by, address: _imported_sheet(world, by, address)
    )
    unread = []
    for each in dict.fromkeys(loaded.name for loaded in placed.sheets):
        sheet = _read_sheet(world, each)
        unread += [f"{each} line {line}: {why}" for line, why in (sheet.unread[:1] if sheet is not None else ())]
    return Styles(found, placed, Window("print" if surface == "print" else "screen"), unread)


def _read_sheet(world: World, name: str) -> StyleSheet | None:
    slug, _, path = name.partition("/")
    theme = next((t for t in world.lineage.themes if t.slug == slug), None)
    return sheet_of(world, theme, path) if theme is not None and path in theme.files else None


def _imported_sheet(world: World, by: str, address: str) -> str | None:
    """The sheet that an import means: beside the one that asks, or the nearest theme's."""
    slug, _, path = by.partition("/")
    target = relative(path, (address,))
    if target is None:
        return None
    if world.platform.served == "theme":
        return f"{slug}/{target}"
    winner = _winner(world, target)
    return f"{winner.theme.slug}/{target}" if winner is not None else None
