"""Keys of files that are laid over the parents', key by key: what has become of each that a child sets."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from protypon.core.files.listing import blob_digest
from protypon.core.languages.data.keys import Key, as_json, key_of, name_of
from protypon.core.model.actions import Adopt, Drop, Settle, Update
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import (
    Candidate,
    Evidence,
    Gone,
    Lost,
    Missing,
    Own,
    Part,
    Present,
    Subject,
    Supplied,
    Told,
)
from protypon.core.model.nouns import Record, Release, Theme, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.store.edits import as_released
from protypon.core.units import keyed_files
from protypon.core.units.claimed import unknowable
from protypon.core.units.draft import Draft
from protypon.core.units.keyed_files import (
    Overlaid,
    Standing,
    is_at,
    keyed_rule,
    laid,
    leaves_in,
    lines_in,
    place_of,
    value_at,
)
from protypon.core.units.next_steps import by_hand
from protypon.core.units.world import World

SHOWN = 60
"""Characters of a value that are told in a sentence."""


def text_of_value(value: Any) -> bytes:
    """A value as the text that a record stands for."""
    return f"{as_json(value)}\n".encode("utf-8", "surrogatepass")


def value_words(value: Any) -> str:
    """A value in a sentence."""
    text = as_json(value)
    return text if len(text) <= SHOWN else f"{text[: SHOWN - 1]}…"


def sort_of(value: Any) -> str:
    """What kind of value one is, as people call it; texts that are a number with a unit are told apart by the unit.

    >>> sort_of("12px"), sort_of(3), sort_of("sea")
    ('a number in px', 'a number', 'a text')
    """
    if isinstance(value, str):
        unit = re.fullmatch(r"-?\d+(?:\.\d+)?\s*([a-z]{1,4}|%)", value)
        return f"a number in {unit[1]}" if unit else "a text"
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, int | float):
        return "a number"
    return "a table" if isinstance(value, dict) else "a list" if isinstance(value, list) else "nothing"


@dataclass(frozen=True)
class KeyEvidence:
    """What one of the two kinds finds, and the texts that its records stand for."""

    kind: str

    # What there is

    def unit(self, path: str, key: Key) -> Unit:
        """The unit of a key."""
        return Unit(self.kind, path, name_of(key))

    def supplied_units(self, world: World, theme: Theme) -> list[Unit]:
        """Every key that a theme sets."""
        return [
            self.unit(path, key)
            for path in keyed_files.paths_of(world, self.kind, [theme])
            for key in leaves_in(world, theme, path) or {}
        ]

    def find(self, world: World) -> list[Evidence]:
        """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
        records = self.records_of(world)
        found = [self._listed_evidence(world, record) for record in records.values()]
        if not world.lineage.cut:
            for path in keyed_files.paths_of(world, self.kind, [world.child]):
                found += self._unlisted_evidence(world, path, records)
        return found

    def records_of(self, world: World) -> dict[Unit, Record]:
        """The records of keys; one of a whole file, as ledgers had them once, stands for each key that the child sets."""
        mine = [r for r in world.records.values() if r.unit.kind == self.kind]
        found = {r.unit: r for r in mine if r.unit.name is not None}
        for record in mine:
            rule = keyed_rule(world.platform, record.unit.path)
            if record.unit.name is not None or rule is None:
                continue
            base = self._base_of_file(world, record)
            for key in leaves_in(world, world.child, record.unit.path) or {}:
                unit = self.unit(record.unit.path, key)
                if unit not in found and base is not None and is_at(base, key):
                    was = value_at(base, key)
                    assert was is not None
                    found[unit] = replace(record, unit=unit, how="set", digest=blob_digest(text_of_value(was.value)))
        return found

    def _base_of_file(self, world: World, record: Record) -> Overlaid | None:
        """The keys of the text that a record of a whole file stands for."""
        rule, base = keyed_rule(world.platform, record.unit.path), world.snapshot.blob(record.digest)
        leaves = keyed_files.leaves_of_text(world, rule, base) if rule is not None and base is not None else None
        return None if leaves is None else keyed_files.of_theme(leaves, world.child)

    def base_of(self, world: World, record: Record) -> bytes | None:
        """B of a key, which may be a part of a whole file's."""
        found = world.snapshot.blob(record.digest)
        whole = world.records.get(Unit(self.kind, record.unit.path))
        key = key_of(record.unit.name or "")
        base = self._base_of_file(world, whole) if found is None and whole is not None else None
        was = value_at(base, key) if base is not None and key is not None else None
        return text_of_value(was.value) if was is not None else found

    # Evidence

    def _listed_evidence(self, world: World, record: Record) -> Evidence:
        unit, path = record.unit, record.unit.path
        key = key_of(unit.name or "") or ()
        base = self.base_of(world, record)
        subject = Subject(
            unit=unit, listed=True, how=record.how, file=path, base=record.digest, base_here=base is not None,
            origin=record.source, taken=record.release, sure=record.sure, inside=True, written=record.written,
        )  # fmt: skip
        own = keyed_files.own(world, world.child, path)
        if own is None:
            broken = keyed_files.unread(world, world.child, path)
            return unknowable(world, subject, broken, step=by_hand(world, world.child.slug, path))
        mine = value_at(own, key)
        if mine is None:
            gone = f"the ledger says {quote_path(path)} sets {name_of(key)}, and it does not any more"
            return Missing(replace(subject, told={"missing": Told(gone, Drop)}), Lost())
        return self._present_evidence(world, subject, key, mine.value, base)

    def _unlisted_evidence(self, world: World, path: str, records: dict[Unit, Record]) -> Iterator[Evidence]:
        """Keys that the child sets otherwise than the parents, and nobody wrote down."""
        above = laid(world, world.ancestors, path)
        for key, value in (leaves_in(world, world.child, path) or {}).items():
            unit = self.unit(path, key)
            if unit in records or isinstance(above, str) or not is_at(above, key):
                continue
            theirs = value_at(above, key)
            assert theirs is not None
            if as_json(theirs.value) != as_json(value):
                subject = Subject(
                    unit=unit, listed=False, how="set", file=path, origin=theirs.theme.slug, inside=True,
                    written=Written(path, value=value),
                )  # fmt: skip
                yield self._present_evidence(world, subject, key, value, None)

    def _present_evidence(self, world: World, subject: Subject, key: Key, value: Any, base: bytes | None) -> Evidence:
        path, name = subject.unit.path, name_of(key)
        line = lines_in(world, world.child, path).get(key)
        subject = replace(subject, line=line)
        above = world.lineage.cut or laid(world, world.ancestors, path)
        if isinstance(above, str):
            return unknowable(world, subject, above, blob_digest(text_of_value(value)))
        mine = text_of_value(value)
        own = Own(blob_digest(mine))
        theirs = value_at(above, key)
        if theirs is None or not is_at(above, key[:-1] or key):
            return self._gone_evidence(world, subject, own, key, above, base)
        theme = theirs.theme
        place = place_of(world, theme, path, key)
        now = text_of_value(theirs.value)
        source = Supplied(blob_digest(now), now)
        subject = replace(subject, now_from=theme.slug, now=theme.release, now_at=path)
        changed = subject.base is not None and source.digest != subject.base
        parent_line = lines_in(world, theme, path).get(key) or 1
        part = Part(mine, now, "json", line or 1, parent_line, path, base=base)
        own = replace(own, part=part, adds=((name,) if changed else ()))
        was = f" from {_text_words(base)}" if base is not None else ""
        has = f"{theme.label} has {value_words(theirs.value)} there ({place})"
        listed = f"{quote_path(path)} sets {name} to {value_words(value)}; {has}, and no record says which release it was made for"
        told = {
            "holds": Told(f"it is {value_words(value)}; {has}"),
            "needless": Told(f"{theme.label} says {value_words(value)} too ({place})", Drop),
            "drifted": Told(self._drift_words(world, subject, key, Standing(theirs.value, theme), base, value), Settle),
            "unlisted": Told(listed, Adopt(world.child.slug)),
        }
        clash = _clash(base, theirs.value, value) if changed else ""
        if clash:
            words = f"{theme.label} made {name}{was} {clash} ({place}), and yours is still {sort_of(value)}: {value_words(value)}"
            told["conflicted"] = Told(words, Settle)
        return Present(replace(subject, told=told), own, source, same=mine == now, clash=clash)

    def _drift_words(
        self, world: World, subject: Subject, key: Key, theirs: Standing, base: bytes | None, value: Any
    ) -> str:
        """What became of the parents' value; where the theme that had it sets it no more, and another one does, that too."""
        theme = theirs.theme
        name = name_of(key)
        place = place_of(world, theme, subject.unit.path, key)
        if theme.slug == subject.origin or world.ancestor(subject.origin) is None:
            was = f" from {_text_words(base)}" if base is not None else ""
            return f"{theme.label} changed {name}{was} to {value_words(theirs.value)} ({place}); yours is {value_words(value)}"
        return (
            f"{world.label_now(subject.origin or '')} sets {name} no more, and {theme.label} has {value_words(theirs.value)} there ({place})"
            f"{f'; it was {_text_words(base)}' if base is not None else ''}; yours is {value_words(value)}"
        )

    def _gone_evidence(
        self, world: World, subject: Subject, own: Own, key: Key, above: Overlaid, base: bytes | None
    ) -> Gone:
        """A key that the parents do not have any more: the one that took its place, or none."""
        label, name = world.label_now(subject.origin or ""), name_of(key)
        found = self._successors(world, subject, key, above, base)
        if len(found) == 1:
            new = name_of(found[0])
            theme = above[found[0]].theme
            words = f"{theme.label} calls it {new} now ({place_of(world, theme, subject.unit.path, found[0])})"
            there = Candidate(theme.slug, f"{subject.unit.path}#{new}", 1.0)
            return Gone(replace(subject, told={"moved": Told(words, Update)}), own, Lost((there,)))
        several = f"; it may be {' or '.join(map(name_of, found[:3]))}" if found else ""
        words = f"{label} has no {name} in {quote_path(subject.unit.path)} any more{several}"
        return Gone(replace(subject, told={"stranded": Told(words, Drop)}), own, Lost())

    def _successors(self, world: World, subject: Subject, key: Key, above: Overlaid, base: bytes | None) -> list[Key]:
        """New keys with the very value of one that is gone: of those with the last part of its name, or else all."""
        release = world.release(subject.origin or "", subject.taken)
        theme = world.ancestor(subject.origin)
        if base is None or release is None or theme is None:
            return []
        before = self._in_release(world, release, subject.unit.path)
        if isinstance(before, str):
            return []
        new = [k for k, row in above.items() if not is_at(before, k) and text_of_value(row.value) == base]
        named = [k for k in new if k[-1] == key[-1]]
        beside = [k for k in new if k[:-1] == key[:-1]]
        return named or beside or (new if len(new) > 1 or len(base) > 6 else [])

    def _in_release(self, world: World, release: Release, path: str) -> Overlaid | str:
        """What a file came to in a lineage with a kept release in it."""
        themes = tuple(
            as_released(t, release, world.snapshot.files_of(release)) if t.slug == release.theme else t
            for t in world.ancestors
        )
        return laid(world, themes, path)

    # Texts

    def own(self, draft: Draft, record: Record) -> bytes | None:
        """The child's text, in the parent's words."""
        key = key_of(record.unit.name or "")
        rows = keyed_files.own(draft.world, draft.child, record.unit.path)
        mine = value_at(rows, key) if key and rows is not None else None
        return text_of_value(mine.value) if mine is not None else None

    def in_release(self, world: World, release: Release, unit: Unit) -> bytes | None:
        """The text in a kept release."""
        found, key = self._in_release(world, release, unit.path), key_of(unit.name or "")
        row = value_at(found, key) if key and not isinstance(found, str) and is_at(found, key) else None
        return text_of_value(row.value) if row is not None else None

    def with_merged(self, draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
        """The child with another text where the copy stands; ``label`` is the release whose words it is in."""
        raise ProtyponError(f"{record.unit.address}: a value is not merged", Settle(record.unit.address))

    def under_new_name(self, world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
        """What an override was taken from, under the name that the parent has for it now."""
        return text

    def settle_record(self, world: World, record: Record) -> Record:
        """The record as it is once what the parents do today is accepted."""
        return record

    def spelled_out(self, world: World) -> Iterator[tuple[Record, Unit, bytes | None]]:
        """Each key that the record of a whole file stands for."""
        for unit, record in self.records_of(world).items():
            whole = Unit(self.kind, unit.path)
            if unit not in world.records and whole in world.records:
                yield record, whole, self.base_of(world, record)


def _text_words(text: bytes) -> str:
    words = text.decode("utf-8", "replace").strip()
    return words if len(words) <= SHOWN else f"{words[: SHOWN - 1]}…"


def _clash(base: bytes | None, theirs: Any, ours: Any) -> str:
    """Of another sort than it was, and than the child's is: what it is now."""
    if base is None:
        return ""
    try:
        was = json.loads(base)
    except ValueError:
        return ""
    now = sort_of(theirs)
    if now in (sort_of(was), sort_of(ours)):
        return ""
    return f"to {now}: {value_words(theirs)}"
