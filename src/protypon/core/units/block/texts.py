"""Blocks as texts that are copied: the child's, those of kept releases, and the child's with another text."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.jinja.blocks import Edited, blocks, printed_span
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Release, Unit
from protypon.core.store.edits import as_released
from protypon.core.units.block_files import Further, above_of, block_file
from protypon.core.units.draft import Draft
from protypon.core.units.world import World


def own(draft: Draft, record: Record) -> bytes | None:
    """The child's text, in the parent's words."""
    file = block_file(draft.world, record.unit.path)
    block = file.block(record.unit.name or "") if file is not None else None
    return file.body(block) if file is not None and block is not None else None


def in_release(world: World, release: Release, unit: Unit) -> bytes | None:
    """What stood there without the child in a kept release of an ancestor."""
    themes = tuple(
        as_released(t, release, world.snapshot.files_of(release)) if t.slug == release.theme else t
        for t in world.lineage.themes
    )
    then = replace(world, lineage=replace(world.lineage, themes=themes), alike=None)
    chains, _ = above_of(then, unit.path)
    file = block_file(then, unit.path)
    found = (
        file.further(unit.name or "") if file is not None else next((c.further(unit.name or "") for c in chains), None)
    )
    return found.text if isinstance(found, Further) else None


def with_merged(draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
    """The child with another text where the copy stands; ``label`` is the release whose words it is in."""
    path = record.unit.path
    edited = Edited(draft.read(path))
    block = next((b for b in blocks(edited.text) if b.name == record.unit.name), None)
    if block is None or not edited.exact:
        raise ProtyponError(
            f"{record.unit.address}: the block is gone, or its file is not UTF-8", Drop(record.unit.address)
        )
    return draft.with_file(path, edited.with_piece(*printed_span(edited.text, block), text.decode("utf-8", "replace")))


def under_new_name(world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
    """What an override was taken from, under the name that the parent has for it now."""
    return text


def settle_record(world: World, record: Record) -> Record:
    """The record with where the block stands in the page now."""
    file = block_file(world, record.unit.path)
    further = file.further(record.unit.name or "") if file is not None else None
    if not isinstance(further, Further):
        return record
    return replace(record, written=replace(record.written, at=further.at or ("",)))
