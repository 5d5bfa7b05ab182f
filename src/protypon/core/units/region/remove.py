"""What an override of a region wrote into the child."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.steps import Test

COUNTED = False


def wrote(record: Record) -> Test:
    """Which calls an override wrote."""
    unit = record.unit
    return lambda m, r: m.does == "region" and r.get("name") == unit.path


def declaration_named(record: Record) -> tuple[str, str]:
    """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""
    return "function", record.written.called


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    """The lists of the child's manifest, by their meanings, without what an override put into them."""
    regions = list(values.get("regions", ()))
    if record.written.file != manifest or record.unit.path not in regions:
        return {}
    return {"regions": [name for name in regions if name != record.unit.path]}
