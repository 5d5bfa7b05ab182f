"""One unit explained, for people."""

from __future__ import annotations

from typing import Any

from protypon.core.model.actions import unpacked
from protypon.render.commands import sentence
from protypon.render.points_text import at, point
from protypon.render.text import STYLES, Page

Table = dict[str, Any]
INDENT = 14
LABELS = {"region": "printed in", "item": "set in", "value": "set in", "variable": "provided in", "page": "made by"}


def render(page: Page, table: Table) -> None:
    """Print what is known of one unit, the one in force first."""
    page.line((table["unit"], "bold"), f"  as {table['theme']} sees it: {' < '.join(table['lineage'])}")
    if table["unknown"]:
        _row(page, "unknown", table["unknown"], STYLES["warning"])
    if table["kind"] == "hook":
        point(page, table["in_force"], True)
        _change(page, table)
        return
    if table["in_force"] is None:
        _row(page, "in force", "nothing", STYLES["warning"])
    else:
        _row(page, LABELS.get(table["kind"], "in force"), _what(table["in_force"]), STYLES["ok"])
    for hidden in table["hidden"]:
        _row(page, "hides", _what(hidden) + (f"  ({hidden['how']})" if hidden["file"] else ""))
    if table["without"]:
        _row(page, "without it", _what(table["without"]))
    for note in table["notes"]:
        _row(page, "", note)
    _variables(page, table.get("variables", ()))
    if table["comment"]:
        page.gap()
        for line in table["comment"].split("\n")[:12]:
            page.paragraph(line, INDENT, "dim")
    _change(page, table)


def _variables(page: Page, rows: list[Table]) -> None:
    """What a template gets: those that it uses, each with who set it last, then the names of the others."""
    used = [row for row in rows if row["used"]]
    for number, row in enumerate(used):
        where = f"handed in {at(row)}" if row["handed"] else at(row) if row["file"] else f"from {row['theme']}"
        about = f"  {row['about']}" if row["about"] else ""
        _row(page, "" if number else "uses", f"{row['name']}  {where}{about}")
    others = ", ".join(row["name"] for row in rows if not row["used"])
    if others:
        _row(page, "gets too" if used else "gets", others)


def _change(page: Page, table: Table) -> None:
    """How it is taken over."""
    if table["next"]:
        page.line("  to change it: ", (sentence(unpacked(table["next"])), "bold"))


def _row(page: Page, label: str, words: str, style: str = "") -> None:
    page.labelled("  " + label.ljust(INDENT - 2), words, style)


def _what(place: Table) -> str:
    value = f" = {place['value']!r}" if "value" in place else ""
    return (at(place) if place["file"] else str(place.get("how", place["theme"]))) + value
