"""What settings print, and how one is changed."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.units import keyed_prints
from protypon.core.units.printing import SETTING_RANK, PrintedAt, PrintSource, Sought, WayToChange
from protypon.core.units.setting.kind import SETTING
from protypon.core.units.world import World

running = keyed_prints.running


def sources(world: World, sought: Sought) -> Iterator[PrintSource]:
    """What such units print that may have the words, or elements of the selector, that are looked for."""
    return keyed_prints.sources(world, SETTING, sought)


def changes(world: World, standing: PrintedAt) -> Iterator[WayToChange]:
    """The ways in which an override of this kind changes what stands somewhere."""
    return keyed_prints.changes(world, SETTING_RANK, SETTING, standing)
