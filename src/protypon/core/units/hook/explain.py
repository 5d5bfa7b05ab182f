"""Hook points and callbacks explained: what runs there, and what was taken away."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Unit
from protypon.core.units.explaining import Table, unknown_of
from protypon.core.units.hook.points import points
from protypon.core.units.hook.write import standing
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every unit of the kind that can be asked about."""
    behaviour = world.behaviour
    attached = {c.point for c in behaviour.state.callbacks}
    for name in attached | behaviour.fired.keys() | {p.name for p in world.platform.code.points}:
        yield Unit("hook", name)
    for callback in behaviour.state.callbacks:
        yield Unit("hook", callback.point, callback.label)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    if unit.name is None:
        return ("--attach", "NAME")
    return ("--detach",) if standing(world, unit.path, unit.name) else None


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    rows = [
        row
        for page in [None, *[p.kind for p in world.behaviour.pages]]
        for row in points(world, page, True)["points"]
        if row["point"] == unit.path
    ]
    row = next((r for r in rows if r["on_page"]), rows[0])
    if unit.name is not None:
        row = {
            **row,
            "callbacks": [c for c in row["callbacks"] if c["callback"] == unit.name],
            "taken_away": [c for c in row["taken_away"] if c["callback"] == unit.name],
        }
    comment = next((c["comment"] for c in row["callbacks"] if c["comment"]), "") if unit.name is not None else ""
    return {
        "in_force": row,
        "hidden": [
            {
                **c,
                "how": f"taken away by {c['by']['theme']}/{c['by']['file']}"
                + (f" line {c['by']['line']}" if c["by"]["line"] else ""),
            }
            for c in row["taken_away"]
        ],
        "comment": comment or row["about"],
        **unknown_of(world.behaviour, row["unknown"] or ""),
    }
