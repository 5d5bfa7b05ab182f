"""What templates, scripts and pictures with words in them print."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.languages.registry import LANGUAGES, is_coded
from protypon.core.languages.visible.pieces import Shard, printed_by_code, printed_by_markup
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Theme, Unit
from protypon.core.platform.platform import FileRule
from protypon.core.units.file.explain import taking
from protypon.core.units.printing import FILE_RANK, PrintedAt, PrintSource, Running, Sought, WayToChange
from protypon.core.units.world import World

_LITERAL = re.compile(r"\"((?:[^\"\\\n]|\\.)*)\"|'((?:[^'\\\n]|\\.)*)'|`((?:[^`\\]|\\.)*)`")
_WORDS = re.compile(r"<(?:text|tspan|title|desc)\b[^<>]*>([^<]+)")
"""Words in a picture (SVG 2, sections 11.2 and 5.10)."""
_DRAWN = (".svg",)
"""Pictures that are texts."""


def sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    """Every template that is the nearest of its name or that a nearer one extends, each script, and pictures that are texts."""
    for theme in world.lineage.themes:
        for path, rule in world.platform.ruled(theme.files).rows:
            if path == theme.manifest or not _prints(rule, path) or not sought.wants(world, theme, path):
                continue
            shards = list(_shards(world, theme, path, rule))
            if shards:
                yield PrintSource(Unit(rule.kind, path), theme, path, shards)


def _prints(rule: FileRule, path: str) -> bool:
    return rule.kind in ("template", "script") or path.endswith(_DRAWN)


def _shards(world: World, theme: Theme, path: str, rule: FileRule) -> Iterator[Shard]:
    if rule.kind == "template" and is_coded(rule.language) and not LANGUAGES[rule.language].markup:
        for flow in printed_by_code(world.snapshot.code(theme, path, rule.language)):
            yield from flow.shards
        return
    data = world.snapshot.read(theme, path)
    if b"\0" in data[:8192]:
        return
    text = data.decode("utf-8-sig", "replace")
    if rule.kind == "template":
        yield from printed_by_markup(text).shards
        return
    line, at = 1, 0
    for found in (_LITERAL if rule.kind == "script" else _WORDS).finditer(text):
        line, at = line + text.count("\n", at, found.start()), found.start()
        yield Shard(next(filter(None, found.groups()), ""), line, None, True)
        yield Shard("", line, ())


def running(world: World, standing: PrintedAt) -> Running:
    """Whether something that a source of this kind prints is used."""
    source = standing.source
    rule = world.platform.rule_of(source.path)
    place = (source.theme.slug, source.path)
    if rule is None or rule.kind != "template":
        winner = world.resolver.winner_at(source.path)
        beaten = winner is not None and winner.theme is not source.theme
        return Running("no", f"{winner.theme.slug} has one of its own") if beaten and winner else Running("yes")
    behaviour = world.behaviour
    pages = tuple(page.kind for page in behaviour.pages if place in page.used)
    if place not in _used_templates(world):
        winner = world.resolver.winner(source.path, rule)
        if winner is not None and (winner.theme.slug, winner.path) != place:
            return Running("no", f"{winner.theme.slug} has one of its own")
        open_end = world.resolver.templates.dynamic or behaviour.uncertain or world.resolver.templates.perhaps
        why = "nothing that could be followed asks for it"
        return Running("unknown" if open_end else "no", why)
    if LANGUAGES[rule.language].extends and not _is_printed(world, standing, rule):
        return Running("no", "a nearer template takes its place there", pages)
    return Running("yes", "", pages)


def _used_templates(world: World) -> frozenset[tuple[str, str]]:
    """(theme, path) of every template that the platform comes to."""
    if "templates used" not in world.memo:
        world.memo["templates used"] = frozenset((s.theme.slug, s.path) for s in world.behaviour.templates)
    found: frozenset[tuple[str, str]] = world.memo["templates used"]
    return found


def _is_printed(world: World, standing: PrintedAt, rule: FileRule) -> bool:
    """Whether the block in which a line stands runs; outside of blocks, whether the template is the last of a chain."""
    source = standing.source
    number = block_at(world, source.theme, source.path, rule, standing.line)
    return (source.theme.slug, source.path, number) in world.resolver.templates.ran


def block_at(world: World, theme: Theme, path: str, rule: FileRule, line: int) -> int:
    """The number of the innermost block in which a line of a template stands; -1 for none."""
    blocks = world.snapshot.facts(theme, path, rule.language).blocks
    return max((n for n, block in enumerate(blocks) if block.line <= line <= block.last), default=-1)


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """The whole file, taken over."""
    source = standing.source
    rule = world.platform.rule_of(source.path)
    if rule is None or rule.kind == "code" or source.theme is world.child or source.is_value or source.function >= 0:
        return
    unit = Unit(rule.kind, source.path)
    options = taking(world, unit)
    if options is not None and rule.combine != "overlay" and source.selected is None:
        what = f"the whole {rule.kind}, copied: it goes stale with each change that a release makes to it"
        yield WayToChange(FILE_RANK, Override(unit.address, world.child.slug, options), what)
