"""What a child comes to, as far as it can be followed: pages, items, values, variables, regions and keys, in rows of text that can be compared."""

from __future__ import annotations

import re
from typing import Any

from protypon.core.languages.values import Unknown
from protypon.core.units.keyed_files import KINDS, laid, paths_of
from protypon.core.units.world import World

SHOWN = 60
"""Letters of what differs that are told."""
_SPACE = re.compile(r"\s+")
_AROUND_TAGS = re.compile(r" ?(<[^<>]*>) ?")


def effects(world: World) -> dict[str, list[str]]:
    """What a visitor, and other code, gets to see."""
    behaviour, slug = world.behaviour, world.child.slug
    state = behaviour.state
    found: dict[str, list[str]] = {
        "items": [f"{kind} {name} {shown_value(row.value)}" for (kind, name), row in state.items.items()],
        "values": [f"{name} {shown_value(row.value)}" for name, row in state.values.items()],
        "regions": [shown_value(mark.name) for mark in state.regions],
        "variables": list(
            {shown_value(m.name): f"{shown_value(m.name)} {shown_value(m.value)}" for m in state.provided}.values()
        ),
        "problem": [behaviour.uncertain.replace(slug, "")],
    }
    for kind in KINDS:
        for path in paths_of(world, kind, world.lineage.themes):
            keys = laid(world, world.lineage.themes, path)
            rows = keys.items() if not isinstance(keys, str) else ()
            found[path] = [f"{'.'.join(key)} {row.value!r}" for key, row in rows]
    for page in behaviour.pages:
        found[f"a page of the kind {page.kind}"] = [_page("".join(map(shown_value, page.out)))]
    return found


def _page(text: str) -> str:
    """A page without layout: white space between tags, and how much of it."""
    return _AROUND_TAGS.sub(r"\1", _SPACE.sub(" ", text)).strip()


def parting(old: World, new: World) -> str:
    """The first thing that two worlds do otherwise; empty where there is none that could be followed."""
    before, after = effects(old), effects(new)
    for what in dict.fromkeys([*before, *after]):
        was, now = sorted(before.get(what, [])), sorted(after.get(what, []))
        if was != now:
            gone, come = next((r for r in was if r not in now), ""), next((r for r in now if r not in was), "")
            one, other = where_they_part(gone, come)
            return f"{what}: {one!r} before, {other!r} then"
    return ""


def where_they_part(one: str, other: str) -> tuple[str, str]:
    """Two texts from a little before the first letter in which they differ."""
    at = next((n for n, pair in enumerate(zip(one, other, strict=False)) if pair[0] != pair[1]), 0)
    begin = max(at - 20, 0)
    return one[begin : begin + SHOWN], other[begin : begin + SHOWN]


def shown_value(value: Any) -> str:
    """A value as a row has it; an ellipsis for what is not known."""
    if isinstance(value, Unknown):
        return "\N{HORIZONTAL ELLIPSIS}"
    return str(value) if isinstance(value, str | int | float | bool | type(None)) else type(value).__name__
