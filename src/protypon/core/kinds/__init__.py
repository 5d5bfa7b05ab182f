"""Kinds of unit: one module each, behind one Protocol. A new kind is one new file and a line here."""

from __future__ import annotations

from importlib import import_module
from typing import Protocol, cast

from protypon.core.model import Facts, Theme, Unit
from protypon.core.world import World


class Kind(Protocol):
    """What a module of a kind offers."""

    @staticmethod
    def find(world: World) -> list[Facts]:
        """Every override of this kind in a child, with its plain facts; comparisons are filled in later."""

    @staticmethod
    def supplied(world: World, theme: Theme) -> list[Unit]:
        """Every unit of this kind that a theme supplies and a child may override."""


MODULES = {"whole_file": "whole_file"}


def kinds() -> list[Kind]:
    return [cast(Kind, import_module(f"{__name__}.{name}")) for name in MODULES.values()]
