"""Sheets and scripts explained: where in the order they load, who says so, and which rules a sheet has."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.themes.inheritance import Supply
from protypon.core.units.explaining import Table
from protypon.core.units.file.sheets import rows, sheet_of, styles_of, surfaces
from protypon.core.units.world import World


def places_of(world: World, kind: str, path: str) -> Iterator[str]:
    """Where a sheet or script stands among those that load, on each surface."""
    if kind == "script":
        found = rows(world, kind)
        for number, row in enumerate(found, 1):
            if row.path == path:
                place = f" in the {row.place}" if row.place else ""
                yield f"loads as script {number} of {len(found)}{place}: {row.by} registers it"
        return
    for surface in surfaces(world):
        styles = styles_of(world, surface)
        registered = {f"{row.theme}/{row.path}": row.by for row in styles.rows}
        every = styles.together.sheets
        for number, each in enumerate(every):
            if styles.owner(number)[1] == path:
                by = f"{each.by} imports it" if each.by else f"{registered[each.name]} registers it"
                yield f"loads as sheet {number + 1} of {len(every)} {_of(surface)}: {by}"


def _of(surface: str) -> str:
    return "in print" if surface == "print" else f"of the {surface}"


def rules_in(world: World, supply: Supply) -> list[Table]:
    """The selectors of a sheet, each once, with the line of its first rule."""
    found: dict[str, int] = {}
    for rule in sheet_of(world, supply.theme, supply.path).rules:
        found.setdefault(rule.selector, rule.line)
    return [{"selector": selector, "line": line} for selector, line in found.items()]
