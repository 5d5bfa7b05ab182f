"""A block that nothing prints any more, set under the name that took its place."""

from __future__ import annotations

import re
from dataclasses import replace

from protypon.core.languages.jinja.blocks import Edited, blocks
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, moved_to
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.draft import Draft


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> tuple[Draft, Record, str]:
    """The block under its new name. Raises ProtyponError where it has none."""
    unit, moved = record.unit, moved_to(evidence)
    edited = Edited(draft.read(unit.path)) if draft.has(unit.path) else None
    block = next((b for b in blocks(edited.text) if b.name == unit.name), None) if edited is not None else None
    if len(moved) != 1 or edited is None or block is None or not edited.exact:
        raise ProtyponError(f"{unit.address}: no block can be said to have taken its place", Drop(unit.address))
    new = moved[0].path
    word = re.compile(rf"\b{re.escape(unit.name or '')}\b")
    text = edited.text
    tags = (word.sub(new, text[a:b]) for a, b in ((block.begin, block.start), (block.end, block.stop)))
    data = edited.with_piece(block.begin, block.stop, text[block.start : block.end].join(tags))
    made = draft.with_file(unit.path, data)
    return made, replace(record, unit=Unit("block", unit.path, new)), f"the block is called {new} now"
