"""Hook points for people: in the order of the page, with what runs at each."""

from __future__ import annotations

from typing import Any

from protypon.render.commands import command_line
from protypon.render.text import STYLES, Page, count

Table = dict[str, Any]


def render(page: Page, table: Table) -> None:
    """Print the points of a lineage."""
    where = f", on a page of kind {table['page']}" if table["page"] else ""
    page.line((" < ".join(table["lineage"]), "bold"), f": {count(len(table['points']), 'hook point')}{where}")
    if table["template"]:
        others = [k for k in table["kinds"] if k != table["page"]]
        more = f"; other kinds: --page {' | '.join(others)}" if others else ""
        page.paragraph(f"made by {table['template']['theme']}/{table['template']['file']}{more}", 2, "dim")
    if table["unknown"]:
        page.paragraph(f"nothing below is certain: {table['unknown']}", 2, STYLES["warning"])
        page.next(command_line("check", table["theme"]), 2)
    shown = [p for p in table["points"] if p["on_page"] or p["own"]]
    for row in shown:
        point(page, row, table["compared"])
    rest = [p for p in table["points"] if p not in shown]
    if rest:
        page.gap()
        page.line(
            "  ", ("not on this kind of page", "bold") if table["page"] else ("not fired while code loads", "bold")
        )
        for row in rest:
            point(page, row, table["compared"])
    if table["compared"]:
        page.gap()
        page.line("  + added by the child   - taken away   ~ in another order", ("", ""))


def point(page: Page, row: Table, compared: bool) -> None:
    """Print one point with its callbacks."""
    page.gap()
    kind = "passes a value on" if row["passes"] else ("when the site starts" if row["moment"] else "prints")
    page.line("  ", (row["point"], "bold"), f"  {kind}")
    if row["about"]:
        page.paragraph(row["about"], 6, "dim")
    if row["fired"] and not row["moment"]:
        place = row["fired"][0]
        more = f" and {len(row['fired']) - 1} more" if len(row["fired"]) > 1 else ""
        page.line(" " * 6, f"fired in {at(place)}{more}")
    if row["unknown"]:
        page.paragraph(f"unknown: {row['unknown']}", 6, STYLES["warning"])
    if not row["callbacks"] and not row["taken_away"]:
        page.line(" " * 6, ("nothing is attached", "dim"))
    lines = [_callback(c, row["reordered"], compared) for c in row["callbacks"]]
    lines += [_detached_row(c) for c in row["taken_away"]]
    widths = [max(len(line[i]) for line in lines) for i in range(3)] if lines else [0, 0, 0]
    for number, (sign, order, name, place, comment, style) in enumerate(lines):
        value = _value(row, number) if number < len(row["callbacks"]) else ""
        page.line(
            "    ", (f"{sign.ljust(1)} {order.rjust(widths[1])}  {name.ljust(widths[2])}", style), f"  {place}{value}"
        )
        if comment:
            page.paragraph(comment, 8 + widths[1], "dim")
    if row["values"] is not None and row["callbacks"] and not isinstance(row["start"], dict):
        page.line(" " * 6, f"from {_value_text(row['start'])} to {_value_text(row['values'][-1])}")


def _callback(c: Table, reordered: list[str], compared: bool) -> tuple[str, str, str, str, str, str]:
    sign = "+" if c["added"] else ("~" if c["callback"] in reordered else "")
    function = c["function"]
    elsewhere = f", runs {at(function)}" if function and function["theme"] != c["theme"] else ""
    where = f"{at(c)}{elsewhere}" + ("  (unknown whether)" if c["unknown"] else "")
    style = STYLES["ok"] if sign == "+" else (STYLES["note"] if sign else "")
    return sign, _number(c["order"]), c["callback"], where, c["comment"], style


def _detached_row(c: Table) -> tuple[str, str, str, str, str, str]:
    by = f"{at(c)}, taken away by {at(c['by'])}"
    return "-", _number(c["order"]), c["callback"], by, "", STYLES["error"]


def _number(order: int | None) -> str:
    return "?" if order is None else str(order)


def _value(row: Table, number: int) -> str:
    told = row["values"] is not None and not isinstance(row["start"], dict)
    return f"  -> {_value_text(row['values'][number])}" if told else ""


def _value_text(value: Any) -> str:
    return "unknown" if isinstance(value, dict) else repr(value)


def at(place: Table) -> str:
    """A place as a person reads it."""
    return f"{place['theme']}/{place['file']}" + (f" line {place['line']}" if place.get("line") else "")
