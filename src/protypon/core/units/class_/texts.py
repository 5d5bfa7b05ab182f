"""Classes and methods as texts that are copied: the child's, those of kept releases, and the child's with another text."""

from __future__ import annotations

from protypon.core.languages.text_edits import with_class_named
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Release, Unit
from protypon.core.units import declarations
from protypon.core.units.class_.reading import ClassDeclaration, above, own_class, own_method
from protypon.core.units.declarations import REASON, text_of, writer_at
from protypon.core.units.draft import Draft
from protypon.core.units.parent_functions import folds
from protypon.core.units.past_release import former_in
from protypon.core.units.world import World


def standing(world: World, unit: Unit, file: str) -> ClassDeclaration | None:
    """What stands in the child for a unit."""
    return own_class(world, unit.path, file) if unit.name is None else own_method(world, unit, file)


def own_text(world: World, declared: ClassDeclaration) -> bytes:
    """The child's text as the parent would have it: without the line that gives the reason."""
    return REASON.sub(b"", text_of(world, declared))


def own(draft: Draft, record: Record) -> bytes | None:
    """The child's text, in the parent's words."""
    found = standing(draft.world, record.unit, record.written.file)
    return own_text(draft.world, found) if found is not None else None


def in_release(world: World, release: Release, unit: Unit) -> bytes | None:
    """The class in a kept release; of a method, that of the nearest class above that had one."""
    declared = former_in(world, release).declared
    if unit.name is None:
        return _text_by_name(declared["class"], unit.path)
    cls = own_class(world, unit.path)
    names = [each.name for each in above(world, cls)] if cls is not None else []
    found = (_text_by_name(declared["method"], f"{name}::{unit.name}") for name in names)
    return next((text for text in found if text is not None), None)


def _text_by_name(texts: dict[str, bytes], name: str) -> bytes | None:
    return next((text for each, text in texts.items() if each.lower() == name.lower()), None)


def with_merged(draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
    """The child with another text where the copy stands; ``label`` is the release whose words it is in."""
    found = standing(draft.world, record.unit, record.written.file)
    if found is None:
        raise ProtyponError(f"{record.unit.address}: the copy is gone", Drop(record.unit.address))
    return declarations.with_text(draft, found, text.rstrip(b"\n"), label)


def under_new_name(world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
    """What a class was taken from, under the name that the parent calls it now."""
    if new.unit.name is not None:
        return text
    return with_class_named(text, old.path, new.unit.path, writer_at(world, new.written.file), folds(world))


def settle_record(world: World, record: Record) -> Record:
    """The record as it is once what the parents do today is accepted."""
    return record
