"""What became of a rule that a parent has no more, or that matches nothing any more: another selector in its place, or none."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple, cast

from protypon.core.languages.css.rules import StyleRule
from protypon.core.languages.css.selectors import names_in, normal
from protypon.core.model.nouns import Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.rule import names
from protypon.core.units.rule.reading import (
    Rules,
    declaration_text,
    every_rule,
    loaded_sheets,
    of_selector,
    rules_at,
    rules_in,
    rules_of,
    supplier,
)
from protypon.core.units.world import World


class NewRule(NamedTuple):
    """A rule that took the place of another one."""

    theme: str
    path: str
    selector: str
    why: str


class Fate(NamedTuple):
    """What became of one."""

    why: str
    found: list[NewRule]


def gone_names(world: World) -> dict[str, names.Had]:
    """The names that rules of the child's ask for and a release took away, found once for all of them."""
    if "gone names" not in world.memo:
        wanted = {
            name
            for slug, path in loaded_sheets(world)
            if slug == world.child.slug
            for rule in every_rule(rules_of(world, world.child, path))
            for name in names.names_of(rule)
        }
        world.memo["gone names"] = names.names_gone(world, wanted) if world.releases else {}
    return cast("dict[str, names.Had]", world.memo["gone names"])


def lost_names(world: World, rules: Sequence[StyleRule]) -> dict[str, names.Had]:
    """The classes and ids that rules ask for, and that nothing in the lineage has any more."""
    asked = {name for rule in rules for name in names_in(rule.selector)}
    return {name: had for name, had in gone_names(world).items() if name in asked}


def gone_of(world: World, unit: Unit, lost: dict[str, names.Had], base: bytes | None) -> Fate:
    """What became of what a rule was taken from: it lost some names, or the parent has it no more; ``base`` is what that said."""
    selector = unit.name or ""
    theme = supplier(world, unit.path)
    label = theme.label if theme is not None else "the parent"
    if lost:
        name, had = next(iter(lost.items()))
        place = f"{had.release.theme} {had.release.name} had it in {quote_path(had.path)} line {had.line}"
        why = f"nothing in the lineage has the class or id {name} any more ({place})"
    else:
        why = f"{label} has no rule for {selector} in {quote_path(unit.path)} any more"
    found = {(each.path, normal(each.selector)): each for each in _successors(world, unit, lost, base)}
    return Fate(why, list(found.values()))


def _successors(world: World, unit: Unit, lost: dict[str, names.Had], base: bytes | None) -> Iterator[NewRule]:
    """What took its place: by the markup where names are gone, else by what new rules say; where none is, only another sheet is looked at."""
    theme = supplier(world, unit.path)
    renamed = {name: new for name, had in lost.items() if (new := names.successor(world, name, had))}
    if lost and theme is not None and renamed.keys() == lost.keys():
        pairs = ", ".join(f"{new} in the place of {name}" for name, new in renamed.items())
        yield NewRule(theme.slug, unit.path, with_names(unit.name or "", renamed), f"; there is {pairs} now")
    elif lost:
        yield from alike(world, unit, base)
    else:
        yield from _elsewhere(world, unit, base)


def _elsewhere(world: World, unit: Unit, base: bytes | None) -> Iterator[NewRule]:
    """The same selector in another sheet of the parents', where it was not before."""
    before, selector = _before(world, unit), unit.name or ""
    for slug, path in loaded_sheets(world) if base is not None else ():
        other = world.ancestor(slug)
        then = rules_at(world, path, before[path]) if path in before else {}
        there = path != unit.path and other is not None and of_selector(rules_of(world, other, path), selector)
        if there and not of_selector(then, selector):
            yield NewRule(slug, path, selector, f"; it stands in {quote_path(path)} now")


def alike(world: World, unit: Unit, base: bytes | None) -> Iterator[NewRule]:
    """New rules of the theme that it was taken from which say just what it said."""
    before = _before(world, unit)
    record = world.records.get(unit)
    for slug, path in loaded_sheets(world) if base is not None and before else ():
        other = world.ancestor(slug)
        if other is not None and record is not None and slug == record.source and base is not None:
            then = rules_at(world, path, before[path]) if path in before else {}
            yield from _of_one_body(other, path, rules_of(world, other, path), then, unit.name or "", base)


def _before(world: World, unit: Unit) -> dict[str, str]:
    """The files of the release that a rule was taken from, by path; none where that is not kept."""
    record = world.records.get(unit)
    release = world.release(record.source, record.release) if record is not None else None
    return (
        {path: digest for path, (_, digest) in world.snapshot.files_of(release).items()} if release is not None else {}
    )


def _of_one_body(theme: Theme, path: str, rules: Rules, then: Rules, selector: str, base: bytes) -> Iterator[NewRule]:
    """New rules that say just what one said that is gone: evidence, where that is more than a word or two."""
    body = _body(every_rule(rules_in(base)))
    for name, found in rules.items():
        new = found[0].selector
        if name not in then and _body(found) == body and (len(body) > 1 or _differ_in_one_name(selector, new)):
            place = f"{theme.slug}/{quote_path(path)} line {found[0].line}"
            yield NewRule(theme.slug, path, new, f"; {new} says just what it said ({place})")


def _body(rules: Sequence[StyleRule] | Iterator[StyleRule]) -> list[object]:
    return [(rule.layer, rule.conditions, declaration_text(each)) for rule in rules for each in rule.declarations]


_NAME = re.compile(r"[\w-]+")


def _differ_in_one_name(one: str, other: str) -> bool:
    mine, theirs = _NAME.findall(one), _NAME.findall(other)
    same_form = _NAME.sub("_", one) == _NAME.sub("_", other)
    return same_form and sum(a != b for a, b in zip(mine, theirs, strict=True)) == 1


def with_names(selector: str, new: dict[str, str]) -> str:
    """A selector with other classes and ids.

    >>> with_names(".menu .menu-item", {"menu-item": "menu-link"})
    '.menu .menu-link'
    """
    return re.sub(r"(?<=[.#])[\w-]+", lambda found: new.get(found[0], found[0]), selector)
