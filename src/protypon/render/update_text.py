"""An update for people, and as the table of ``protypon.update/1``."""

from __future__ import annotations

from typing import Any

from protypon.core.actions.update import Row, Updated
from protypon.core.model import Plan, quote_path
from protypon.core.platform import Platform
from protypon.render.text import STYLES, Page, count

FORMAT = "protypon.update/1"
INDENT = 12


def render(page: Page, told: Updated, platform: Platform, dry_run: bool) -> None:
    """Print what an update did, or would do."""
    head = "would bring" if dry_run else "brought"
    from_to = f"{told.old} -> {told.new}" if told.old != told.new else f"{told.new}"
    page.line((told.parent, "bold"), f" {from_to}: {head} {count(told.changed, 'changed file')} in")
    if told.wiped:
        names = ", ".join(map(quote_path, told.wiped[:4]))
        page.paragraph(
            f"{names}: edited in the parent's own folder, now replaced; the edited state is kept as {told.kept_as}",
            2,
            STYLES["warning"],
        )
    if not told.children:
        page.line(f"  no child of yours is below {told.parent}")
    for child, rows in told.children.items():
        _child(page, child, rows)
    page.gap()
    if dry_run:
        page.line("  nothing was changed; without --dry-run it is")
        return
    for step in platform.after_update:
        page.paragraph(f"then: {step}", 2)
    page.next("protypon check", 2)


def _child(page: Page, child: str, rows: list[Row]) -> None:
    page.gap()
    page.line("  ", (child, "bold"), f": {_summary(rows)}")
    for row in rows:
        if row.done == "left" and row.before.verdict == "holds" and not row.note:
            continue
        style = STYLES["ok"] if row.done != "left" else STYLES[row.before.weight]
        page.line(
            "    ", (row.done.ljust(INDENT - 4), style), (row.unit.address, "bold"), f"  was {row.before.verdict}"
        )
        if row.note:
            page.paragraph(row.note, INDENT)
        for place in row.places:
            page.line(" " * INDENT, f"your {_lines(place.ours)} and the parent's {_lines(place.theirs)}")
        page.next(row.next, INDENT)


def _lines(place: tuple[int, int]) -> str:
    start, number = place
    return f"lines {start}-{start + number - 1}" if number > 1 else f"line {max(start, 1)}"


def _summary(rows: list[Row]) -> str:
    done = [f"{number} {word}" for word in ("merged", "moved") if (number := sum(r.done == word for r in rows))]
    waiting = sum(r.done == "left" and r.before.verdict not in ("holds", "needless") for r in rows)
    done += [f"{waiting} left for you"] if waiting else []
    untouched = sum(r.done == "left" and r.before.verdict in ("holds", "needless") for r in rows)
    return ", ".join([*done, f"{untouched} as they were"]) if rows else "no overrides"


def table(told: Updated, plan: Plan, dry_run: bool) -> dict[str, Any]:
    """The update as plain data."""
    return {
        "format": FORMAT,
        "parent": told.parent,
        "old": told.old,
        "new": told.new,
        "dry_run": dry_run,
        "wiped": list(told.wiped),
        "children": [
            {"child": child, "overrides": [_row(row) for row in rows]} for child, rows in told.children.items()
        ],
        "changes": [quote_path(c.path) for c in plan.changes],
    }


def _row(row: Row) -> dict[str, Any]:
    return {
        "unit": row.unit.address,
        "verdict": row.before.verdict,
        "done": row.done,
        "places": [{"ours": list(p.ours), "theirs": list(p.theirs)} for p in row.places],
        "proposal": quote_path(row.proposal) or None,
        "note": row.note,
        "next": row.next,
    }
