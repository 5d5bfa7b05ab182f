"""Units that could print words, or elements of a selector: looked for in all that every kind of unit prints."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from protypon.core.languages.css.selectors import asked_for
from protypon.core.languages.data.keys import key_of
from protypon.core.languages.markup import printed_elements
from protypon.core.languages.visible.aligning import fit
from protypon.core.languages.visible.pieces import printed_by_markup
from protypon.core.languages.visible.reading import fold_text, seen_runs
from protypon.core.model.errors import Usage
from protypon.core.units.composing import Composed, compose_pieces, index
from protypon.core.units.printing import (
    PrintedAt,
    PrintSource,
    Running,
    Sought,
    elements,
    is_element,
    matches_surely,
    may_match,
    named_in,
    selector_in,
)
from protypon.core.units.registry import keys_of, printing
from protypon.core.units.world import World

MOST_LINES = 5
MOST_COMPOSED = 2_000
USED = Running("yes")
ORDER = {"yes": 0, "unknown": 1, "no": 2}


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
        """What it is sorted by: whether it is used, how near it is to what is looked for, how much of the words it has."""
        near = self.source.selected or 0
        return (
            ORDER[self.running.used],
            near if self.source.selected is not None else -1,
            -round(self.share, 2),
            not self.whole,
            not self.sure,
            not self.alone,
            -round(self.own, 2),
            not self.source.is_value,
            self.source.unit.address,
        )


def looked_for(world: World, text: str) -> tuple[Query, list[FoundUnit]]:
    """The first way to take a text in which something is found; else the first one."""
    ways = list(_ways(text))
    if not ways:
        raise Usage(f"{text!r} has no letters to look for", "as in: Open all year")
    found = (
        (asked, _units_by_words(world, asked) if asked.way == "words" else _units_by_selector(world, asked))
        for asked in ways
    )
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
        for element in printed_elements(text):
            names = [*(f".{name}" for name in sorted(element.classes)), *(f"#{name}" for name in element.ids)]
            wanted = selector_in(element.name + "".join(names))
            if wanted is not None:
                yield Query(text, "selector", Sought(element.name + "".join(names), wanted))
        return
    selector = selector_in(text)
    if selector is not None:
        yield Query(text, "selector", Sought(text, selector))
    if any(letter.isalnum() for letter in fold_text(text)):
        yield Query(text, "words", Sought(text))
    bare = text.strip()
    if selector is None and bare.replace("-", "").replace("_", "").isalnum():
        for each in (bare, f".{bare}", f"#{bare}") if is_element(bare) else (f".{bare}", f"#{bare}"):
            guessed = asked_for(each)
            if guessed is not None:
                yield Query(text, "guess", Sought(each, guessed))


def _seen_words(text: str) -> Iterator[str]:
    for run in seen_runs(printed_by_markup(text).shards):
        yield from (stretch.text for stretch in run.stretches[:1] if stretch.text)
        return


# By selector


def _units_by_selector(world: World, asked: Query) -> list[FoundUnit]:
    """The elements that a selector can match, and the rules for them."""
    sought, hits = asked.sought, []
    assert sought.selector is not None
    for source in sources_of(world, sought):
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


def _units_by_words(world: World, asked: Query) -> list[FoundUnit]:
    """What the words, or a good part of them, can come from: first as they stand, then put together of several, then cut by markup."""
    words, names = asked.sought.words, _names(world)
    hits: dict[object, FoundUnit] = {}
    for sought in (asked.sought, Sought(asked.text, split=True)):
        every = [_without_names(source, names) for source in sources_of(world, sought)]
        for source in every:
            _note_words(hits, words, Composed(list(source.shards), [source] * len(source.shards)))
        if not _is_whole(world, hits):
            _put_together(world, asked, every, names, hits)
        if _is_whole(world, hits):
            break
    return list(hits.values())


def _is_whole(world: World, hits: dict[object, FoundUnit]) -> bool:
    """Whether something that is used has all of it."""
    return any(hit.share >= 1 and running_of(world, hit).used != "no" for hit in hits.values())


def _put_together(
    world: World, asked: Query, every: list[PrintSource], names: frozenset[str], hits: dict[object, FoundUnit]
) -> None:
    """Note what has the words with what it asks for by name put into it."""
    found = index(world, [source for source in every if source.names])
    if not found.by_name:
        return
    around = sources_of(world, Sought(asked.text, None, found.by_name))
    for source in [s for s in around if not s.is_value][:MOST_COMPOSED]:
        if any(found.sources_named(shard) for shard in source.shards if shard.names):
            _note_words(hits, asked.sought.words, compose_pieces(_without_names(source, names), found))


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


def sources_of(world: World, sought: Sought) -> Iterator[PrintSource]:
    """All that any kind of unit prints of what is looked for."""
    for kind, part in printing().items():
        yield from (source._replace(by=kind) for source in part.sources(world, sought))


def _note_words(hits: dict[object, FoundUnit], words: str, pieces: Composed) -> None:
    """Note for each owner of pieces what of the words it can print."""
    for run in seen_runs(pieces.shards):
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


def running_of(world: World, hit: FoundUnit) -> Running:
    """Of the lines at which something stands, those that are used come first."""
    owner = printing()[hit.source.by]
    rows = [(owner.running(world, PrintedAt(hit.source, line)), line) for line in hit.lines[:MOST_LINES]]
    rows.sort(key=lambda row: ORDER[row[0].used])
    hit.lines = [line for _, line in rows] + hit.lines[MOST_LINES:]
    return rows[0][0]
