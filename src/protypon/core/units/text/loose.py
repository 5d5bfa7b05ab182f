"""A copy of a whole file, reduced to what it says of its own."""

from __future__ import annotations

from protypon.core.model.nouns import Unit
from protypon.core.units.draft import Draft
from protypon.core.units.text.kind import TEXT


def mend_draft(draft: Draft, unit: Unit | None, code: str) -> tuple[Draft, str]:
    """Mend one, or all that a finding's code is about: the draft, and what was done. Raises ProtyponError where nothing helps."""
    return TEXT.without_repeats(draft, unit.path if unit is not None else "")
