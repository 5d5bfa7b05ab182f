"""What an override of a callback wrote into the child."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.steps import Test
from protypon.core.units.taking_out import is_called, without_detached

COUNTED = False


def wrote(record: Record) -> Test:
    """Which calls an override wrote."""
    point, name = record.unit.path, record.unit.name or ""
    does = {"detach": ("detach",), "reorder": ("detach", "attach"), "attach": ("attach",)}.get(record.how, ())
    return lambda m, r: m.does in does and r.get("point") == point and is_called(r.get("callback"), name)


def declaration_named(record: Record) -> tuple[str, str]:
    """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""
    return "function", record.written.called


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    """The lists of the child's manifest, by their meanings, without what an override put into them."""
    off = record.how in ("detach", "reorder")
    return without_detached(values, {f"{record.unit.path}#{record.unit.name}"} if off else set())
