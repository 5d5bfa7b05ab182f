"""What a template gets: the variables of the platform, those that code provides, and those that it alone is handed."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.comments import above, summary
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.units.explaining import Table, place
from protypon.core.units.variable.findings import names_used
from protypon.core.units.variable.kind import VARIABLE
from protypon.core.units.world import World


def variables_of(world: World, supply: Supply) -> list[Table]:
    """Every variable that a template gets, by name: who set it last, its author's words, and whether the template has its name in it."""
    used = names_used(world.behaviour, supply)
    rows = {row["name"]: row for row in _rows(world, supply)}
    return [{**rows[name], "used": name in used} for name in sorted(rows)]


def _rows(world: World, supply: Supply) -> Iterator[Table]:
    for name in world.platform.code.variables:
        yield {"name": name, "theme": world.platform.name, "file": "", "line": None, "about": "", "handed": False}
    for state in world.behaviour.states:
        for name, row in VARIABLE.in_force(state).items():
            yield {"name": name, **place(row.site), "about": _words(world, row.site), "handed": False}
    for state in world.behaviour.states:
        for name, site in state.handed.get((supply.theme.slug, supply.path), {}).items():
            yield {"name": name, **place(site), "about": _words(world, site), "handed": True}


def _words(world: World, site: Location) -> str:
    """What its author says above the place where it is set."""
    theme = world.behaviour.theme(site.theme)
    if theme is None or site.path not in theme.files or not site.line:
        return ""
    return summary(above(world.snapshot.read(theme, site.path).decode("utf-8", "replace"), site.line))
