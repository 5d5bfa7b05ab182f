"""Blocks that a copy of a template changes, each set over the parent's."""

from __future__ import annotations

from protypon.core.languages.jinja.blocks import BlockText, Edited, blocks, printed_span
from protypon.core.languages.registry import LANGUAGES
from protypon.core.model.nouns import Unit
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.block.texts import with_merged
from protypon.core.units.block.write import place
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import NOTHING

RANK = 5
LESS = 0.6
"""Blocks that are more than so much of a template are not worth it."""


def peel(state: Lightening) -> Lightening:
    """Each block whose text differs, if nothing outside of blocks does."""
    if not fits(state.draft.start.platform, state.rule, state.path, state.theirs, state.ours):
        return state
    theirs, ours = Edited(state.theirs), Edited(state.ours)
    old, new = blocks(theirs.text), blocks(ours.text)
    for number, (was, now) in enumerate(zip(old, new, strict=True)):
        if _outside(theirs.text, old, number) == _outside(ours.text, new, number):
            continue
        unit = Unit("block", state.path, was.name)
        outcome = place(state.draft, unit, NOTHING)
        begin, end = printed_span(ours.text, now)
        text = ours.text[begin:end].encode("utf-8")
        draft = with_merged(outcome.draft, outcome.records[0], text, "", list(outcome.records))
        state = state.took(outcome, state.ours, f"the block {was.name}").with_added(draft, state.ours, "")
    return state.with_added(state.draft, state.theirs, "")


def fits(platform: Platform, rule: FileRule, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether a copy differs inside of blocks only."""
    if rule.kind != "template" or not LANGUAGES[rule.language].extends or b"block" not in theirs:
        return False
    was, now = Edited(theirs), Edited(ours)
    old, new = blocks(was.text), blocks(now.text)
    same = [(b.name, b.within) for b in old] == [(b.name, b.within) for b in new] and was.exact and now.exact
    if not old or not same or _outside(was.text, old, -1) != _outside(now.text, new, -1):
        return False
    changed = [
        number for number in range(len(old)) if _outside(was.text, old, number) != _outside(now.text, new, number)
    ]
    return sum(old[n].end - old[n].start for n in changed) < LESS * len(was.text)


def _outside(text: str, found: list[BlockText], number: int) -> list[str]:
    """The text of a block (-1: of the template) without that of the blocks inside it."""
    begin, end = (0, len(text)) if number < 0 else (found[number].start, found[number].end)
    parts: list[str] = []
    at = begin
    for each in found:
        if each.within == number:
            parts += [text[at : each.begin], each.name]
            at = each.stop
    return [*parts, text[at:end]]
