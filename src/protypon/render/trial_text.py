"""A trial, for people."""

from __future__ import annotations

from protypon.core.trial.trial import Trial
from protypon.render.text import STYLES, Page

MOST = 5
"""Warnings of a page that are printed."""


def render(page: Page, child: str, lineage: list[str], trials: list[Trial], unconfined: bool) -> None:
    """Print what came otherwise than worked out, page by page."""
    page.line((child, "bold"), f"  {' < '.join(lineage)}" + ("  (run without a wall)" if unconfined else ""))
    for trial in trials:
        name = f"page {trial.page}" if trial.page else "its code, without a page"
        for words, file, line in trial.warnings[:MOST]:
            page.paragraph(f"PHP warns: {file} line {line}: {words}", 2, STYLES["warning"])
        if len(trial.warnings) > MOST:
            page.line(f"  and {len(trial.warnings) - MOST} more warnings")
        if trial.differences:
            many = f"{len(trial.differences)} difference{'s' * (len(trial.differences) > 1)}"
            page.line("  ", (many.ljust(16), STYLES["error"]), name)
            for each in trial.differences:
                page.line(" " * 18, (each.about, "bold"))
                page.paragraph(f"worked out: {each.worked_out}", 20)
                page.paragraph(f"ran:        {each.ran}", 20)
        elif trial.untried:
            page.line("  ", ("not tried".ljust(16), STYLES["warning"]), name)
            page.paragraph(trial.untried, 18)
        else:
            page.line(
                "  ",
                ("as worked out".ljust(16), STYLES["ok"]),
                f"{name}: {trial.answers} functions, classes, callbacks, items and values",
            )
