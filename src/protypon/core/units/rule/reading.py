"""What a sheet says for one selector: as rules, and as a text that a record stands for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple, cast

from protypon.core.languages.css.rendered import read_rendered
from protypon.core.languages.css.rules import Condition, StyleDeclaration, StyleRule, StyleSheet, read
from protypon.core.languages.css.selectors import normal
from protypon.core.languages.css.shorthands import set_by
from protypon.core.model.nouns import Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.file.sheets import Styles, parse_sheet, sheet_of, styles_of, surfaces
from protypon.core.units.world import World

RULE = "rule"

Rules = Mapping[str, Sequence[StyleRule]]
"""The rules of a sheet by selector, in one spelling."""


def rules_at(world: World, path: str, digest: str) -> Rules:
    """The rules of a sheet that a kept release has at a path."""
    key = ("rules kept", path, digest)
    if key not in world.snapshot.worked_out:
        data = world.snapshot.blob(digest) or b""
        world.snapshot.worked_out[key] = _by_selector(parse_sheet(world.platform, path, data))
    return cast(Rules, world.snapshot.worked_out[key])


@lru_cache(maxsize=256)
def rules_in(data: bytes) -> Rules:
    """The rules of a text that a record stands for, by selector."""
    text = data.decode("utf-8-sig", "replace")
    return _by_selector(read_rendered(text) if "{{" in text else read(text))


def _by_selector(sheet: StyleSheet) -> Rules:
    found: dict[str, list[StyleRule]] = {}
    for rule in sheet.rules:
        found.setdefault(normal(rule.selector), []).append(rule)
    return found


def rules_of(world: World, theme: Theme | None, path: str) -> Rules:
    """The rules of a theme's sheet; none where it is not there."""
    if theme is None or path not in theme.files:
        return {}
    key = ("rules", theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        world.snapshot.worked_out[key] = _by_selector(sheet_of(world, theme, path))
    return cast(Rules, world.snapshot.worked_out[key])


def of_selector(rules: Rules, selector: str) -> Sequence[StyleRule]:
    """The rules of a sheet for one selector, in any spelling of it."""
    return rules.get(normal(selector), ())


# Texts


def text_of(selector: str, rules: Iterable[StyleRule]) -> bytes:
    """What rules say for a selector, as a text of its own: one rule for each layer and each set of conditions."""
    groups: dict[tuple[tuple[str, ...], tuple[Condition, ...]], list[str]] = {((), ()): []}
    for rule in rules:
        said = groups.setdefault((rule.layer, rule.conditions), [])
        said += [declaration_text(each) for each in rule.declarations]
    if len(groups) > 1 and not groups[(), ()]:
        del groups[(), ()]
    return "".join(_block(selector, layer, conditions, said) for (layer, conditions), said in groups.items()).encode()


def _block(selector: str, layer: tuple[str, ...], conditions: tuple[Condition, ...], said: list[str]) -> str:
    lines = [f"{selector} {{", *(f"  {each};" for each in said), "}"]
    heads = [*(f"@{each.kind} {each.text}" for each in conditions), *([f"@layer {'.'.join(layer)}"] if layer else [])]
    for head in reversed(heads):
        lines = [f"{head} {{", *(f"  {line}" for line in lines), "}"]
    return "\n".join(lines) + "\n"


def declaration_text(declaration: StyleDeclaration) -> str:
    """A declaration in a sentence, and in a text."""
    return f"{declaration.name}: {declaration.value}{' !important' if declaration.important else ''}"


def every_rule(rules: Rules) -> Iterator[StyleRule]:
    """The rules of a sheet, selector by selector."""
    for each in rules.values():
        yield from each


# What bears on each other


class PropertyAt(NamedTuple):
    """One property in one place."""

    layer: tuple[str, ...]
    conditions: tuple[Condition, ...]
    name: str


def longhands_of(rules: Iterable[StyleRule]) -> frozenset[str]:
    """All properties that rules set."""
    return frozenset(name for rule in rules for each in rule.declarations for name in set_by(each.name))


def bearing_on(rules: Iterable[StyleRule], wanted: frozenset[str]) -> dict[PropertyAt, StyleDeclaration]:
    """What rules say of some properties: the last word of each in each place."""
    return {
        PropertyAt(rule.layer, rule.conditions, each.name): each
        for rule in rules
        for each in rule.declarations
        if set_by(each.name) & wanted
    }


def part_of(rules: Iterable[StyleRule], wanted: frozenset[str]) -> list[StyleRule]:
    """Rules with what they say of some properties only."""
    parts = (r._replace(declarations=tuple(d for d in r.declarations if set_by(d.name) & wanted)) for r in rules)
    return [each for each in parts if each.declarations]


def says_the_same(mine: Iterable[StyleRule], theirs: Iterable[StyleRule]) -> bool:
    """Whether all that one says is what the other says in the same place."""
    own, above = list(mine), list(theirs)
    said, there = bearing_on(own, longhands_of(own)), bearing_on(above, longhands_of(own))
    return all(place in there and there[place][1:3] == each[1:3] for place, each in said.items())


# Which sheets there are


def loaded_sheets(world: World) -> list[tuple[str, str]]:
    """The sheets (theme, path) that load on some surface: those of the site first, in their order."""
    found: dict[tuple[str, str], None] = {}
    for surface in surfaces(world):
        styles = styles_of(world, surface)
        found.update(dict.fromkeys(styles.owner(number) for number in range(len(styles.together.sheets))))
    return list(found)


def own_sheets(world: World) -> list[str]:
    """The child's sheets that load, and take the place of no ancestor's: what is said in others is told as a change of a copy."""
    return [
        path
        for theme, path in loaded_sheets(world)
        if theme == world.child.slug and not any(path in ancestor.files for ancestor in world.ancestors)
    ]


def supplier(world: World, path: str) -> Theme | None:
    """The nearest ancestor that has a sheet."""
    return next((theme for theme in world.ancestors if path in theme.files), None)


def where(world: World, theme: Theme, path: str, line: int | None) -> str:
    """A place of a sheet as a person reads it."""
    return f"{theme.slug}/{quote_path(path)}" + (f" line {line}" if line else "")


def number_of(styles: Styles, theme: str, path: str) -> int | None:
    """The place of a sheet in the order of loading, the last one of several."""
    numbers = [n for n in range(len(styles.together.sheets)) if styles.owner(n) == (theme, path)]
    return numbers[-1] if numbers else None


def address_of(path: str, selector: str) -> Unit:
    """The unit of a rule."""
    return Unit(RULE, path, selector)


def every_address(world: World) -> Iterator[Unit]:
    """Every rule of the sheets that load."""
    styles = styles_of(world)
    for each, sheet in styles.together.rules:
        yield address_of(styles.owner(sheet)[1], each.selector)
