"""Steps that can be taken back, and what was taken back: for people, and as the tables of ``protypon.undo/1``."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from protypon.core.actions.undo import Left, Step
from protypon.core.model.nouns import Plan
from protypon.core.model.paths import quote_path
from protypon.core.store.store import JournalEntry
from protypon.render.text import STYLES, Page, count

FORMAT = "protypon.undo/1"
MOST_NAMED = 4


def render_list(found: list[Step]) -> None:
    """Print every step with its time, its command and its paths."""
    page = Page()
    width = len(str(found[0].entry.number)) if found else 0
    for step in found:
        entry = step.entry
        state = "taken back  " if step.taken_back else ""
        page.labelled_line(f"{entry.number:>{width}}  {_when(entry)}  {state}", f"protypon {entry.command}")
        page.paragraph(_paths(step.paths), width + 2)
    if not found:
        page.line("no command has written here yet")
    standing = next((step for step in found if not step.taken_back), None)
    if standing is not None:
        page.next("protypon undo", 0)


def render(plan: Plan, taken: list[JournalEntry], left: list[Left], for_real: str) -> None:
    """Print what was taken back, or would be; ``for_real``: the command that does it, where this is a dry run."""
    page = Page()
    for entry in taken:
        verb = "would take back: " if for_real else "took back: "
        page.labelled_line(verb, f"protypon {entry.command} of {_when(entry)}", STYLES["ok"])
    paths = [change.path for change in plan.changes if not change.path.startswith(".protypon/")]
    page.paragraph(f"as before: {_paths(paths)}" if paths else "no file of the bench had changed", 2)
    for each in left:
        page.labelled_line(
            "left: ", f"step {each.entry.number}, protypon {each.entry.command}: {each.why}", STYLES["warning"]
        )
    page.next(for_real or ("protypon undo --list" if left else None), 2)


def list_table(found: list[Step]) -> dict[str, Any]:
    """The steps as plain data."""
    return {
        "format": FORMAT,
        "steps": [
            {**_row(step.entry), "taken_back": step.taken_back, "paths": _quote_paths(step.paths)} for step in found
        ],
    }


def table(plan: Plan, taken: list[JournalEntry], left: list[Left], dry_run: bool) -> dict[str, Any]:
    """What was taken back as plain data."""
    return {
        "format": FORMAT,
        "dry_run": dry_run,
        "taken_back": [_row(entry) for entry in taken],
        "left": [{**_row(each.entry), "because": each.why} for each in left],
        "changes": _quote_paths(change.path for change in plan.changes),
    }


def _row(entry: JournalEntry) -> dict[str, Any]:
    return {"step": entry.number, "time": entry.time, "command": entry.command}


def _quote_paths(paths: Iterable[str]) -> list[str]:
    return [quote_path(path) for path in paths]


def _paths(paths: Iterable[str]) -> str:
    named = _quote_paths(paths)
    if not named:
        return "what the bench keeps for itself"
    shown = ", ".join(named[:MOST_NAMED])
    return (
        f"{count(len(named), 'path')}: {shown} and {len(named) - MOST_NAMED} more" if len(named) > MOST_NAMED else shown
    )


def _when(entry: JournalEntry) -> str:
    """The time of a step where the person is, to the minute."""
    try:
        return f"{datetime.fromisoformat(entry.time).astimezone():%Y-%m-%d %H:%M}"
    except ValueError:
        return entry.time
