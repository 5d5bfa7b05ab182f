"""What an override of a class, or of a method of one, wrote into the child: nothing but itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.steps import Test

COUNTED = False


def wrote(record: Record) -> Test:
    """Which calls an override wrote."""
    return lambda m, r: False


def declaration_named(record: Record) -> tuple[str, str]:
    """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""
    unit = record.unit
    return ("class", unit.path) if unit.name is None else ("method", f"{unit.path}::{unit.name}")


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    """The lists of the child's manifest, by their meanings, without what an override put into them."""
    return {}
