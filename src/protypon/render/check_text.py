"""A check for people: what several children share, then each child, heaviest first; what holds in one line."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import groupby
from typing import Any

from protypon.render.check_summary import heaviest_label, is_calm, overview, shared_findings, summary, total, weight_of
from protypon.render.text import STYLES, Page, count, not_too_many

INDENT = 14
GUESSED = "*"
MOST_NAMED = 40
"""Overrides that are named where one sentence is said of all."""
Row = dict[str, Any]


def render(page: Page, reports: list[Row], against: str | None = None) -> None:
    """Print the reports of a check: of several children first what is common to them, in the end how many there are."""
    if len(reports) == 1:
        _child(page, reports[0], against)
    if len(reports) < 2:
        return
    overview(page, reports)
    common = shared_findings(reports)
    calm = [report for report in reports if is_calm(report)]
    for report in reports:
        if report not in calm:
            page.gap()
            _child(page, {**report, "findings": [f for f in report["findings"] if f not in common]}, against)
    if calm:
        page.gap()
    for report in calm:
        number = len(report["overrides"])
        held = f"{count(number, 'override')} {'holds' if number == 1 else 'hold'}" if number else "no overrides"
        page.line((report["child"], "bold"), *_lineage(report), f": {held}")
    page.gap()
    page.paragraph(total(reports), 0)


def render_brief(page: Page, reports: list[Row]) -> None:
    """Print one line an override and one a finding, heaviest first in each child, and how many there are."""
    rows = [
        (report["child"], row.get("verdict") or row["weight"], row.get("unit") or f"{row['code']} ({row['theme']})")
        for report in reports
        for row in sorted([*report["overrides"], *report["findings"]], key=weight_of, reverse=True)
    ]
    page.columns(rows, indent=0)
    page.line(total(reports))


def _child(page: Page, report: Row, against: str | None) -> None:
    page.line((report["child"], "bold"), *_lineage(report), f", against {against}" if against else "")
    loud = [row for row in report["overrides"] if row["verdict"] != "holds"]
    for group in _by_next_step(loud):
        page.gap()
        _group(page, group)
    _holding(page, [row for row in report["overrides"] if row["verdict"] == "holds"])
    found = list(not_too_many(report["findings"], "code"))
    for group in _by_next_step([row for row in found if not isinstance(row, tuple)]):
        page.gap()
        _group(page, group)
    for row in found:
        if isinstance(row, tuple):
            page.gap()
            page.line("  ", f"and {row[1]:,} more of the code {row[0]}; all are in --format json")
    page.gap()
    page.paragraph(summary(report), 2)


def _by_next_step(rows: list[Row]) -> Iterable[list[Row]]:
    """Rows that share a next step together, where the heaviest of them stands; those without one by their verdict."""
    groups: dict[tuple[str, str], list[Row]] = {}
    for row in rows:
        key = (row["next"], "" if row["next"] else heaviest_label(row))
        groups.setdefault(key, []).append(row)
    return groups.values()


def _group(page: Page, rows: list[Row]) -> None:
    """Rows with one next step, which is said once; so is a reason that several share."""
    before = heaviest_label(rows[0])
    for (label, *_), alike in groupby(rows, lambda row: (heaviest_label(row), row["because"], row.get("look"))):
        several = list(alike)
        if label != before and "unit" in several[0]:
            page.gap()
        before = label
        for row in several:
            _head(page, row)
        guess = next((row for row in several if row.get("guess")), None)
        doubt = f"; that it was taken from {guess['from']} {guess['taken'] or ''} is a guess" if guess else ""
        page.paragraph(f"{several[0]['because']}{doubt}", INDENT)
        page.next(several[0].get("look"), INDENT, "look: ")
    page.next(rows[0]["next"], INDENT)


def _head(page: Page, row: Row) -> None:
    label = row.get("verdict") or row["weight"]
    name = ((row["unit"], "bold"),) if "unit" in row else ((row["code"], "bold"), f" ({row['theme']})")
    page.line("  ", (label.ljust(INDENT - 2), STYLES[row["weight"]]), *name)


def _lineage(report: Row) -> list[str]:
    parents = {p["theme"]: p for p in report["parents"]}
    words = []
    for slug in report["lineage"][1:]:
        parent = parents.get(slug)
        now = f" {parent['now']}" if parent and parent["now"] else ""
        since = f" (taken from {parent['taken']})" if parent and parent["taken"] not in (None, parent["now"]) else ""
        words.append(f" < {slug}{now}{since}")
    return words


def _holding(page: Page, rows: list[Row]) -> None:
    if not rows:
        return
    page.gap()
    page.line("  ", ("holds".ljust(INDENT - 2), STYLES["ok"]), count(len(rows), "override"))
    said: dict[str, list[Row]] = {}
    for row in rows:
        if row["reach"] == "unknown" or row["source"] != "same" or row.get("edited") is False:
            said.setdefault(row["because"], []).append(row)
    if not any(len(alike) == len(rows) for alike in said.values()):
        page.paragraph(_unit_names(rows), INDENT)
    for because, alike in said.items():
        one = len(alike) == 1
        page.paragraph(f"{alike[0]['unit']}: {because}" if one else f"{because}: {_unit_names(alike)}", INDENT)
    if any(row.get("guess") for row in rows):
        page.paragraph(f"{GUESSED} from which release it was taken is a guess", INDENT)


def _unit_names(rows: list[Row]) -> str:
    """The units of some rows, as far as they can be read; a star at those whose origin is a guess."""
    more = f" and {len(rows) - MOST_NAMED} more" if len(rows) > MOST_NAMED else ""
    return ", ".join(row["unit"] + GUESSED * bool(row.get("guess")) for row in rows[:MOST_NAMED]) + more
