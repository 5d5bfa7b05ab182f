"""Rules explained: which of its declarations win, over what, and what would be there without the child."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table
from protypon.core.units.rule.elements import words_for
from protypon.core.units.rule.reading import of_selector, rules_of, supplier
from protypon.core.units.styles_told import rule
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Those that the child has records of: all others are looked for once they are asked for."""
    yield from (unit for unit in world.records if unit.kind == "rule")


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    theme = supplier(world, unit.path)
    there = of_selector(rules_of(world, theme, unit.path), unit.name or "")
    return ("--set", "PROPERTY=VALUE") if there else None


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    table = rule(world, unit)
    where = words_for(world, unit.name or "")
    return {**table, "notes": [*table["notes"], *([where] if where else [])]}
