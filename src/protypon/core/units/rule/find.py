"""Rules of the child's sheets for selectors that a parent's sheet has a rule for."""

from __future__ import annotations

from protypon.core.model.nouns import Theme, Unit
from protypon.core.units.rule.evidence import evidence_of
from protypon.core.units.rule.write import write_rule
from protypon.core.units.world import World

OPTIONS = frozenset({"--set"})
find, place = evidence_of, write_rule


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """None are listed: a sheet itself is the shorter list."""
    return []
