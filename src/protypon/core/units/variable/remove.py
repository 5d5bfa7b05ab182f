"""What an override of a variable wrote into the child."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.variable.kind import VARIABLE

COUNTED = False
wrote = VARIABLE.wrote


def declared(record: Record) -> tuple[str, str]:
    return "function", record.written.called


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    return {}
