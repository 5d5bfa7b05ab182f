"""Sheets of the child's as wholes: missing in the editor, in the place of a parent's by accident, generated, made for other widths."""

from __future__ import annotations

import json
import posixpath
import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from protypon.core.languages.css.rules import Condition, StyleRule
from protypon.core.model.actions import Explain, Mend
from protypon.core.model.labels import is_later
from protypon.core.model.nouns import Finding, Theme
from protypon.core.model.paths import quote_path
from protypon.core.units.file.sheets import parse_sheet, sheet_of, styles_of
from protypon.core.units.rule.evidence import evidence_of
from protypon.core.units.rule.reading import every_rule, loaded_sheets, own_sheets, rules_of, supplier
from protypon.core.units.world import World

FEWEST = 3
"""Rules of a parent's sheet that a child's of the same name hides by accident."""
SOURCES = (".scss", ".sass", ".less", ".styl", ".pcss")
"""Endings of texts that style sheets are made from."""
SOURCE_FOLDERS = ("", "scss", "sass", "less", "src", "../scss", "../sass", "../less", "../src")
"""Where a source lies, seen from what is made of it."""
LONGEST_MAP = 4_000_000


def find(world: World) -> Iterator[Finding]:
    """What the code and templates of a lineage would do wrong with such units."""
    yield from _not_in_editor(world)
    yield from _instead(world)
    yield from _generated_findings(world)
    yield from _widths(world)


def _not_in_editor(world: World) -> Iterator[Finding]:
    """Sheets that say otherwise than what the editor loads of a parent's, and that it does not load."""
    editor, child = styles_of(world, "editor"), world.child.slug
    there = {editor.owner(number) for number in range(len(editor.together.sheets))}
    for path in own_sheets(world) if there else ():
        hidden = [
            e.subject.unit
            for e in evidence_of(world)
            if e.subject.file == path and (e.subject.now_from or "", e.subject.unit.path) in there
        ]
        if hidden and (child, path) not in there:
            names = ", ".join(unit.name or "" for unit in hidden[:3]) + (" …" if len(hidden) > 3 else "")
            because = (
                f"{quote_path(path)} is registered for the site and not for the editor, which loads "
                f"{hidden[0].path} of a parent: there {names} looks as the parent has it"
            )
            manifest = any(r.surface == "editor" and r.lists != "call" for r in world.platform.registers)
            step = (Mend if manifest else Explain)(f"style:{quote_path(path)}", child)
            yield Finding("not-in-editor", "warning", child, path, because, step)


def _instead(world: World) -> Iterator[Finding]:
    """Sheets of the name of a parent's that have next to nothing of it, and that nobody wrote down: they were meant to add."""
    child = world.child.slug
    listed = {record.unit.path for record in world.records.values()}
    for slug, path in loaded_sheets(world):
        theme = supplier(world, path)
        if slug != child or theme is None or path in listed or (theme.slug, path) in loaded_sheets(world):
            continue
        theirs, mine = rules_of(world, theme, path), rules_of(world, world.child, path)
        if len(theirs) >= FEWEST and len(theirs.keys() & mine.keys()) * 10 <= len(theirs) and not _imports(world, path):
            because = (
                f"{quote_path(path)} takes the place of the one of {theme.label}, and has {len(theirs.keys() & mine.keys())} "
                f"of its {len(theirs)} rules: the others are gone from the site (if that is meant, adopt it)"
            )
            yield Finding("sheet-instead", "warning", child, path, because, Mend(f"style:{quote_path(path)}", child))


def _imports(world: World, path: str) -> bool:
    """Whether a sheet of the child's brings others along."""
    return bool(sheet_of(world, world.child, path).imports)


# Generated


def _generated_findings(world: World) -> Iterator[Finding]:
    """Copies of what is made from another file, changed where the next build writes over it."""
    child = world.child
    for path in sorted(child.files):
        rule, theme = world.platform.rule_of(path), supplier(world, path)
        if rule is None or rule.kind != "style" or theme is None:
            continue
        if child.files[path].digest == theme.files[path].digest:
            continue
        source = _source_of(world, theme, path)
        mine = child.files.get(source)
        if source and (mine is None or mine.digest == theme.files[source].digest):
            whose = "its copy here is unchanged" if mine is not None else f"that is in {theme.slug} only"
            because = (
                f"{quote_path(path)} is made from {quote_path(source)}, and only what is made was changed ({whose}): "
                "whoever builds it again loses that; change the source, or put yours into a sheet of its own"
            )
            yield Finding(
                "generated", "warning", child.slug, path, because, Explain(f"style:{quote_path(path)}", child.slug)
            )


def _source_of(world: World, theme: Theme, path: str) -> str:
    """What a theme's sheet is made from: what a source map beside it says, else a file of the same name. Empty where there is none."""
    folder, name = posixpath.split(path)
    stem = name.removesuffix(".css").removesuffix(".min")
    if f"{path}.map" in theme.files:
        for source in _sources_of_map(world.snapshot.read(theme, f"{path}.map")):
            full = posixpath.normpath(posixpath.join(folder, source))
            if full in theme.files and full != path:
                return full
    tried = [f"{stem}{ending}" for ending in SOURCES]
    places = [posixpath.normpath(posixpath.join(folder, where, each)) for where in SOURCE_FOLDERS for each in tried]
    plain = [posixpath.join(folder, f"{stem}.css")] if name.endswith(".min.css") else []
    return next((each for each in [*plain, *places] if each in theme.files), "")


def _sources_of_map(data: bytes) -> list[str]:
    """The sources that a source map names (ECMA-426, section 9)."""
    try:
        found = json.loads(data) if len(data) <= LONGEST_MAP else None
    except (ValueError, RecursionError):
        return []
    if not isinstance(found, dict) or not isinstance(found.get("sources"), list):
        return []
    root = found.get("sourceRoot") if isinstance(found.get("sourceRoot"), str) else ""
    return [posixpath.join(root or "", each) for each in found["sources"] if isinstance(each, str)]


# Widths


class Width(NamedTuple):
    """A width at which something changes: as it is written, and in pixels."""

    text: str
    pixels: float


_WIDTH = re.compile(
    r"(?:(?:min|max)-width\s*:|width\s*[<>]?=?)\s*(\d*\.?\d+)(px|em|rem)\b|(\d*\.?\d+)(px|em|rem)\s*[<>]=?\s*width"
)
_PIXELS = {"px": 1.0, "em": 16.0, "rem": 16.0}
"""In a media query, ``em`` is the initial font size (Media Queries 4, section 1.3)."""


def widths_in(conditions: Iterable[Condition]) -> Iterator[Width]:
    """The widths that media queries ask for.

    >>> [each.text for each in widths_in([Condition("media", "(min-width: 40em) and (width < 900px)")])]
    ['40em', '900px']
    """
    for each in conditions:
        if each.kind == "media":
            for found in _WIDTH.finditer(each.text.lower()):
                number, unit = (found[1], found[2]) if found[1] else (found[3], found[4])
                yield Width(f"{number}{unit}", float(number) * _PIXELS[unit])


def _widths(world: World) -> Iterator[Finding]:
    """Widths of the child's rules that a parent had in an earlier release, and has no more while it has others."""
    mine: dict[float, tuple[Width, str, StyleRule]] = {}
    for path in own_sheets(world):
        for rule in every_rule(rules_of(world, world.child, path)):
            for width in widths_in(rule.conditions):
                mine.setdefault(width.pixels, (width, path, rule))
    if not mine:
        return
    now = {w.pixels: w for theme in world.ancestors for w in _widths_of_theme(world, theme)}
    for pixels, (width, path, rule) in mine.items():
        had = _had_width(world, pixels) if now and pixels not in now else ""
        if had:
            others = ", ".join(sorted((w.text for w in now.values()), key=len)[:4])
            because = (
                f"{quote_path(path)} line {rule.line}: {rule.selector} changes at {width.text}, where {had} did; "
                f"now nothing of the parents does (they have {others})"
            )
            step = Explain(f"rule:{quote_path(path)}#{rule.selector}", world.child.slug)
            yield Finding("other-widths", "warning", world.child.slug, path, because, step, rule.line)


def _widths_of_theme(world: World, theme: Theme) -> Iterator[Width]:
    for path, rule in world.platform.ruled(theme.files).rows:
        if rule.kind == "style":
            for each in every_rule(rules_of(world, theme, path)):
                yield from widths_in(each.conditions)


def _had_width(world: World, pixels: float) -> str:
    """The release of a parent that changed at a width; empty where none did."""
    for release in reversed(world.releases):
        theme = world.ancestor(release.theme)
        if theme is None or release.identity == theme.identity or is_later(release.label, theme.release):
            continue
        for path, (_, digest) in world.snapshot.files_of(release).items():
            rule = world.platform.rule_of(path)
            data = world.snapshot.blob(digest) if rule is not None and rule.kind == "style" else None
            if data is not None and b"width" in data:
                rules = parse_sheet(world.platform, path, data).rules
                if any(w.pixels == pixels for each in rules for w in widths_in(each.conditions)):
                    return f"{release.theme} {release.name}"
    return ""
