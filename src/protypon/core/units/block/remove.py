"""A block taken out of the child's template; a template that came with it goes with its last block."""

from __future__ import annotations

import re

from protypon.core.languages.jinja.blocks import Edited, blocks
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record
from protypon.core.units.draft import Draft

_ONLY_EXTENDS = re.compile(r"\s*(?:\{#.*?#\}\s*)*\{%-?\s*extends\s[^%]*%\}\s*(?:\{#.*?#\}\s*)*", re.DOTALL)


def out_of(draft: Draft, record: Record, others: list[Record]) -> Draft:
    """The child without a block. Raises ProtyponError for one that stands inside another."""
    path = record.unit.path
    if not draft.has(path):
        return draft
    edited = Edited(draft.read(path))
    found = blocks(edited.text)
    block = next((b for b in found if b.name == record.unit.name), None)
    if block is None:
        return draft
    if block.within >= 0 or not edited.exact:
        why = (
            f"stands inside the block {found[block.within].name}"
            if block.within >= 0
            else "is in a file that is not UTF-8"
        )
        raise ProtyponError(f"{record.unit.address}: {why}, so it was left: take it out by hand", draft.in_editor(path))
    begin, stop = block.begin, block.stop
    if edited.text[stop : stop + 1] == "\n" and (begin == 0 or edited.text[begin - 1] == "\n"):
        stop += 1
        if edited.text[:begin].endswith("\n\n"):
            begin -= 1
    data = edited.with_piece(begin, stop, "")
    left = Edited(data).text
    brought = "file" in record.written.brought or any(
        "file" in o.written.brought for o in others if o.unit.path == path
    )
    if brought and not blocks(left) and _ONLY_EXTENDS.fullmatch(left):
        return draft.with_file(path, None)
    return draft.with_file(path, data)
