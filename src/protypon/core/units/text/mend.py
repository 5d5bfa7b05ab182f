"""A key that the parents call otherwise now."""

from __future__ import annotations

from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Record
from protypon.core.units.draft import Draft
from protypon.core.units.text.kind import TEXT


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> tuple[Draft, Record, str]:
    """The draft with the mechanical step of an override taken, its record, and what was done."""
    return TEXT.mend_draft(draft, record, evidence)
