"""Files that a platform lays key by key over those of the parents: what each theme sets, and what stands there without the child."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from typing import Any, NamedTuple, cast

from protypon.core.files.listing import blob_digest
from protypon.core.languages.data.keys import Key, Keyed, name_of
from protypon.core.languages.registry import language
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.world import World

KINDS = ("setting", "text")


class Standing(NamedTuple):
    """What a key comes to, and the theme that says so."""

    value: Any
    theme: Theme


def keyed_rule(platform: Platform, path: str) -> FileRule | None:
    """The rule of a file whose keys overlay; None for any other file."""
    rule = platform.rule_of(path)
    if rule is None or rule.combine != "overlay" or rule.kind not in KINDS or not platform.is_inherited(path):
        return None
    return rule if isinstance(language(rule.language), Keyed) else None


def module_of(rule: FileRule) -> Keyed:
    """The language of a file whose keys are read."""
    return cast(Keyed, language(rule.language))


def paths_of(world: World, kind: str, themes: Iterable[Theme]) -> list[str]:
    """The files of a kind that some theme has and whose keys overlay."""
    found = {path for theme in themes for path, rule in world.platform.ruled(theme.files).rows if rule.kind == kind}
    return sorted(path for path in found if keyed_rule(world.platform, path) is not None)


def leaves_in(world: World, theme: Theme, path: str) -> dict[Key, Any] | None:
    """What a theme's file sets; nothing where it is not there, None where it can't be read."""
    rule = keyed_rule(world.platform, path)
    if rule is None or path not in theme.files:
        return {}
    return leaves_of_text(world, rule, world.snapshot.read(theme, path))


def leaves_of_text(world: World, rule: FileRule, data: bytes) -> dict[Key, Any] | None:
    """What a text sets, remembered by what it says."""
    key = ("leaves", rule.language, blob_digest(data))
    if key not in world.snapshot.worked_out:
        text = data.decode("utf-8-sig", "replace")
        world.snapshot.worked_out[key] = module_of(rule).leaves(text)
    found = world.snapshot.worked_out[key]
    return cast("dict[Key, Any] | None", found)


class Overlaid(dict[Key, Standing]):
    """What a file comes to: its leaves, and the tables that they stand in."""

    @cached_property
    def tables(self) -> dict[Key, list[Key]]:
        """The leaves below each table."""
        found: dict[Key, list[Key]] = {}
        for key in self:
            for size in range(1, len(key)):
                found.setdefault(key[:size], []).append(key)
        return found


def of_theme(leaves: Mapping[Key, Any], theme: Theme) -> Overlaid:
    """The keys of one theme alone."""
    return Overlaid({key: Standing(value, theme) for key, value in leaves.items()})


def own(world: World, theme: Theme, path: str) -> Overlaid | None:
    """The keys of one theme's file, remembered; None where it can't be read."""
    memo = ("keys of", theme.slug, path, theme.files[path].digest if path in theme.files else "")
    if memo not in world.memo:
        leaves = leaves_in(world, theme, path)
        world.memo[memo] = of_theme(leaves, theme) if leaves is not None else None
    return cast("Overlaid | None", world.memo[memo])


def laid(world: World, themes: Iterable[Theme], path: str) -> Overlaid | str:
    """What a file comes to over several themes, the nearest first; a text where one of them can't be read: why."""
    every = list(themes)
    memo = ("laid", path, *((t.slug, t.files[path].digest) for t in every if path in t.files))
    if memo not in world.memo:
        world.memo[memo] = _laid(world, every, path)
    return cast("Overlaid | str", world.memo[memo])


def _laid(world: World, themes: list[Theme], path: str) -> Overlaid | str:
    """A table goes into a table, and anything else takes the place of what was there."""
    top: dict[str, Any] = {}
    for theme in reversed(themes):
        rows = own(world, theme, path)
        if rows is None:
            return unread(world, theme, path)
        for key, row in rows.items():
            at = top
            for name in key[:-1]:
                if not isinstance(at.get(name), dict):
                    at[name] = {}
                at = at[name]
            empty = isinstance(row.value, dict)
            if not (empty and isinstance(at.get(key[-1]), dict)):
                at[key[-1]] = row
    return Overlaid(_flat(top, ()))


def _flat(table: Mapping[str, Any], above: Key) -> Iterator[tuple[Key, Standing]]:
    for name, row in table.items():
        if isinstance(row, dict):
            yield from _flat(row, (*above, name))
        else:
            yield (*above, name), row


def unread(world: World, theme: Theme, path: str) -> str:
    """Why a file's keys are not known: where it does not parse, or that it is written in a way that is not read."""
    rule = keyed_rule(world.platform, path)
    problems = world.snapshot.problems(theme, path, rule.language) if rule is not None else []
    why = f": {problems[0].message} (line {problems[0].line})" if problems else ""
    return f"{theme.slug}/{quote_path(path)} can't be read key by key{why}"


def value_at(leaves: Overlaid, key: Key) -> Standing | None:
    """What stands at a key; a table where others stand below it. None for one that is not there."""
    if key in leaves:
        return leaves[key]
    below = {each: leaves[each] for each in leaves.tables.get(key, ())}
    if not below:
        return next((leaves[key[:size]] for size in range(1, len(key)) if key[:size] in leaves), None)
    table: dict[str, Any] = {}
    for each, row in below.items():
        at = table
        for name in each[len(key) : -1]:
            at = at.setdefault(name, {})
        at[each[-1]] = row.value
    return Standing(table, next(iter(below.values())).theme)


def is_at(leaves: Overlaid, key: Key) -> bool:
    """Whether something stands at that very key."""
    return key in leaves or key in leaves.tables


def lines_in(world: World, theme: Theme | None, path: str) -> dict[Key, int]:
    """The lines of a theme's keys."""
    rule = keyed_rule(world.platform, path)
    if theme is None or rule is None or path not in theme.files:
        return {}
    key = ("lines of keys", rule.language, theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        text = world.snapshot.read(theme, path).decode("utf-8-sig", "replace")
        world.snapshot.worked_out[key] = module_of(rule).lines(text)
    return cast("dict[Key, int]", world.snapshot.worked_out[key])


def place_of(world: World, theme: Theme, path: str, key: Key) -> str:
    """A theme's file, with the line of a key where that can be told."""
    line = lines_in(world, theme, path).get(key)
    return f"{theme.slug}/{quote_path(path)}" + (f" line {line}" if line else "")


def names_in(leaves: Iterable[Key]) -> Iterator[str]:
    """Keys as addresses have them."""
    return (name_of(key) for key in leaves)
