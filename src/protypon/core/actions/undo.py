"""Undo: step back through every command that wrote, byte for byte, with permission bits and empty folders."""

from __future__ import annotations

from dataclasses import dataclass

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.model.actions import Check, CheckStore, Undo
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Change, Content, Plan
from protypon.core.model.paths import quote_path, rel_path
from protypon.core.store import apply
from protypon.core.store.store import FileState, JournalEntry, Store
from protypon.core.themes.bench import Bench


def last(store: Store) -> JournalEntry:
    """The last command that wrote and was not taken back. Raises ProtyponError where there is none."""
    undone: set[int] = set()
    for number in reversed(store.journal_numbers()):
        entry = store.journal_entry(number)
        if entry.undoes is not None:
            undone.add(entry.undoes)
        elif entry.number not in undone:
            return entry
    raise ProtyponError(
        "nothing to undo: no command has written here, or all are taken back", ("look around with: ", Check())
    )


def plan_undo(bench: Folder, store: Store, entry: JournalEntry) -> Plan:
    """Plan to bring every path back to what it was. Raises ProtyponError where a file was edited since."""
    changes, edited = [], []
    for move in entry.changes:
        path = rel_path(move.path)
        standing = read_entry(bench, path)
        state = (standing.mode, standing.digest) if standing is not None else None
        if state == _plain(move.before):
            continue
        if state != _plain(move.after):
            edited.append(path)
        changes.append(Change(path, standing, _content(store, path, move.before)))
    if edited:
        names = ", ".join(quote_path(p) for p in edited[:3])
        raise ProtyponError(
            f"{names} changed since {entry.command!r}; undo would lose that, so nothing was changed",
            ("move your version aside first, then: ", Undo()),
        )
    gone = tuple(path for path, _ in reversed(entry.made))
    return Plan(
        f"undo {entry.command}", tuple(changes), undoes=entry.number, made=tuple(reversed(entry.gone)), gone=gone
    )


def _plain(state: FileState | None) -> tuple[int, str] | None:
    return None if state is None else (state.mode, state.digest)


def _content(store: Store, path: str, before: FileState | None) -> Content | None:
    if before is None:
        return None
    if store.blob(before.digest) is None:
        raise _missing(path)
    former = _Former(store, path)
    return Content(before.digest, before.mode, folder=former, path=before.digest, rights=before.rights)


def _missing(path: str) -> ProtyponError:
    return ProtyponError(
        f"{quote_path(path)}: its former content is not in the store any more; nothing was changed",
        ("see what else is missing with: ", CheckStore()),
    )


@dataclass(frozen=True, slots=True)
class _Former:
    """A former content, read from the store again when it is written: all of a theme together may be hundreds of megabytes."""

    store: Store
    path: str

    def read(self, digest: str) -> bytes:
        data = self.store.blob(digest)
        if data is None:
            raise _missing(self.path)
        return data

    def target(self, digest: str) -> bytes:
        return self.read(digest)


def undo(bench: Bench) -> tuple[JournalEntry, Plan]:
    """Take back the last command, under the lock."""
    entry = last(bench.store)
    plan = plan_undo(bench.folder, bench.store, entry)
    apply.carry_out(plan, bench.store)
    return entry, plan
