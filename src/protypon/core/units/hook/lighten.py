"""Calls at the left edge that came or went in a parent's code file: callbacks taken off, or given another number, and what is new as the child's own."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.languages.registry import is_written
from protypon.core.model.nouns import Unit
from protypon.core.units.code_lighten import code_pieces, literal_of, only_call
from protypon.core.units.coder import put
from protypon.core.units.hook.find import place
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked

RANK = 6
"""After the functions: what is left then came or went whole."""


class Attaching(NamedTuple):
    """A call that attaches a callback, by itself."""

    point: str
    callback: str
    order: int | None


def peel(state: Lightening) -> Lightening:
    """Take off what attaches no more, renumber what has another number, and put what is new into the child's code."""
    if state.rule.kind != "code" or not is_written(state.rule.language):
        return state
    old, new = code_pieces(state, state.theirs), code_pieces(state, state.ours)
    if old is None or new is None:
        return state
    gone = [text for text in old if text not in new]
    come = [text for text in new if text not in old]
    for text in gone:
        was = _attaching(state, text)
        if was is None:
            return state
        same = [(other, now) for other in come if (now := _attaching(state, other)) and now[:2] == was[:2]]
        unit = Unit("hook", was.point, was.callback)
        if same and same[0][1].order is not None:
            come.remove(same[0][0])
            outcome = place(state.draft, unit, Asked(order=same[0][1].order))
            state = state.took(outcome, state.ours, f"{was.callback} at {was.point} has the number {same[0][1].order}")
        else:
            outcome = place(state.draft, unit, Asked(detach=True))
            state = state.took(outcome, state.ours, f"{was.callback} is taken off {was.point}")
    if come:
        draft, file, _ = put(state.draft, [text.decode("utf-8") for text in come])
        state = state.with_added(
            draft, state.ours, f"{len(come)} new {'pieces' if len(come) > 1 else 'piece'} of code in {file}"
        )
    return state.with_added(state.draft, state.theirs, "")


def _attaching(state: Lightening, text: bytes) -> Attaching | None:
    """What a piece of code attaches, if that is all it does and it is written out."""
    meant = only_call(state, text)
    if meant is None or meant.meaning.does != "attach":
        return None
    point, callback, order = (literal_of(meant.roles.get(role)) for role in ("point", "callback", "order"))
    if not isinstance(point, str) or not isinstance(callback, str):
        return None
    return Attaching(point, callback, order if isinstance(order, int) else None)
