"""Comparisons and merges of B, O and T, many in one go; what was compared before is remembered by content."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from protypon.core.languages.data.keys import Keyed
from protypon.core.languages.registry import LANGUAGES, is_written, language
from protypon.core.languages.writers import writer
from protypon.core.merge import three_way as merge
from protypon.core.merge.likeness import share_left
from protypon.core.model.evidence import Comparison, Place
from protypon.core.model.nouns import Theme
from protypon.core.themes.snapshot import Snapshot

VERSION = "comparison/5"
MOST = 50_000
"""Comparisons that are kept; the oldest go."""


@dataclass(frozen=True, slots=True)
class Three:
    """What is to be compared: digests with a way to read each, and the language."""

    base: str
    ours: str
    theirs: str
    own: tuple[Theme, str] | bytes
    """Theme and path of O, or its text."""
    other: tuple[Theme, str] | bytes
    """Theme and path of T, or its text."""
    language: str
    base_text: bytes | None = None
    """B, where the store does not have it by its digest."""

    @property
    def key(self) -> str:
        """What it is remembered by: the three digests, and the language."""
        return f"{self.base}:{self.ours}:{self.theirs}:{self.language}"


def compare(snapshot: Snapshot, wanted: Iterable[Three]) -> dict[str, Comparison]:
    """Compare many at once, by key. Those whose base is not in the store are left out."""
    wanted, known = list(wanted), _kept_comparisons(snapshot)
    fresh = [w for w in wanted if w.key not in known]
    if fresh:
        _compare(snapshot, known, fresh)
    return {w.key: known[w.key] for w in wanted if w.key in known}


def _kept_comparisons(snapshot: Snapshot) -> dict[str, Comparison]:
    memory = snapshot.memory
    if memory.comparisons is None:
        memory.comparisons = {}
        rows = memory.bench.cache.load_all(VERSION) if memory.bench is not None else {}
        for key, data in rows.items():
            with suppress(ValueError, TypeError, RecursionError):
                memory.comparisons[key] = _unpack_row(json.loads(data))
    return memory.comparisons


def merge_texts(snapshot: Snapshot, wanted: Sequence[Three]) -> dict[str, tuple[merge.Triple, merge.Merged]]:
    """Merge many at once: the three texts and the result, by key. Those whose base is not in the store are left out.

    A result that does not parse, though both sides did, counts as not merged.
    """
    from protypon.core.store.git import merge_files

    texts = {w.key: (w, t) for w in wanted if (t := _texts(snapshot, w)) is not None}
    results = merge.merge_all([t for _, t in texts.values()], merge_files) if texts else []
    return {
        key: (triple, _better(three, triple, result))
        for (key, (three, triple)), result in zip(texts.items(), results, strict=True)
    }


def _better(three: Three, triple: merge.Triple, result: merge.Merged) -> merge.Merged:
    """The result of a merge by lines, or one that knows the language where that would not do."""
    found = _by_rules(
        three, triple, _by_keys(three, triple, _check_parses(three, triple, _by_units(three, triple, result)))
    )
    if found.text is not None or not found.token or three.language not in LANGUAGES:
        return found
    found = _check_parses(three, triple, _without_layout(three, triple, found))
    if found.text is not None or not LANGUAGES[three.language].markup:
        return found
    return _check_parses(three, triple, _by_elements(triple, found))


def _texts(snapshot: Snapshot, three: Three) -> merge.Triple | None:
    base = snapshot.blob(three.base) if three.base_text is None else three.base_text
    if base is None:
        return None
    own, other = (_side(snapshot, place) for place in (three.own, three.other))
    return base, own, other


def _side(snapshot: Snapshot, place: tuple[Theme, str] | bytes) -> bytes:
    """A text at hand, or that of a file, which is read for the override of that path."""
    if isinstance(place, bytes):
        return place
    with snapshot.trace.override_of(place[1]):
        return snapshot.read(*place)


def _compare(snapshot: Snapshot, known: dict[str, Comparison], wanted: Sequence[Three]) -> None:
    from protypon.core.store.git import hunks

    threes = {w.key: w for w in wanted}
    rows: dict[str, bytes] = {}
    for key, ((base, ours, theirs), result) in merge_texts(snapshot, wanted).items():
        three, clean = threes[key], result.text is not None
        left = None if isinstance(three.own, bytes) or merge.is_binary(ours) else share_left(base, ours)
        places = [] if clean else merge.conflict_places(base, ours, theirs, hunks)
        row = [
            "rewrite" if left is not None else "clean" if clean else "conflict",
            _same_but_layout(base, theirs, three.language),
            merge.changed_lines(base, theirs, hunks),
            merge.changed_lines(base, ours, hunks),
            [] if left is not None else [[p.ours, p.theirs] for p in places],
            result.by,
            1.0 if left is None else left,
        ]
        known[key] = _unpack_row(row)
        rows[key] = json.dumps(row, separators=(",", ":")).encode()
    if snapshot.memory.bench is not None:
        snapshot.memory.bench.cache.save(VERSION, rows)
        snapshot.memory.bench.cache.keep_newest(VERSION, MOST)


def _by_units(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Code files are merged by their units where lines alone would not do."""
    base, ours, theirs = triple
    if not is_written(three.language) or ours in (base, theirs) or base == theirs or merge.is_binary(ours):
        return merged
    from protypon.core.merge import by_unit as unit_merge
    from protypon.core.store.git import merge_files

    name = three.language
    return unit_merge.merge(triple, merged, writer(name).split, lambda data: parses(data, name), merge_files)


def _by_keys(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Structured texts are merged key by key where lines would not do, or would make something else of the keys than both sides did."""
    module = language(three.language) if three.language in LANGUAGES else None
    if not isinstance(module, Keyed) or merge.is_binary(triple[1]) or triple[1] in (triple[0], triple[2]):
        return merged
    from protypon.core.merge import by_key

    if merged.text is not None and by_key.is_merge(merged.text, triple, module):
        return merged
    text = by_key.merge_keys(triple, module)
    if text is not None:
        return merge.Merged(text, by="keys")
    return merged if merged.text is None else merge.Merged(None, merged.text)


def _by_rules(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Style sheets are merged rule by rule where lines would not do, or would lose or double a rule."""
    if three.language != "css" or merge.is_binary(triple[1]) or triple[1] in (triple[0], triple[2]):
        return merged
    from protypon.core.merge import by_rule

    if merged.text is not None and by_rule.is_merge(merged.text, triple):
        return merged
    text = by_rule.merge_rules(triple)
    if text is not None:
        return merge.Merged(text, by="rules")
    return merged if merged.text is None else merge.Merged(None, merged.text)


def _without_layout(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Where the parent changed nothing but layout and comments beside what the child changed, the child's stay."""
    from protypon.core.merge.layout import without_layout
    from protypon.core.store.git import hunks, merge_files

    base, ours, theirs = triple
    parents = without_layout(base, theirs, hunks, lambda a, b: _same_but_layout(a, b, three.language))
    own = without_layout(
        base, ours, hunks, lambda a, b: a.split() == b.split() and _same_but_layout(a, b, three.language)
    )
    for left, right in ((ours, parents), (own, parents)):
        if (left, right) != (ours, theirs):
            again = merge.merge_all([(base, left, right)], merge_files)[0]
            if again.text is not None:
                return merge.Merged(again.text, by="layout")
    return merged


def _by_elements(triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Templates are merged by their elements where lines would not do; places that are left stay marked."""
    from protypon.core.merge.by_element import solve_clash
    from protypon.core.merge.markers import Clash, put_together, taken_apart

    pieces = taken_apart(merged.marked or b"", merged.token, triple)
    if pieces is None:
        return merged
    found = [part for piece in pieces for part in (solve_clash(piece) if isinstance(piece, Clash) else [piece])]
    text, clean = put_together(found, merged.token)
    return merge.Merged(text, by="elements") if clean else merge.Merged(None, text, merged.token)


def _check_parses(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    _, ours, theirs = triple
    if merged.text is None or merged.text in (ours, theirs) or not LANGUAGES[three.language].must_parse:
        return merged
    if parses(merged.text, three.language) or not (parses(ours, three.language) and parses(theirs, three.language)):
        return merged
    return merge.Merged(None, merged.text)


def parses(data: bytes, name: str) -> bool:
    """Whether a text of a language parses."""
    return not language(name).problems(data.decode("utf-8-sig", "replace"), "")


def _same_but_layout(before: bytes, after: bytes, name: str) -> bool:
    if merge.is_binary(before) or merge.is_binary(after):
        return False
    try:
        texts = [data.decode("utf-8-sig") for data in (before, after)]
    except UnicodeDecodeError:
        return False
    module = language(name)
    return module.significant(texts[0]) == module.significant(texts[1])


def _unpack_row(row: list[Any]) -> Comparison:
    merged, layout_only, parent, own, places, by, left = row
    return Comparison(
        merged,
        layout_only,
        tuple((a, b) for a, b in parent),
        tuple((a, b) for a, b in own),
        tuple(Place(tuple(o), tuple(t)) for o, t in places),
        by,
        left,
    )
