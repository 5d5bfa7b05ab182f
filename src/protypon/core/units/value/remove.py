"""What an override of a value wrote into the child."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.value.kind import VALUE

COUNTED = False
wrote = VALUE.wrote


def declaration_named(record: Record) -> tuple[str, str]:
    """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""
    return "function", record.written.called


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    """The lists of the child's manifest, by their meanings, without what an override put into them."""
    return {}
