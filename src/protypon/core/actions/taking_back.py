"""Steps taken back in memory: what each path is to be then, byte for byte, before anything is written."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.model.actions import CheckStore
from protypon.core.model.errors import ProtyponError
from protypon.core.model.limits import LEDGER_BYTES
from protypon.core.model.nouns import Change, Content, Plan
from protypon.core.model.paths import FILE, RUNNABLE, Entry, RelPath, folders_above, quote_path, rel_path
from protypon.core.store import ledger
from protypon.core.store.moving import plain_state
from protypon.core.store.plan_builder import content
from protypon.core.store.store import FileState, JournalEntry, Move, Store

State = FileState | Content | Entry | None
"""What stands at a path, stood there, or is to: the journal's word, the disk's, or new bytes; None for nothing."""


class TakingBack:
    """Steps taken back one after another, the last one first: what their paths are to be then, before any is written."""

    def __init__(self, bench: Folder, store: Store) -> None:
        self.bench, self.store = bench, store
        self.taken: list[JournalEntry] = []
        self._wanted: dict[str, FileState | Content | None] = {}

    def take(self, entry: JournalEntry) -> list[str]:
        """Take one step back. Returns the paths that are neither as it left them nor as they were before; nothing is taken then."""
        found: dict[str, FileState | Content | None] = {}
        edited = list[str]()
        for move in entry.changes:
            standing = self._standing(move.path)
            if plain_state(standing) in (plain_state(move.before), plain_state(move.after)):
                found[move.path] = move.before
                continue
            former = self._former_ledger(move, standing) if ledger.is_ledger(move.path) else None
            if former is None or standing is None:
                edited.append(move.path)
            else:
                found[move.path] = content(former, standing.mode) if former else None
        if not edited:
            self._wanted |= found
            self.taken.append(entry)
        return edited

    def _standing(self, path: str) -> State:
        """What stands at a path when the steps so far are taken back."""
        return self._wanted[path] if path in self._wanted else read_entry(self.bench, rel_path(path))

    def _former_ledger(self, move: Move, standing: State) -> bytes | None:
        """A ledger with the records that a step changed as they were before it; None where that can't be told."""
        now, before, after = (self._text(move.path, what) for what in (standing, move.before, move.after))
        return None if now is None or before is None or after is None else ledger.take_back(now, before, after)

    def _text(self, path: str, what: State) -> bytes | None:
        """The bytes of a state of a ledger, empty where there was none; None where they can't be had."""
        if what is None:
            return b""
        if what.mode not in (FILE, RUNNABLE):
            return None
        if isinstance(what, Content):
            return what.read()
        return self.bench.read(path, LEDGER_BYTES) if isinstance(what, Entry) else self.store.blob(what.digest)

    def plan(self) -> Plan:
        """Bring every path to what it was before the steps that were taken back, and their folders."""
        entries = self.taken
        made: dict[str, int | None] = {}
        gone: dict[str, None] = {}
        for entry in entries:
            stood = dict(reversed(entry.gone))
            for folder, _ in reversed(entry.made):
                if folder not in stood:  # before this step there was none, whatever a later one took away
                    made.pop(folder, None)
                gone[folder] = None
            made |= stood
        changes = []
        for name, wanted in self._wanted.items():
            path = rel_path(name)
            standing = read_entry(self.bench, path)
            if plain_state(standing) != plain_state(wanted):
                former = wanted if isinstance(wanted, Content) else _content(self.store, path, wanted)
                changes.append(Change(path, standing, former))
        gone |= dict.fromkeys(self._left_over({c.path for c in changes if c.after is None}, gone))
        words = f"undo {entries[0].command}" if len(entries) == 1 else f"undo --to {entries[-1].number - 1}"
        numbers = tuple(entry.number for entry in entries)
        return Plan(words, tuple(changes), undoes=numbers, made=tuple(made.items()), gone=tuple(gone))

    def _left_over(self, taken: set[str], gone: Iterable[str]) -> list[str]:
        """Folders in which nothing is left, and that a step made which was taken back while something else stood in them."""
        emptied: list[str] = []
        for folder in sorted(
            {above for path in taken for above in folders_above(path)}, key=lambda path: -path.count("/")
        ):
            inside = {f"{folder}/{name}" for name in self.bench.names(folder)} if self.bench.is_folder(folder) else {""}
            if inside <= {*taken, *gone, *emptied} and folder not in gone:
                emptied.append(folder)
        if not emptied:
            return []
        rows = self.store.journal()
        undone = {number for row in rows for number in row.undoes}
        made = {path for row in rows if row.number in undone for path, rights in row.made if rights is None}
        return [folder for folder in emptied if folder in made]


def _content(store: Store, path: RelPath, before: FileState | None) -> Content | None:
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
