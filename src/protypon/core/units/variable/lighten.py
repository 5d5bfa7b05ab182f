"""Variables that code of a parent gives otherwise now, set by the child."""

from __future__ import annotations

from protypon.core.units.code_lighten import peel_setting
from protypon.core.units.lightening import Lightening
from protypon.core.units.variable.kind import VARIABLE

RANK = 3


def peel(state: Lightening) -> Lightening:
    """Say as much of a change as such overrides can; the same state where that is nothing. Raises ProtyponError."""
    return peel_setting(VARIABLE.kind, VARIABLE.does, VARIABLE.place, state)
