"""Find: from words, a class or a piece of a page to the units of the lineage that could print it, and the ways to change each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from protypon.core.actions.explain import all_units
from protypon.core.languages.css.selectors import asked_for
from protypon.core.languages.data.keys import key_of
from protypon.core.languages.markup import printed
from protypon.core.languages.visible.aligning import fit
from protypon.core.languages.visible.pieces import Shard, printed_by_markup
from protypon.core.languages.visible.reading import folded, seen
from protypon.core.model.actions import Explain, New, packed
from protypon.core.model.errors import Usage
from protypon.core.units.composing import Composed, composed, index
from protypon.core.units.printing import (
    PrintedAt,
    PrintSource,
    Running,
    Sought,
    WayToChange,
    elements,
    is_element,
    matches_surely,
    may_match,
    named_in,
    selector_in,
)
from protypon.core.units.registry import changing, keys_of, printing
from protypon.core.units.world import World

FORMAT = "protypon.find/1"
SHOWN = 8
"""Places that are told at once."""
NEARLY = 0.75
"""What has less of it than so much of the best is left out."""
MOST_LINES = 5
LONGEST_SHOWN = 160
MOST_CONTENT = 8
MOST_COMPOSED = 2_000
Table = dict[str, Any]
USED = Running("yes")
_USED = {"yes": 0, "unknown": 1, "no": 2}


class Query(NamedTuple):
    """What was typed, and as what it is taken."""

    text: str
    way: str
    """``words``, ``selector``, or ``guess``: a selector that was made of a bare word."""
    sought: Sought


@dataclass
class FoundUnit:
    """One unit that could print what is looked for."""

    source: PrintSource
    share: float
    """Of the letters, those that stand in what it prints, with all that is put into it."""
    own: float
    """Of the letters, its own."""
    whole: bool
    alone: bool
    sure: bool
    lines: list[int]
    running: Running = USED
    inside: list[PrintedAt] = field(default_factory=list)
    """What else prints it, where it is a value."""

    def rank(self) -> tuple[object, ...]:
        near = self.source.selected or 0
        return (
            _USED[self.running.used],
            near if self.source.selected is not None else -1,
            -round(self.share, 2),
            not self.whole,
            not self.sure,
            not self.alone,
            -round(self.own, 2),
            not self.source.is_value,
            self.source.unit.address,
        )


def find(world: World, text: str, everything: bool = False) -> Table:
    """What could print a text, as the table that ``--format json`` prints. Raises Usage for a text with nothing to look for."""
    asked, hits = _looked_for(world, text)
    for hit in hits:
        hit.running = _running(world, hit)
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
        "named": _named(world, text) if not shown else [],
        "content": _content(world) if asked.way == "words" and best < 1 else [],
        "next": packed(_next(world, shown)),
    }


def _in_order(hits: list[FoundUnit], everything: bool) -> list[FoundUnit]:
    """Those that have about as much of it as any, and of those the ones that are used, the likeliest first; the others if asked for."""
    best = max((hit.share for hit in hits), default=0.0) * NEARLY
    likely = [hit for hit in hits if hit.share > best]
    used = [hit for hit in likely if hit.running.used != "no"] or likely
    chosen = sorted(used, key=FoundUnit.rank)
    return chosen + sorted((hit for hit in hits if everything and hit not in chosen), key=FoundUnit.rank)


def _looked_for(world: World, text: str) -> tuple[Query, list[FoundUnit]]:
    """The first way to take a text in which something is found; else the first one."""
    ways = list(_ways(text))
    if not ways:
        raise Usage(f"{text!r} has no letters to look for", "as in: Open all year")
    found = ((asked, _worded(world, asked) if asked.way == "words" else _selected(world, asked)) for asked in ways)
    first: tuple[Query, list[FoundUnit]] | None = None
    for each in found:
        if each[1]:
            return each
        first = first or each
    assert first is not None
    return first


def _ways(text: str) -> Iterator[Query]:
    if "<" in text:
        words = " ".join(_seen_words(text))
        if words:
            yield Query(text, "words", Sought(words))
        for element in printed(text):
            names = [*(f".{name}" for name in sorted(element.classes)), *(f"#{name}" for name in element.ids)]
            wanted = selector_in(element.name + "".join(names))
            if wanted is not None:
                yield Query(text, "selector", Sought(element.name + "".join(names), wanted))
        return
    selector = selector_in(text)
    if selector is not None:
        yield Query(text, "selector", Sought(text, selector))
    if any(letter.isalnum() for letter in folded(text)):
        yield Query(text, "words", Sought(text))
    bare = text.strip()
    if selector is None and bare.replace("-", "").replace("_", "").isalnum():
        for each in (bare, f".{bare}", f"#{bare}") if is_element(bare) else (f".{bare}", f"#{bare}"):
            guessed = asked_for(each)
            if guessed is not None:
                yield Query(text, "guess", Sought(each, guessed))


def _seen_words(text: str) -> Iterator[str]:
    for run in seen(printed_by_markup(text).shards):
        yield from (stretch.text for stretch in run.stretches[:1] if stretch.text)
        return


# By selector


def _selected(world: World, asked: Query) -> list[FoundUnit]:
    """The elements that a selector can match, and the rules for them."""
    sought, hits = asked.sought, []
    assert sought.selector is not None
    for source in _sources(world, sought):
        if source.selected is not None:
            hits.append(FoundUnit(source, 1.0, 1.0, True, False, source.selected < 2, [source.first]))
            continue
        if source.is_value:
            continue
        every = elements(world, source.theme, source.path)
        inside = [e for e in every if _is_in(source, e.line)]
        there = {name for e in every for name in (*e.classes, *e.ids)}
        sure = [e.line for e in inside if matches_surely(e, sought.selector)] if named_in(sought.text) <= there else []
        perhaps = [] if asked.way == "guess" else [e.line for e in inside if may_match(e, sought.selector)]
        lines = sure or perhaps
        if lines:
            share = 1.0 if sure else 0.5
            hits.append(FoundUnit(source, share, share, True, False, bool(sure), list(dict.fromkeys(lines))))
    return _innermost(hits)


def _is_in(source: PrintSource, line: int) -> bool:
    return source.first <= line <= (source.last if source.last is not None else line)


def _innermost(hits: list[FoundUnit]) -> list[FoundUnit]:
    """Without files of which every line is one of their functions'."""
    inner = {(h.source.theme.slug, h.source.path, n) for h in hits if h.source.function >= 0 for n in h.lines}
    kept: list[FoundUnit] = []
    for hit in {h.source.key: h for h in hits}.values():
        if hit.source.function < 0 and hit.source.selected is None:
            hit.lines = [n for n in hit.lines if (hit.source.theme.slug, hit.source.path, n) not in inner]
        if hit.lines:
            kept.append(hit)
    return kept


# By words


def _worded(world: World, asked: Query) -> list[FoundUnit]:
    """What the words, or a good part of them, can come from: first as they stand, then put together of several, then cut by markup."""
    words, names = asked.sought.words, _names(world)
    hits: dict[object, FoundUnit] = {}
    for sought in (asked.sought, Sought(asked.text, split=True)):
        every = [_without_names(source, names) for source in _sources(world, sought)]
        for source in every:
            _noted(hits, words, Composed(list(source.shards), [source] * len(source.shards)))
        if not _is_whole(world, hits):
            _put_together(world, asked, every, names, hits)
        if _is_whole(world, hits):
            break
    return list(hits.values())


def _is_whole(world: World, hits: dict[object, FoundUnit]) -> bool:
    """Whether something that is used has all of it."""
    return any(hit.share >= 1 and _running(world, hit).used != "no" for hit in hits.values())


def _put_together(
    world: World, asked: Query, every: list[PrintSource], names: frozenset[str], hits: dict[object, FoundUnit]
) -> None:
    """Note what has the words with what it asks for by name put into it."""
    found = index(world, [source for source in every if source.names])
    if not found.by_name:
        return
    around = _sources(world, Sought(asked.text, None, found.by_name))
    for source in [s for s in around if not s.is_value][:MOST_COMPOSED]:
        if any(found.named(shard) for shard in source.shards if shard.names):
            _noted(hits, asked.sought.words, composed(_without_names(source, names), found))


def _names(world: World) -> frozenset[str]:
    """Texts in templates and code that are names of something, so that nobody sees them."""
    keys = (key_of(unit.name or "") for theme in world.lineage.themes for unit in keys_of(world, theme))
    paths = (path for theme in world.lineage.themes for path in theme.files)
    said = (each.name for each in world.behaviour.said if each.name)
    return frozenset([*(".".join(key) for key in keys if key), *paths, *said])


def _without_names(source: PrintSource, names: frozenset[str]) -> PrintSource:
    if source.is_value:
        return source
    return source._replace(shards=[s for s in source.shards if not (s.perhaps and s.text in names)])


def _sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    for kind, part in printing().items():
        yield from (source._replace(by=kind) for source in part.sources(world, sought))


def _noted(hits: dict[object, FoundUnit], words: str, pieces: Composed) -> None:
    """Note for each owner of pieces what of the words it can print."""
    for run in seen(pieces.shards):
        found = fit(words, run)
        if found is None:
            continue
        sizes: dict[object, int] = {}
        for place, size in found.parts:
            owner = pieces.owners[place.shard]
            sizes[owner.key] = sizes.get(owner.key, 0) + size
        total = sum(sizes.values()) or 1
        for place, _ in found.parts:
            owner, sure = pieces.owners[place.shard], not pieces.shards[place.shard].perhaps
            own = found.share * sizes[owner.key] / total
            _keep(hits, FoundUnit(owner, found.share, own, found.whole_words, found.alone, sure, [place.line]))


def _keep(hits: dict[object, FoundUnit], new: FoundUnit) -> None:
    known = hits.setdefault(new.source.key, new)
    if known is new:
        return
    better = (new.share, new.whole, new.sure) > (known.share, known.whole, known.sure)
    same = (new.share, new.whole, new.sure) == (known.share, known.whole, known.sure)
    if better:
        hits[new.source.key] = new
    elif same and new.lines[0] not in known.lines:
        known.lines.append(new.lines[0])


# What is told


def _running(world: World, hit: FoundUnit) -> Running:
    """Of the lines at which something stands, those that are used come first."""
    owner = printing()[hit.source.by]
    rows = [(owner.running(world, PrintedAt(hit.source, line)), line) for line in hit.lines[:MOST_LINES]]
    rows.sort(key=lambda row: _USED[row[0].used])
    hit.lines = [line for _, line in rows] + hit.lines[MOST_LINES:]
    return rows[0][0]


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
        "shown": _shown(world, hit),
        "share": round(hit.share, 2),
        "whole_words": hit.whole,
        "sure": hit.sure,
        "used": hit.running.used,
        "because": hit.running.because,
        "pages": list(hit.running.pages),
        "printed_in": [{"theme": s.source.theme.slug, "file": s.source.path, "line": s.line} for s in hit.inside],
        "yours": source.theme is world.child and world.child.maintained,
        "ways": [{"what": change.what, "next": packed(change.step)} for change in rows],
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


def _shown(world: World, hit: FoundUnit) -> str:
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
    for source in _sources(world, Sought("", None, found.by_name)):
        if source.is_value:
            continue
        for shard in source.shards:
            for inner in found.named(shard) if shard.names else ():
                standing = PrintedAt(source, shard.line)
                if printing()[source.by].running(world, standing).used != "no":
                    by_key[inner.key].inside.append(standing)


def _content(world: World) -> list[Table]:
    """Where what the site holds comes out: variables that the platform gives to templates, and regions."""
    given = frozenset(world.platform.code.variables)
    found: dict[str, Table] = {}
    for source in _sources(world, Sought("", None, given)) if given else ():
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
    for run in seen(list(source.shards)):
        for stretch in run.stretches:
            yield from (source.shards[number] for number in stretch.before)


def _printing(what: str, theme: str, path: str, line: int) -> Table:
    return {"what": what, "theme": theme, "file": path, "line": line}


def _named(world: World, text: str) -> list[Table]:
    """Units that are called so, or the file of which is."""
    wanted = text.strip().lower()
    units = {
        u
        for u in all_units(world)
        if wanted in {u.path.lower(), u.path.lower().rpartition("/")[2], (u.name or "").lower()}
    }
    chosen = sorted(units, key=lambda unit: unit.address)[:SHOWN]
    return [{"unit": unit.address, "next": packed(Explain(unit.address, world.child.slug))} for unit in chosen]


def _next(world: World, hits: list[FoundUnit]) -> Any:
    if not world.child.maintained:
        return New("SLUG", world.child.slug)
    return Explain(hits[0].source.unit.address, world.child.slug) if hits else None
