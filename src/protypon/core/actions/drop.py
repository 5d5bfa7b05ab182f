"""Drop: take an override out, and fall back to the parent's. The dropped text stays in the store."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable
from dataclasses import dataclass

from protypon.core import ledger, proposals
from protypon.core.actions.discard import discard
from protypon.core.actions.records import choose, write_ledger
from protypon.core.bench import Bench
from protypon.core.examine import world_of
from protypon.core.kinds import kinds
from protypon.core.model import Facts, Plan, Theme, Unit
from protypon.core.overlay import Overlay
from protypon.core.sources import BenchSources


@dataclass(frozen=True, slots=True)
class Dropped:
    unit: Unit
    file: str
    was_there: bool
    digest: str | None
    """Under which the store keeps the text."""
    falls_back: str | None
    """The ancestor that supplies it now."""


def overrides_of(bench: Bench, child: Theme, sources: BenchSources) -> dict[Unit, Facts]:
    """Every override of a child, listed or not."""
    world = world_of(bench, child, sources, {})
    return {facts.unit: facts for kind in kinds() for facts in kind.find(world)}


def plan_drop(bench: Bench, child: Theme, texts: Iterable[str]) -> tuple[Plan, list[Dropped]]:
    """Plan to take overrides out. Raises Unknown for a name that is no override of the child."""
    overlay = Overlay(str(bench.root))
    facts = overrides_of(bench, child, BenchSources(bench, overlay))
    units = [choose(text, sorted(facts)) for text in texts]
    index = proposals.read(bench.root)
    dropped = []
    for unit in units:
        found = facts[unit]
        discard(index, overlay, bench, child.slug, found.file)
        if found.ours is not None:
            overlay.remove(os.path.join(child.folder, found.file))
        dropped.append(Dropped(unit, found.file, found.ours is not None, found.ours, found.now_from))
    records = bench.records(child)
    if any(unit in records for unit in units):
        write_ledger(overlay, child, ledger.changed(records, drop=units))
    names = " ".join(shlex.quote(u.address) for u in units)
    return overlay.plan(f"drop {names} --child {child.slug}"), dropped
