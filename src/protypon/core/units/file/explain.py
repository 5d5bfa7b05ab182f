"""Whole files explained: which is used, which are hidden and why."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.state import Sheet
from protypon.core.languages.comments import head
from protypon.core.model.nouns import Theme, Unit
from protypon.core.platform.platform import FileRule
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.page_kinds import pages_with, template_of
from protypon.core.units.explaining import Table, words_of
from protypon.core.units.file import use
from protypon.core.units.file.headed import is_headed, rest_of
from protypon.core.units.file.loading import places_of, rules_in
from protypon.core.units.file.variables import variables_of
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    for theme in world.lineage.themes:
        for path in theme.files:
            rule = world.platform.rule_of(path)
            if rule is not None and (path != theme.manifest or is_headed(world.platform, theme, path)):
                yield Unit(rule.kind, path)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    rule = world.platform.rule_of(unit.path)
    if is_headed(world.platform, world.child, unit.path):
        return None if rest_of(world.snapshot.read(world.child, unit.path)).strip() else ()
    there = unit.path in world.child.files or not any(unit.path in t.files for t in world.ancestors)
    return None if rule is None or rule.combine == "load" or there else ()


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    rule = world.platform.rule_of(unit.path)
    assert rule is not None
    ranking = world.resolver.ranking(unit.path, rule)
    reach = use.of(world, ranking[0].path, rule) if ranking and ranking[0].theme is world.child else use.Use("yes")
    used = ranking if reach.reach != "no" else [s for s in ranking[1:] if _is_used(world, s, rule)]
    idle = [s for s in ranking if s not in used]
    how = {"load": "loaded too", "overlay": "laid under it, key by key"}.get(rule.combine, "further up")
    below = [_whole(s, how) for s in used[1:]] + [_whole(s, "never used") for s in idle]
    mine = bool(used) and used[0].theme is world.child
    source = next((s for s in ranking if s.theme is not world.child), ranking[0])
    gets = variables_of(world, used[0]) if used and rule.kind == "template" and world.behaviour.speaks else None
    return {
        **({"variables": gets} if gets is not None else {}),
        **({"rules": rules_in(world, used[0])} if used and rule.kind == "style" else {}),
        "in_force": _whole(used[0]) if used else None,
        "hidden": below,
        "without": _whole(used[1]) if mine and len(used) > 1 and rule.combine != "load" else None,
        "unknown": world.lineage.cut or None,
        "comment": head(_text(world, source.theme, source.path)),
        "notes": list(_notes(world, unit, used[0] if used else None, rule, reach)),
    }


def _is_used(world: World, supply: Supply, rule: FileRule) -> bool:
    """Whether a file further up is used where the child's own is not."""
    place = (supply.theme.slug, supply.path)
    if rule.kind == "code":
        return place in world.behaviour.state.loaded
    if rule.kind != "template" or place in world.resolver.templates.used:
        return True
    return any(place in state.shown for state in world.behaviour.states)


def _whole(supply: Supply, how: str = "") -> Table:
    return {"theme": supply.theme.slug, "file": supply.path, "line": None, **({"how": how} if how else {})}


def _notes(world: World, unit: Unit, winner: Supply | None, rule: FileRule, reach: use.Use) -> Iterator[str]:
    if reach.reach == "no":
        yield f"the one of {world.child.slug} is never used: {reach.because}"
    elif reach.reach == "unknown":
        yield f"whether it is used can't be told: {reach.because}"
    asked = (
        world.resolver.templates.used.get((winner.theme.slug, winner.path))
        if winner and rule.kind == "template"
        else None
    )
    if asked is not None:
        yield f"asked for in {words_of(asked)}"
    if rule.kind == "template":
        yield from _on_pages(world, unit.path)
    if rule.kind in use.DOES:
        yield from places_of(world, rule.kind, unit.path)
    for register in world.platform.registers:
        if register.kind == rule.kind and register.lists == "call" and world.behaviour.speaks:
            yield from (_loading_words(sheet) for sheet in use.sheets(world, register) if sheet.path == unit.path)
    for record in world.records.values():
        if record.unit == unit:
            release = f" {record.release}" if record.release else ""
            yield f"listed: {record.how} of {record.source}{release}" + (f", {record.why!r}" if record.why else "")


def _loading_words(sheet: Sheet) -> str:
    """How a sheet or script loads."""
    needs = f", needs {', '.join(sheet.needs)}" if sheet.needs else ""
    whose = f", the one of {sheet.theme}" if sheet.theme else ""
    return f"registered as {sheet.handle} in {words_of(sheet.site)}: in the {sheet.place} of the {sheet.surface}{whose}{needs}"


def _on_pages(world: World, path: str) -> Iterator[str]:
    """On which kinds of page a template is used, and for which another one comes first."""
    used = [page.kind for page in world.behaviour.pages if any(shown == path for _, shown in page.used)]
    if used:
        yield f"used on pages of the kind {', '.join(used)}"
    for page in pages_with(world.resolver, path):
        first = template_of(world.resolver, page)
        if first is not None and first.path != path:
            yield f"on pages of the kind {page.kind}, {first.theme.slug}/{first.path} comes first"


def _text(world: World, theme: Theme, path: str) -> str:
    data = world.snapshot.read(theme, path)[:8192]
    return "" if b"\0" in data else data.decode("utf-8", "replace")
