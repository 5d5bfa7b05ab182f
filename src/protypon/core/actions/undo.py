"""Undo: step back through every command that wrote, byte for byte."""

from __future__ import annotations

import os

from protypon.core import apply
from protypon.core.bench import Bench
from protypon.core.errors import ProtyponError
from protypon.core.listing import read_entry
from protypon.core.model import Change, Content, Plan
from protypon.core.paths import FOLDER, quote_path
from protypon.core.store import JournalEntry, State, Store, state_of


def last(store: Store) -> JournalEntry:
    """The last command that wrote and was not taken back. Raises ProtyponError where there is none."""
    entries = store.journal()
    undone = {e.undoes for e in entries}
    for entry in reversed(entries):
        if entry.undoes is None and entry.number not in undone:
            return entry
    raise ProtyponError(
        "nothing to undo: no command has written here, or all are taken back", "look around with: protypon check"
    )


def plan_undo(bench_root: str, store: Store, entry: JournalEntry) -> Plan:
    """Plan to bring every path back to what it was. Raises ProtyponError where a file was edited since."""
    changes, edited = [], []
    for path, before, after in entry.changes:
        standing = read_entry(bench_root, path)
        if state_of(standing) == before:
            continue
        if state_of(standing) != after and not (after is not None and after[0] == FOLDER and standing is None):
            edited.append(path)
        changes.append(Change(path, standing, _content(store, path, before)))
    if edited:
        names = ", ".join(quote_path(p) for p in edited[:3])
        raise ProtyponError(
            f"{names} changed since {entry.command!r}; undo would lose that, so nothing was changed",
            "move your version aside first, then: protypon undo",
        )
    return Plan(f"undo {entry.command}", tuple(changes))


def _content(store: Store, path: str, before: State) -> Content | None:
    if before is None:
        return None
    mode, digest = before
    if mode == FOLDER:
        return Content("", FOLDER, b"")
    data = store.blob(digest)
    if data is None:
        raise ProtyponError(
            f"{quote_path(path)}: its former content is not in the store any more", "take it from a backup"
        )
    return Content(digest, mode, data)


def undo(bench: Bench) -> tuple[JournalEntry, Plan]:
    """Take back the last command, under the lock."""
    entry = last(bench.store)
    plan = plan_undo(str(bench.root), bench.store, entry)
    empty = tuple(p for p in entry.emptied if not os.path.isdir(bench.root / p) or plan.changes)
    apply.carry_out(plan, bench.store, entry.number, empty)
    return entry, plan
