"""Rules as texts that are held against those of kept releases."""

from __future__ import annotations

from protypon.core.languages.css.rules import read
from protypon.core.model.actions import Settle
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Release, Unit
from protypon.core.units.draft import Draft
from protypon.core.units.rule.reading import of_selector, rules_at, rules_of, text_of
from protypon.core.units.world import World


def own(draft: Draft, record: Record) -> bytes | None:
    """The child's text, in the parent's words."""
    selector = record.written.called or record.unit.name or ""
    mine = of_selector(rules_of(draft.world, draft.child, record.written.file), selector)
    return text_of(record.unit.name or "", mine) if mine else None


def in_release(world: World, release: Release, unit: Unit) -> bytes | None:
    """The text in a kept release."""
    row = world.snapshot.files_of(release).get(unit.path)
    found = of_selector(rules_at(world, unit.path, row[1]), unit.name or "") if row is not None else ()
    return text_of(unit.name or "", found) if found else None


def with_merged(draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
    """The child with another text where the copy stands; ``label`` is the release whose words it is in."""
    raise ProtyponError(f"{record.unit.address}: a rule is not merged", Settle(record.unit.address))


def under_new_name(world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
    """What it was taken from, for the selector that the parents have now."""
    return text_of(new.unit.name or "", read(text.decode("utf-8", "replace")).rules)


def settle_record(world: World, record: Record) -> Record:
    """The record as it is once what the parents do today is accepted."""
    return record
