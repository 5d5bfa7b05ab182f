"""A function of the child in the parent's words: so that it can be compared and merged with what it was copied from."""

from __future__ import annotations

from collections.abc import Mapping

from protypon.core.languages.text_edits import rename_functions
from protypon.core.languages.writers import writer
from protypon.core.model.nouns import Record
from protypon.core.units.declarations import REASON, text_of
from protypon.core.units.parent_functions import Origin, folds
from protypon.core.units.world import World


def names_of(record: Record, records: list[Record]) -> dict[str, str]:
    """The child's names of all functions that were written together -> those of the parent."""
    head = record.written.part_of or record.unit.address
    return {
        r.written.called: r.unit.path
        for r in records
        if r.written.called and head in (r.unit.address, r.written.part_of)
    }


def own_words(world: World, own: Origin, names: Mapping[str, str]) -> bytes:
    """The child's function in the parent's words: without the line that gives the reason, under the parent's names."""
    rule = world.platform.rule_of(own.path)
    assert rule is not None
    return rename_functions(REASON.sub(b"", text_of(world, own)), names, writer(rule.language), folds(world))
