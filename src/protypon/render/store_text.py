"""The state of a store for people."""

from __future__ import annotations

from protypon.core.actions.repair import Repaired
from protypon.core.check.health import Trouble
from protypon.render.commands import sentence
from protypon.render.text import STYLES, Page


def render_troubles(page: Page, found: list[Trouble]) -> None:
    """Print what is wrong, each with its next step."""
    if not found:
        page.line("the store is whole")
    steps = dict.fromkeys(trouble.next for trouble in found)
    for step in steps:
        for trouble in (t for t in found if t.next == step):
            page.line("  ", (trouble.code, STYLES["error"]), f"  {trouble.where}")
            page.paragraph(sentence(trouble.because).removeprefix(f"{trouble.where}: "), 6)
        page.next(step, 6)


def render_repaired(page: Page, told: Repaired) -> None:
    """Print what was set aside, made anew, and what is left."""
    for path, place in told.aside:
        page.line("  set aside  ", (path, "bold"), f" -> {place}")
    for words in told.done:
        page.line("  mended     ", words)
    if told.left:
        page.gap()
        page.line("  what can't be mended here:")
    render_troubles(page, told.left)
