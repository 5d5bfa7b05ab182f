"""Functions that were changed in a parent's code file, each replaced by the child's."""

from __future__ import annotations

from protypon.core.languages.registry import is_written
from protypon.core.languages.spans import DeclarationSpan
from protypon.core.languages.text_edits import take_function
from protypon.core.languages.writers import writer
from protypon.core.model.nouns import Unit
from protypon.core.units.function.find import place
from protypon.core.units.function.texts import with_merged
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import NOTHING

RANK = 4


def peel(state: Lightening) -> Lightening:
    """Each function that both have, and that says something else."""
    if state.rule.kind != "code" or not is_written(state.rule.language):
        return state
    made = writer(state.rule.language)
    theirs = {s.name: s for s in made.declarations(state.theirs) if s.kind == "function"}
    for name, span in theirs.items():
        now = next((s for s in made.declarations(state.ours) if s.kind == "function" and s.name == name), None)
        if now is None or _whole(state.theirs, span) == _whole(state.ours, now):
            continue
        unit = Unit("function", name)
        outcome = place(state.draft, unit, NOTHING)
        text = take_function(state.ours, now, made)
        record = next(r for r in outcome.records if r.unit == unit)
        draft = with_merged(outcome.draft, record, text, state.theme.label, list(outcome.records))
        ours = state.ours[: now.around[0]] + state.theirs[span.around[0] : span.around[1]] + state.ours[now.around[1] :]
        state = state.took(outcome, ours, f"the function {name}").with_added(draft, ours, "")
    return state


def _whole(data: bytes, span: DeclarationSpan) -> bytes:
    return data[span.around[0] : span.around[1]]
