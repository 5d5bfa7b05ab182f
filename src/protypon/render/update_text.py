"""An update for people, and as the table of ``protypon.update/1``."""

from __future__ import annotations

from itertools import zip_longest
from typing import Any

from protypon.core.actions.carried_rows import Row
from protypon.core.actions.update import Updated
from protypon.core.check.weights import WEIGHTS
from protypon.core.model.nouns import Plan
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Platform
from protypon.render.commands import command_line, sentence
from protypon.render.text import STYLES, Page, count

FORMAT = "protypon.update/1"
INDENT = 14


def render(page: Page, told: Updated, platform: Platform, for_real: str) -> None:
    """Print what an update did, or would do; ``for_real``: the command that does it, where this is a dry run."""
    if told.onto:
        would = "would become" if for_real else "is"
        page.line((told.onto, "bold"), f" {would} the parent in the place of {told.parent}")
    elif told.changed:
        head = "would bring" if for_real else "brought"
        from_to = f"{told.old} -> {told.new}" if told.old != told.new else f"{told.new}"
        page.line((told.parent, "bold"), f" {from_to}: {head} {count(told.changed, 'changed file')} in")
    else:
        now = f" {told.new}" if told.new else ""
        page.line(
            (told.parent, "bold"), f"{now}: {'would carry' if for_real else 'carried'} over to what lies in its folder"
        )
    if told.wiped:
        names = ", ".join(map(quote_path, told.wiped[:4]))
        page.paragraph(
            f"{names}: edited in the parent's own folder, now replaced; the edited state is in the store, and as a patch in proposals/{told.parent}/",
            2,
            STYLES["warning"],
        )
    if not told.children:
        page.line(f"  no child of yours is below {told.parent}")
    for child, rows in told.children.items():
        _child(page, child, rows)
        _print_losses(page, told, child, for_real)
    page.gap()
    if for_real:
        page.line("  nothing was changed")
        page.next(for_real, 2)
        return
    for step in platform.after_update:
        page.paragraph(f"then: {step}", 2)
    page.next("protypon check", 2)


def _print_losses(page: Page, told: Updated, child: str, for_real: str) -> None:
    """What only the old parent had, and the child asks for."""
    rows = told.lost.get(child, [])
    for path, who in rows:
        page.line(
            "    ",
            ("missing".ljust(INDENT - 4), STYLES["warning"]),
            (quote_path(path), "bold"),
            f"  {who} asks for it",
        )
    if rows:
        it, back = "it" if len(rows) == 1 else "them", "" if for_real else ", protypon undo, and then"
        page.paragraph(f"only {told.parent} had {it}; to have {it} as your own{back}:", INDENT)
        page.next(command_line("update", told.parent, "--onto", told.onto, "--child", child, "--bring"), INDENT)


def _child(page: Page, child: str, rows: list[Row]) -> None:
    page.gap()
    page.line("  ", (child, "bold"), f": {_summary(rows)}")
    quiet = ("holds", "needless")
    told = sorted((r for r in rows if r.done != "left" or r.before.verdict not in quiet), key=_urgency)
    for row, after in zip_longest(told, told[1:]):
        style = STYLES["ok"] if row.done != "left" else STYLES[row.before.weight]
        page.line(
            "    ", (row.done.ljust(INDENT - 4), style), (row.unit.address, "bold"), f"  was {row.before.verdict}"
        )
        for place in dict.fromkeys((_lines(p.ours), _lines(p.theirs)) for p in row.places):
            page.line(" " * INDENT, f"your {place[0]} and the parent's {place[1]}")
        if row.note:
            page.paragraph(row.note, INDENT)
        if after is None or after.next != row.next:
            page.next(row.next, INDENT)
    _needless(page, child, [r.unit.address for r in rows if r.before.verdict == "needless" and r.before.next])


def _urgency(row: Row) -> tuple[bool, int, str]:
    """What waits for a person first, heaviest first."""
    return row.done != "left", -WEIGHTS.index(row.before.weight), row.unit.address


def _needless(page: Page, child: str, addresses: list[str]) -> None:
    if addresses:
        page.line(
            "    ",
            ("needless".ljust(INDENT - 4), STYLES["note"]),
            f"{count(len(addresses), 'copy says', 'copies say')} what the parent says",
        )
        page.next(command_line("drop", *addresses, "--child", child), INDENT)


def _lines(place: tuple[int, int]) -> str:
    start, number = place
    return f"lines {start}-{start + number - 1}" if number > 1 else f"line {max(start, 1)}"


def _summary(rows: list[Row]) -> str:
    done = [f"{number} {word}" for word in ("merged", "moved") if (number := sum(r.done == word for r in rows))]
    waiting = sum(r.done == "left" and r.before.verdict not in ("holds", "needless") for r in rows)
    done += [f"{waiting} left for you"] if waiting else []
    untouched = sum(r.done == "left" and r.before.verdict in ("holds", "needless") for r in rows)
    done += [f"{untouched} as {'it was' if untouched == 1 else 'they were'}"] if untouched else []
    return ", ".join(done) if rows else "no overrides"


def table(told: Updated, plan: Plan, dry_run: bool) -> dict[str, Any]:
    """The update as plain data."""
    return {
        "format": FORMAT,
        "parent": told.parent,
        "old": told.old,
        "new": told.new,
        "dry_run": dry_run,
        "wiped": list(told.wiped),
        "onto": told.onto or None,
        "lost": {
            child: [{"file": quote_path(path), "asked_by": who} for path, who in rows]
            for child, rows in told.lost.items()
        },
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
        "to": row.to.address if row.to else None,
        "places": [{"ours": list(p.ours), "theirs": list(p.theirs)} for p in row.places],
        "proposal": quote_path(row.proposal) or None,
        "note": sentence(row.note),
        "next": sentence(row.next),
    }
