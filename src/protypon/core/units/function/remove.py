"""What an override of a function wrote into the child."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.nouns import Record
from protypon.core.units.steps import Test
from protypon.core.units.taking_out import lower, without_detached

COUNTED = True


def wrote(record: Record) -> Test:
    """Which calls an override wrote."""
    points = {at.rpartition(" ")[0] for at in record.written.at}
    names = {"detach": record.unit.path.lower(), "attach": record.written.called.lower()}
    return lambda m, r: (
        r.get("point") in points and bool(names.get(m.does)) and lower(r.get("callback")) == names[m.does]
    )


def declaration_named(record: Record) -> tuple[str, str]:
    """What was declared with an override: ``function``, ``class`` or ``method``, and its name; that is empty where nothing was."""
    return "function", record.written.called or record.unit.path


def without(values: Mapping[str, Any], record: Record, manifest: str) -> dict[str, list[Any]]:
    """The lists of the child's manifest, by their meanings, without what an override put into them."""
    return without_detached(values, {f"{at.rpartition(' ')[0]}#{record.unit.path}" for at in record.written.at})
