"""A check for people: heaviest first, what holds in one line."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from protypon.core.check.weights import VERDICTS, WEIGHTS
from protypon.render.text import STYLES, Page, count, not_too_many

INDENT = 14
GUESSED = "*"
_BY_WEIGHT = sorted(VERDICTS, key=lambda name: -WEIGHTS.index(VERDICTS[name]))


def render(page: Page, reports: list[dict[str, Any]], against: str | None = None) -> None:
    """Print the reports of a check, each child by itself."""
    for number, report in enumerate(reports):
        if number:
            page.gap()
        _child(page, report, against)


def _child(page: Page, report: dict[str, Any], against: str | None) -> None:
    page.line((report["child"], "bold"), *_lineage(report), f", against {against}" if against else "")
    loud = [row for row in report["overrides"] if row["verdict"] != "holds"]
    for group in _same_next(loud):
        page.gap()
        for row in group:
            page.line("  ", (row["verdict"].ljust(INDENT - 2), STYLES[row["weight"]]), (row["unit"], "bold"))
            guess = (
                f"; that it was taken from {row['from']} {row['taken'] or ''} is a guess" if row.get("guess") else ""
            )
            page.paragraph(f"{row['because']}{guess}", INDENT)
            page.next(row.get("look"), INDENT, "look: ")
        page.next(group[0]["next"], INDENT)
    _holding(page, [row for row in report["overrides"] if row["verdict"] == "holds"])
    for finding in not_too_many(report["findings"], "code"):
        page.gap()
        if isinstance(finding, tuple):
            page.line("  ", f"and {finding[1]:,} more of the code {finding[0]}; all are in --format json")
            continue
        page.line(
            "  ",
            (finding["weight"].ljust(INDENT - 2), STYLES[finding["weight"]]),
            (finding["code"], "bold"),
            f" ({finding['theme']})",
        )
        page.paragraph(finding["because"], INDENT)
        page.next(finding["next"], INDENT)
    page.gap()
    page.paragraph(_summary(report), 2)


def _same_next(rows: list[dict[str, Any]]) -> list[list[dict[str, Any]]]:
    """Neighbours with one verdict and one next step, which is then said once."""
    return [list(group) for _, group in groupby(rows, lambda row: (row["verdict"], row["next"]))]


def _lineage(report: dict[str, Any]) -> list[str]:
    parents = {p["theme"]: p for p in report["parents"]}
    words = []
    for slug in report["lineage"][1:]:
        parent = parents.get(slug)
        now = f" {parent['now']}" if parent and parent["now"] else ""
        since = f" (taken from {parent['taken']})" if parent and parent["taken"] not in (None, parent["now"]) else ""
        words.append(f" < {slug}{now}{since}")
    return words


def _holding(page: Page, rows: list[dict[str, Any]]) -> None:
    if not rows:
        return
    page.gap()
    units = ", ".join(row["unit"] + GUESSED * bool(row.get("guess")) for row in rows[:40]) + (
        f" and {len(rows) - 40} more" if len(rows) > 40 else ""
    )
    page.line("  ", ("holds".ljust(INDENT - 2), STYLES["ok"]), count(len(rows), "override"))
    page.paragraph(units, INDENT)
    for row in rows:
        if row["reach"] == "unknown" or row["source"] != "same":
            page.paragraph(f"{row['unit']}: {row['because']}", INDENT)
    if any(row.get("guess") for row in rows):
        page.paragraph(f"{GUESSED} from which release it was taken is a guess", INDENT)


def _summary(report: dict[str, Any]) -> str:
    if not report["overrides"]:
        return (
            "no overrides" if not report["findings"] else f"no overrides, {count(len(report['findings']), 'finding')}"
        )
    parts = [f"{report['summary'][name]} {name}" for name in _BY_WEIGHT if name in report["summary"]]
    found = f"; {count(len(report['findings']), 'finding')}" if report["findings"] else ""
    return f"{count(len(report['overrides']), 'override')}: {', '.join(parts)}{found}"
