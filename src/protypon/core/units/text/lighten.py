"""Keys set by the child in the place of a changed file."""

from __future__ import annotations

from protypon.core.units import keyed_lighten
from protypon.core.units.lightening import Lightening
from protypon.core.units.text.kind import TEXT

RANK = 0


def peel(state: Lightening) -> Lightening:
    """Say as much of a change as such overrides can; the same state where that is nothing. Raises ProtyponError."""
    return keyed_lighten.peel(TEXT, state)
