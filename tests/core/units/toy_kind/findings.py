"""Lamps that shine too brightly."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Finding
from protypon.core.units.world import World


def find(world: World) -> Iterator[Finding]:
    for mark in world.behaviour.state.provided:
        if mark.value == "white":
            yield Finding("too-bright", "note", mark.site.theme, mark.site.path, f"{mark.name} dazzles ships")
