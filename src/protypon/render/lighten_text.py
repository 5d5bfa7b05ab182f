"""Copies that became lighter overrides, for people."""

from __future__ import annotations

from protypon.core.actions.lighten import Lightened
from protypon.render.commands import command_line
from protypon.render.text import STYLES, Page, count


def render(page: Page, child: str, told: list[Lightened], listed: bool, for_real: str) -> None:
    """Print each copy with what it is then, and both sizes."""
    if not told:
        page.line(f"{child} has no copy that differs in little from its parent's")
    stays = [row for row in told if row.result.state is None]
    for row in told:
        if not (listed and row in stays):
            _row(page, child, row, listed, for_real)
    if listed and stays:
        page.paragraph(
            f"{count(len(stays), 'other copy differs', 'other copies differ')} in little: nothing lighter says the same",
            0,
            "dim",
        )
    if not listed:
        page.next(for_real or command_line("check", child), 0)


def _row(page: Page, child: str, row: Lightened, listed: bool, for_real: str) -> None:
    address = row.unit.address
    if row.result.state is None:
        page.line(("stays     ", STYLES["warning"]), (address, "bold"))
        page.paragraph(row.result.why, 10)
        return
    word = "can be    " if listed else "would be  " if for_real else "lighter   "
    page.line((word, STYLES["ok"]), (address, "bold"), f"  {row.before:,} bytes -> {row.after:,}")
    for unit, words in row.result.words:
        page.paragraph(f"{unit.address}: {words}" if unit is not None else words, 10)
    if listed:
        page.next(command_line("lighten", address, "--child", child), 10)
