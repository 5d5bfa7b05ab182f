"""Keys of a changed file that overlays, each set by the child."""

from __future__ import annotations

from protypon.core.units.keyed import KeyKind
from protypon.core.units.keyed_files import keyed_rule, leaves_of_text
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked


def peel(kind: KeyKind, state: Lightening) -> Lightening:
    """Set what was changed; what was taken away can't be said by a key."""
    if state.rule.kind != kind.kind or keyed_rule(state.draft.start.platform, state.path) is None:
        return state
    world = state.draft.world
    theirs = leaves_of_text(world, state.rule, state.theirs)
    ours = leaves_of_text(world, state.rule, state.ours)
    if theirs is None or ours is None or theirs.keys() - ours.keys():
        return state
    for key, value in ours.items():
        if key in theirs and theirs[key] == value:
            continue
        unit = kind.unit(state.path, key)
        if key in theirs:
            outcome = kind.place(state.draft, unit, Asked(value=value, valued=True))
            state = state.took(outcome, state.ours, f"{unit.name} is {value!r}")
        else:
            state = state.with_added(
                kind.with_key(state.draft, state.path, key, value), state.ours, f"{unit.name} is new"
            )
    return state.with_added(state.draft, state.theirs, "")
