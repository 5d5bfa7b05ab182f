"""The kinds of unit: one module each, behind one Protocol. A new kind is one new file and a line here."""

from __future__ import annotations

from importlib import import_module
from typing import Protocol, cast

from protypon.core.model.nouns import Facts, Theme, Unit
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World


class Kind(Protocol):
    """What a module of a kind offers."""

    @staticmethod
    def find(world: World) -> list[Facts]:
        """Every override of this kind in a child, with its plain facts; comparisons are filled in later."""

    @staticmethod
    def supplied(world: World, theme: Theme) -> list[Unit]:
        """Every unit of this kind that a theme supplies and a child may override."""


class InCode(Kind, Protocol):
    """What a module of a kind that stands inside code offers besides."""

    @staticmethod
    def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
        """Write an override into the child's code. Raises ProtyponError with what stands in the way."""


MODULES = {
    "whole_file": "file.find",
    "function": "function.find",
    "hook": "hook.find",
    "item": "item.find",
    "value": "value.find",
    "region": "region.find",
}
IN_CODE = tuple(name for name in MODULES if name != "whole_file")
"""Kinds of unit that stand inside code, and not in a file of their own."""


def kinds() -> list[Kind]:
    return [cast(Kind, import_module(f"{__package__}.{name}")) for name in MODULES.values()]


def in_code(name: str) -> InCode:
    """The module of a kind in ``IN_CODE``."""
    return cast(InCode, import_module(f"{__package__}.{MODULES[name]}"))
