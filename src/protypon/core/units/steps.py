"""What a kind of unit inside code offers for its overrides to be taken out and mended."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol, runtime_checkable

from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Record
from protypon.core.platform.meanings import Meaning
from protypon.core.units.draft import Draft

Test = Callable[[Meaning, dict[str, Any]], bool]
"""Whether an override wrote a call: its meaning, and the literal values of its roles."""


class Removal(Protocol):
    """The ``remove`` of a kind."""

    COUNTED: bool
    """An override wrote as many calls at each point as its record lists; of other kinds, those below its comment."""

    def wrote(self, record: Record) -> Test:
        """Which calls an override wrote."""

    def declaration_named(self, record: Record) -> tuple[str, str]:
        """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""

    def without(self, values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
        """The lists of the child's manifest, by their meanings, without what an override put into them."""


@runtime_checkable
class Taking(Protocol):
    """The ``remove`` of a kind whose overrides are no statements of code."""

    def out_of(self, draft: Draft, record: Record, others: list[Record]) -> Draft:
        """The draft without what a record's override wrote. Raises ProtyponError where that can't be told."""


class Mending(Protocol):
    """The ``mend`` of a kind."""

    def mend_draft(
        self, draft: Draft, record: Record, evidence: Evidence, others: list[Record]
    ) -> tuple[Draft, Record, str]:
        """The draft with the mechanical step of an override taken, its record, and what was done."""
