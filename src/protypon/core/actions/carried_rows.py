"""What an update tells of each override."""

from __future__ import annotations

from dataclasses import dataclass

from protypon.core.model.actions import Action, Words
from protypon.core.model.evidence import Place, Verdict
from protypon.core.model.nouns import Unit

TAKEN_UP = "with the text you finished in proposals/"


@dataclass(frozen=True, slots=True)
class Row:
    """What became of one override: ``merged``, ``moved`` or ``left``."""

    unit: Unit
    before: Verdict
    done: str
    note: Words = ""
    next: Action | None = None
    places: tuple[Place, ...] = ()
    proposal: str = ""
    to: Unit | None = None
    """Its address from now on, where that is another one."""
