"""Changed code files, piece by piece: what kinds of unit share that are said by a call."""

from __future__ import annotations

from collections.abc import Callable

from protypon.core.languages.code import Expression, Lit, Var
from protypon.core.languages.registry import coded_language, is_written
from protypon.core.languages.writers import writer
from protypon.core.model.nouns import Unit
from protypon.core.platform.meanings import MeantCall, meant_calls
from protypon.core.units.draft import Draft
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked, Outcome

PlaceCall = Callable[[Draft, Unit, Asked], Outcome]
"""How an override of a kind is written."""


def code_pieces(state: Lightening, data: bytes) -> list[bytes] | None:
    """The units of a code file as texts; None for one that is no plain code from end to end."""
    found = writer(state.rule.language).split(data)
    return None if found is None else [data[p.begin : p.end] for p in found]


def only_call(state: Lightening, text: bytes) -> MeantCall | None:
    """The one call with a meaning that a piece of code is; None for any other piece."""
    made, rules = writer(state.rule.language), state.draft.start.platform.code
    alone = coded_language(state.rule.language).code(made.whole(text))
    if len(alone.body) != 1 or alone.functions or alone.classes:
        return None
    data = made.whole(made.preamble(state.ours) + text)
    found = list(meant_calls(coded_language(state.rule.language).code(data), rules))
    return found[0] if len(found) == 1 else None


def literal_of(value: Expression | None) -> object:
    """What is written out; of a plain name in code that name."""
    if isinstance(value, Var):
        return value.name
    return value.value if isinstance(value, Lit) else None


def peel_setting(kind: str, does: str, place: PlaceCall, state: Lightening) -> Lightening:
    """Each name that a call gave something else to, if what it gives is written out."""
    if state.rule.kind != "code" or not is_written(state.rule.language):
        return state
    old, new = code_pieces(state, state.theirs), code_pieces(state, state.ours)
    for was in [text for text in old or () if text not in (new or ())]:
        before = only_call(state, was)
        if before is None or before.meaning.does != does or before.name is None:
            continue
        for now in [text for text in new or () if text not in (old or ())]:
            after = only_call(state, now)
            value = literal_of(after.roles.get("value")) if after is not None else None
            if after is None or (after.meaning.does, after.name) != (does, before.name) or value is None:
                continue
            outcome = place(state.draft, Unit(kind, before.name), Asked(value=value, valued=True))
            state = state.took(outcome, state.ours.replace(now, was, 1), f"{before.name} is {value!r}")
    return state
