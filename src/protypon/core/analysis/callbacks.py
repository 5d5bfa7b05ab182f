"""Which function a callback stands for."""

from __future__ import annotations

from protypon.core.analysis import calls
from protypon.core.analysis.classes import is_visible
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.state import Callback, State
from protypon.core.analysis.values import Closure
from protypon.core.platform.meanings import CodeRules


def closure_of(state: State, callback: Callback) -> Closure | None:
    """The function or method that a callback stands for, as far as it is known."""
    target = callback.target
    if isinstance(target, Closure):
        return target
    if isinstance(target, str) and "::" not in target:
        declared = state.functions.get(target) or state.functions.get(target.lower())
        return declared.closure if declared is not None else None
    machine = Machine(CodeRules(), FOLLOWING)
    machine.state = state
    found, _ = calls.closure_of(machine, target)
    return found if found is not None and is_visible(machine, found, None) else None
