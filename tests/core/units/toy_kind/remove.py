"""Lamps: taken out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.steps import Test

COUNTED = False


def wrote(record: Record) -> Test:
    return lambda m, r: m.does == "provide" and r.get("name") == record.unit.path


def declaration_named(record: Record) -> tuple[str, str]:
    return "function", ""


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    return {}
