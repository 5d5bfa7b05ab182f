"""What sheets print (CSS Generated Content, ``content``), and the rules that are for elements of a selector."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.languages.css.rules import StyleRule
from protypon.core.languages.css.selectors import AskedFor, asked_for, normal
from protypon.core.languages.visible.pieces import Shard
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Unit
from protypon.core.units.file.sheets import styles_of
from protypon.core.units.printing import RULE_RANK, PrintedAt, PrintSource, Running, Sought, WayToChange, named_in
from protypon.core.units.rule.explain import taking
from protypon.core.units.world import World

_TEXT = re.compile(r"\"((?:[^\"\\]|\\.)*)\"|'((?:[^'\\]|\\.)*)'")
_ESCAPED = re.compile(r"\\([0-9A-Fa-f]{1,6})\s?|\\(.)", re.DOTALL)


def sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    """Each rule of the sheets that load which prints a text; for a selector, each that is for elements of its kind."""
    styles = styles_of(world)
    for rule, number in styles.together.rules:
        slug, path = styles.owner(number)
        theme = next((t for t in world.lineage.themes if t.slug == slug), None)
        if theme is None:
            continue
        unit = Unit("rule", path, rule.selector)
        near = None if sought.selector is None else nearness(rule.selector, sought.text, sought.selector)
        if near is not None:
            yield PrintSource(unit, theme, path, [], rule.line, rule.line, selected=near)
        elif sought.selector is None:
            shards = list(_printed_shards(rule))
            if shards:
                yield PrintSource(unit, theme, path, shards, rule.line, rule.line, is_value=True)


def _printed_shards(rule: StyleRule) -> Iterator[Shard]:
    for each in rule.declarations:
        if each.name == "content":
            for found in _TEXT.finditer(each.value):
                yield Shard(_unescape(found[1] or found[2] or ""), each.line)
                yield Shard("", each.line, ())


def _unescape(text: str) -> str:
    """A string as it is meant (CSS Syntax, section 4.3.7)."""
    return _ESCAPED.sub(lambda m: chr(min(int(m[1], 16), 0x10FFFF) or 0xFFFD) if m[1] else m[2], text)


def nearness(selector: str, wanted_text: str, wanted: AskedFor) -> int | None:
    """How near a rule's selector is to one that is looked for: the same, for just such elements, for some of what it names; None: neither."""
    if normal(selector) == normal(wanted_text):
        return 0
    asked = asked_for(selector)
    if asked is None or not (asked.classes or asked.ids or asked.name):
        return None
    fits = asked.name in ("", wanted.name) and asked.classes <= wanted.classes and asked.ids <= wanted.ids
    if fits:
        return 1 if asked.classes or asked.ids else 3
    if wanted.classes & asked.classes or wanted.ids & asked.ids:
        return 2
    return 3 if named_in(selector) & named_in(wanted_text) else None


def running(world: World, standing: PrintedAt) -> Running:
    """Whether something that a source of this kind prints is used."""
    return Running("yes")


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """The rule, said again in the child's own sheet."""
    source = standing.source
    if source.unit.kind != "rule" or source.theme is world.child:
        return
    unit = Unit("rule", source.path, source.unit.name)
    options = taking(world, unit)
    if options is not None:
        options = ("--set", 'content="…"') if source.is_value else options
        what = "the rule, said again in your own sheet with the least that wins"
        yield WayToChange(RULE_RANK, Override(unit.address, world.child.slug, options), what)
