"""Functions as texts that are copied: the child's, those of kept releases, and the child's with another text."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.text_edits import rename_functions
from protypon.core.languages.writers import writer
from protypon.core.model.nouns import Record, Release, Unit
from protypon.core.units.draft import Draft
from protypon.core.units.function.copies import own_text, with_text
from protypon.core.units.function.own_words import names_of
from protypon.core.units.parent_functions import attachments, folds, origin_of
from protypon.core.units.past_release import former_in
from protypon.core.units.world import World


def own(draft: Draft, record: Record) -> bytes | None:
    """The child's function, in the parent's words."""
    return own_text(draft, record, ())


def in_release(world: World, release: Release, unit: Unit) -> bytes | None:
    """The function in a kept release."""
    return former_in(world, release).functions.get(unit.path)


def with_merged(draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
    """The child's copy with another text, which is in the words of the parent of that label."""
    functions = [r for r in records if r.unit.kind == "function"]
    names = {old: new for new, old in names_of(record, functions).items()}
    return with_text(draft, record, text.rstrip(b"\n"), label, names)


def under_new_name(world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
    """What an override was taken from, under the name that the parent calls it now."""
    rule = world.platform.rule_of(new.written.file)
    if rule is None:
        return None
    return rename_functions(text, {old.path: new.unit.path}, writer(rule.language), folds(world))


def settle_record(world: World, record: Record) -> Record:
    """The record without the points to which the parents attach the function no more."""
    written, parents = record.written, world.behaviour.parents
    origin = origin_of(world, record.unit.path) if written.at and parents is not None else None
    if origin is None or parents is None:
        return record
    now = {c.point for c in attachments(parents, origin)}
    return replace(record, written=replace(written, at=tuple(at for at in written.at if at.rpartition(" ")[0] in now)))
