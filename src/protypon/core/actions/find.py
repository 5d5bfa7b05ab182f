"""Find: from words, a class or a piece of a page to the units of the lineage that could print it, and the ways to change each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from protypon.core.actions.explain import all_units
from protypon.core.actions.found_units import MOST_LINES, FoundUnit, looked_for, running_of, sources_of
from protypon.core.languages.visible.pieces import Shard
from protypon.core.languages.visible.reading import seen_runs
from protypon.core.model.actions import Explain, New, pack_words
from protypon.core.units.composing import index
from protypon.core.units.printing import PrintedAt, PrintSource, Sought, WayToChange
from protypon.core.units.registry import changing, printing
from protypon.core.units.world import World

FORMAT = "protypon.find/1"
SHOWN = 8
"""Places that are told at once."""
NEARLY = 0.75
"""What has less of it than so much of the best is left out."""
LONGEST_SHOWN = 160
MOST_CONTENT = 8
Table = dict[str, Any]


def find(world: World, text: str, everything: bool = False) -> Table:
    """What could print a text, as the table that ``--format json`` prints. Raises Usage for a text with nothing to look for."""
    asked, hits = looked_for(world, text)
    for hit in hits:
        hit.running = running_of(world, hit)
    likely = _in_order(hits, everything)
    shown = likely if everything else likely[:SHOWN]
    if asked.way == "words":
        _note_printing(world, shown)
    best = max((hit.share for hit in hits if hit.running.used != "no"), default=0.0)
    return {
        "format": FORMAT,
        "theme": world.child.slug,
        "lineage": list(world.lineage.slugs),
        "asked": text,
        "as": "words" if asked.way == "words" else "selector",
        "words": asked.sought.words if asked.way == "words" else asked.sought.text,
        "found": [_row(world, hit) for hit in shown],
        "more": len(likely) - len(shown),
        "unknown": world.lineage.cut or world.behaviour.uncertain or None,
        "named": _units_by_name(world, text) if not shown else [],
        "content": _content(world) if asked.way == "words" and best < 1 else [],
        "next": pack_words(_next(world, shown)),
    }


def _in_order(hits: list[FoundUnit], everything: bool) -> list[FoundUnit]:
    """Those that have about as much of it as any, and of those the ones that are used, the likeliest first; the others if asked for."""
    best = max((hit.share for hit in hits), default=0.0) * NEARLY
    likely = [hit for hit in hits if hit.share > best]
    used = [hit for hit in likely if hit.running.used != "no"] or likely
    chosen = sorted(used, key=FoundUnit.rank)
    return chosen + sorted((hit for hit in hits if everything and hit not in chosen), key=FoundUnit.rank)


def _row(world: World, hit: FoundUnit) -> Table:
    source = hit.source
    first = PrintedAt(source, hit.lines[0])
    rows = sorted(_changes(world, first, hit), key=lambda change: change.rank)
    return {
        "unit": source.unit.address,
        "kind": source.unit.kind,
        "theme": source.theme.slug,
        "file": source.path,
        "lines": [line for line in hit.lines if line][:MOST_LINES],
        "shown": _shown_line(world, hit),
        "share": round(hit.share, 2),
        "whole_words": hit.whole,
        "sure": hit.sure,
        "used": hit.running.used,
        "because": hit.running.because,
        "pages": list(hit.running.pages),
        "printed_in": [{"theme": s.source.theme.slug, "file": s.source.path, "line": s.line} for s in hit.inside],
        "yours": source.theme is world.child and world.child.maintained,
        "ways": [{"what": change.what, "next": pack_words(change.step)} for change in rows],
    }


def _changes(world: World, first: PrintedAt, hit: FoundUnit) -> Iterator[WayToChange]:
    """The ways to change it where it stands; of a value, also to change what prints it there."""
    if not world.child.maintained or hit.running.used == "no":
        return
    taken: set[object] = set()
    for standing in (first, *hit.inside[:1]):
        for part in changing():
            for change in part.changes(world, standing):
                if change.step not in taken:
                    taken.add(change.step)
                    yield change


def _shown_line(world: World, hit: FoundUnit) -> str:
    """The line as it is written."""
    source = hit.source
    if source.is_value and source.shards:
        return " ".join("".join(s.text if s.names is None else "…" for s in source.shards).split())[:LONGEST_SHOWN]
    rows = world.snapshot.read(source.theme, source.path).decode("utf-8", "replace").splitlines()
    line = hit.lines[0]
    return " ".join(rows[line - 1].split())[:LONGEST_SHOWN] if 0 < line <= len(rows) else ""


def _note_printing(world: World, hits: Iterable[FoundUnit]) -> None:
    """Of each value among the hits, the templates and code that ask for it."""
    values = [hit for hit in hits if hit.source.is_value and hit.source.names]
    if not values:
        return
    found = index(world, [hit.source for hit in values])
    by_key = {hit.source.key: hit for hit in values}
    for source in sources_of(world, Sought("", None, found.by_name)):
        if source.is_value:
            continue
        for shard in source.shards:
            for inner in found.sources_named(shard) if shard.names else ():
                standing = PrintedAt(source, shard.line)
                if printing()[source.by].running(world, standing).used != "no":
                    by_key[inner.key].inside.append(standing)


def _content(world: World) -> list[Table]:
    """Where what the site holds comes out: variables that the platform gives to templates, and regions."""
    given = frozenset(world.platform.code.variables)
    found: dict[str, Table] = {}
    for source in sources_of(world, Sought("", None, given)) if given else ():
        if source.is_value or source.function >= 0 or source.unit.kind == "code":
            continue
        for shard in _holes_seen(source):
            name = (shard.names or ("",))[0].lstrip("$")
            if name.partition(".")[0] not in given or name in found or not shard.line:
                continue
            if printing()[source.by].running(world, PrintedAt(source, shard.line)).used == "yes":
                found[name] = _printing(name, source.theme.slug, source.path, shard.line)
    for mark in (mark for state in world.behaviour.states for mark in state.printed):
        if isinstance(mark.name, str):
            what = f"the region {mark.name}"
            found.setdefault(what, _printing(what, mark.site.theme, mark.site.path, mark.site.line))
    return list(found.values())[:MOST_CONTENT]


def _holes_seen(source: PrintSource) -> Iterator[Shard]:
    """The holes of which a visitor sees what is filled in."""
    for run in seen_runs(list(source.shards)):
        for stretch in run.stretches:
            yield from (source.shards[number] for number in stretch.before)


def _printing(what: str, theme: str, path: str, line: int) -> Table:
    return {"what": what, "theme": theme, "file": path, "line": line}


def _units_by_name(world: World, text: str) -> list[Table]:
    """Units that are called so, or the file of which is."""
    wanted = text.strip().lower()
    units = {
        u
        for u in all_units(world)
        if wanted in {u.path.lower(), u.path.lower().rpartition("/")[2], (u.name or "").lower()}
    }
    chosen = sorted(units, key=lambda unit: unit.address)[:SHOWN]
    return [{"unit": unit.address, "next": pack_words(Explain(unit.address, world.child.slug))} for unit in chosen]


def _next(world: World, hits: list[FoundUnit]) -> Any:
    if not world.child.maintained:
        return New("SLUG", world.child.slug)
    return Explain(hits[0].source.unit.address, world.child.slug) if hits else None
