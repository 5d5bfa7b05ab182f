"""Compare: one override of a child, as three texts."""

from __future__ import annotations

from protypon.core.actions.records import choose
from protypon.core.check.against import Against
from protypon.core.check.examine import verdicts_of, world_of
from protypon.core.check.sides import Sides, sides_of
from protypon.core.model.nouns import Theme
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.next_steps import NextSteps


def comparison(bench: Bench, child: Theme, text: str, against: Against | None) -> Sides:
    """The three texts of what was typed; nothing is written.

    Raises UnknownName for what is no override of the child, ProtyponError where there is nothing to compare.
    """
    replaced = {against.theme.slug: against.theme} if against else {}
    world = world_of(bench, child, Snapshot.of_bench(bench), replaced)
    steps = NextSteps(
        child.slug, len(bench.children) == 1, against.path if against else None, against.theme.slug if against else None
    )
    verdicts = {v.unit: v for v in verdicts_of(world, steps)}
    return sides_of(world, verdicts[choose(text, sorted(verdicts))])
