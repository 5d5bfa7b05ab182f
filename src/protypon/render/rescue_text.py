"""What became of the edits of a parent, for people."""

from __future__ import annotations

from protypon.core.actions.lightest import Lightest
from protypon.core.actions.rescue import Rescued, RescueTold
from protypon.core.model.paths import quote_path
from protypon.render.commands import command_line
from protypon.render.text import STYLES, Page, count


def render(page: Page, told: RescueTold, for_real: str) -> None:
    """Print what each child got, what stays, and how the parent stands then."""
    for child in told.children:
        _child(page, told, child)
    for row in told.stays:
        page.gap()
        page.line(("stays     ", STYLES["warning"]), (f"{told.parent}/{quote_path(row.edit.path)}", "bold"))
        page.paragraph(row.why, 10)
    page.gap()
    will = "would be" if for_real else "are" if len(told.back) != 1 else "is"
    if told.wiped:
        page.paragraph(f"the edits were wiped out by an update; they are of {told.label}", 0)
        page.next(for_real or command_line("update", told.parent), 0)
        return
    files = count(len(told.back), "file")
    page.paragraph(
        f"{files} of {told.parent} {will} as {told.label} was released; what was edited there is in the store, and as a patch",
        0,
    )
    if not told.stays and told.back:
        page.paragraph("followed before and after, child and parent come to the same", 0, STYLES["ok"])
    if told.stays:
        page.paragraph("what stays goes with the next update: take it over by hand, or say that it may go", 0)
        page.next(for_real or command_line("settle", f"theme:{told.parent}", "--why", "what stays may go"), 0)
        return
    first = told.children[0].child if len(told.children) == 1 else ""
    page.next(for_real or command_line("check", first), 0)


def _child(page: Page, told: RescueTold, child: Rescued) -> None:
    page.line((child.child, "bold"), f"{' is new' if child.begun else ''}: edits of {told.parent}")
    for row in child.rows:
        _row(page, row)


def _row(page: Page, row: Lightest) -> None:
    if row.state is None:
        return
    for unit, words in row.words:
        what = unit.address if unit is not None else "own" if "yours" in words or "new" in words else "nothing"
        page.line("  ", (what, STYLES["ok"]), f"  {quote_path(row.edit.path)}: {words}")
