"""Blocks of templates as a way to change what stands in them."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.registry import LANGUAGES
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Unit
from protypon.core.units.block.explain import taking
from protypon.core.units.file.prints import block_at
from protypon.core.units.printing import BLOCK_RANK, PrintedAt, WayToChange
from protypon.core.units.world import World


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """The innermost block around a line of a template."""
    source = standing.source
    rule = world.platform.rule_of(source.path)
    if rule is None or not LANGUAGES[rule.language].extends or source.theme is world.child or source.is_value:
        return
    number = block_at(world, source.theme, source.path, rule, standing.line)
    if number < 0:
        return
    name = world.snapshot.facts(source.theme, source.path, rule.language).blocks[number].name
    unit = Unit("block", source.path, name)
    options = taking(world, unit)
    if options is not None:
        what = f"only the block {name} of it, in a template that extends it"
        yield WayToChange(BLOCK_RANK, Override(unit.address, world.child.slug, options), what)
