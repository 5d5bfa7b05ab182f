"""Files that a platform lays key by key over those of the parents: what each theme sets, and what stands there without the child."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
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


def laid(world: World, themes: Iterable[Theme], path: str) -> dict[Key, Standing] | str:
    """What a file comes to over several themes, the nearest first; a text where one of them can't be read: why."""
    found: dict[Key, Standing] = {}
    for theme in reversed(list(themes)):
        leaves = leaves_in(world, theme, path)
        if leaves is None:
            return unread(world, theme, path)
        for key, value in leaves.items():
            _lay(found, key, Standing(value, theme))
    return found


def unread(world: World, theme: Theme, path: str) -> str:
    """Why a file's keys are not known: where it does not parse, or that it is written in a way that is not read."""
    rule = keyed_rule(world.platform, path)
    problems = world.snapshot.problems(theme, path, rule.language) if rule is not None else []
    why = f": {problems[0].message} (line {problems[0].line})" if problems else ""
    return f"{theme.slug}/{quote_path(path)} can't be read key by key{why}"


def _lay(found: dict[Key, Standing], key: Key, row: Standing) -> None:
    """Lay one key over those that are there: a table goes into a table, and anything else takes the place of what was there."""
    below = [each for each in found if len(each) > len(key) and each[: len(key)] == key]
    if row.value == {} and isinstance(row.value, dict) and below:
        return
    for each in below:
        del found[each]
    for size in range(1, len(key)):
        found.pop(key[:size], None)
    found[key] = row


def value_at(leaves: Mapping[Key, Standing], key: Key) -> Standing | None:
    """What stands at a key; a table where others stand below it. None for one that is not there."""
    if key in leaves:
        return leaves[key]
    below = {each: row for each, row in leaves.items() if each[: len(key)] == key}
    if not below:
        return next((leaves[key[:size]] for size in range(1, len(key)) if key[:size] in leaves), None)
    table: dict[str, Any] = {}
    for each, row in below.items():
        at = table
        for name in each[len(key) : -1]:
            at = at.setdefault(name, {})
        at[each[-1]] = row.value
    return Standing(table, next(iter(below.values())).theme)


def is_at(leaves: Mapping[Key, Standing], key: Key) -> bool:
    """Whether something stands at that very key."""
    return key in leaves or any(each[: len(key)] == key for each in leaves)


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
