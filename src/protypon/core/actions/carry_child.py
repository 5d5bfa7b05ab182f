"""One child carried over: its files first, then what stands inside its code, on top of them."""

from __future__ import annotations

from protypon.core.actions.carried_rows import Row
from protypon.core.actions.carry import Carrying
from protypon.core.actions.records import write_ledger
from protypon.core.check.examine import verdicts_of
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.registry import is_in_code


def carry_child(carrying: Carrying) -> list[Row]:
    """Carry over every override of a child, into the plan; a row each."""
    slug = carrying.child.slug
    steps = NextSteps(slug, carrying.only_child, proposals=dict.fromkeys(carrying.proposals.waiting(slug), ""))
    verdicts = verdicts_of(carrying.world, steps)
    rows = carrying.carry_files([v for v in verdicts if not is_in_code(v.unit)])
    inside = [v for v in verdicts if is_in_code(v.unit)]
    if inside:
        from protypon.core.actions.carry_code import carry_code

        rows |= carry_code(carrying, inside, steps)
    if carrying.records != dict(carrying.world.records):
        write_ledger(carrying.builder, carrying.child, carrying.records)
    return [rows[v.unit] for v in verdicts]
