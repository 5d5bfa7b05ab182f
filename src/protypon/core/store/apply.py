"""Plan -> disk, journalled: the one place that writes themes.

Every new content is staged first, every former content is in the store, and the journal's own row lies ready, before
anything moves. Then files are only renamed: what stood there is set aside, not overwritten, so that going back needs no
room. The row's rename into the journal is the moment from which the command counts as done. A note (``pending.json``)
stands meanwhile: whoever finds it finishes.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.files.lock import hold, without_interrupts
from protypon.core.files.notes import note
from protypon.core.model.actions import RepairStore
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.limits import STATE_BYTES
from protypon.core.model.nouns import Change, Content, Plan
from protypon.core.model.paths import FOLDER, LINK, RUNNABLE, Entry, folders_above, quote_path, rel_path
from protypon.core.store.ledger import is_ledger
from protypon.core.store.moving import (
    NEW,
    OLD,
    PENDING,
    READY,
    STAGE,
    Progress,
    Seen,
    move_all,
    move_or_go_back,
    numbers_of,
    plain_state,
    refusal,
    rights_of,
)
from protypon.core.store.plan_builder import content, from_disk
from protypon.core.store.store import HIDDEN, FileState, Folders, JournalEntry, Move, Store, now

RELEASES = f"{HIDDEN}/releases.json"


@contextmanager
def hold_lock(store: Store, command: str) -> Iterator[None]:
    """Hold the bench's lock; whatever a killed command left is finished first.

    Raises ProtyponError naming the holder where the lock stays taken.
    """
    with hold(store.bench, command):
        recover(store)
        yield


def carry_out(plan: Plan, store: Store) -> JournalEntry | None:
    """Do what a plan says, all or nothing, under the lock; returns its journal entry, None for an empty plan.

    Raises ProtyponError where a file is no longer what the plan was made for, BadInput where the disk refuses; the
    message says whether anything changed.
    """
    if plan.empty and not plan.blobs and not plan.undoes:
        return None
    seen = _verify(plan, store.bench)
    undertaking = _Undertaking(plan, store)
    try:
        entry = undertaking.prepare()
    except OSError as error:
        undertaking.clear()
        raise BadInput(
            f"{refusal(error)}; nothing was changed", "free space or mend the rights, then type the same again"
        ) from error
    except BaseException:
        undertaking.clear()
        raise
    with without_interrupts():
        move_or_go_back(entry, store, Progress(store.bench, seen))
    undertaking.clear()
    store.align_refs()
    return entry


def _verify(plan: Plan, bench: Folder) -> Seen:
    """Read every path that is to change; raises ProtyponError where one is not what the plan was made for."""
    seen: Seen = {}
    for change in plan.changes:
        numbers = numbers_of(bench, change.path)
        found = read_entry(bench, change.path)
        if found is not None and found.mode == FOLDER and change.before is None and change.path in plan.gone:
            continue
        if plain_state(found) != plain_state(change.before):
            raise ProtyponError(
                f"{quote_path(change.path)}: changed while the command ran; nothing was written", "type the same again"
            )
        if numbers is not None:
            seen[change.path] = numbers
    return seen


class _Undertaking:
    """One plan on its way to the disk: everything that is done before the first file moves."""

    def __init__(self, plan: Plan, store: Store) -> None:
        self.plan, self.store, self.bench = plan, store, store.bench

    def clear(self) -> None:
        """Take the stage away; what can't be taken away is in nobody's way."""
        with suppress(OSError, BadInput):
            if not self.bench.stat(PENDING):
                self.bench.remove_tree(STAGE)

    def prepare(self) -> JournalEntry:
        """Stage, store, and prove that finishing is possible. Returns the row that the journal is to have."""
        changes = list(self.plan.changes)
        former = [from_disk(self.bench, c.before) for c in changes if c.before is not None]
        ledgers = [c.after for c in changes if c.after is not None and is_ledger(c.path)]  # undo weighs their records
        known = read_entry(self.bench, RELEASES)
        if known is not None:
            former.append(from_disk(self.bench, known))
        releases, commit = self.store.prepare(self.plan.keep, [*former, *ledgers, *self.plan.blobs], self.plan.command)
        if self.plan.keep:
            changes.append(Change(RELEASES, known, content(releases)))
        self.bench.remove_tree(STAGE)
        self.bench.make(NEW)
        self.bench.make(OLD)
        self.store.make_journal_folder()
        made, gone = self._folders(changes)
        moves = tuple(self._stage(number, change) for number, change in enumerate(changes))
        entry = JournalEntry(
            self.store.next_number(), self.plan.command, now().isoformat(), moves, made, gone, self.plan.undoes, commit
        )
        self.bench.create(READY, entry.to_bytes())
        self.bench.sync()
        note("apply", "staged %d changes of %s", len(moves), self.plan.command)
        return entry

    def _stage(self, number: int, change: Change) -> Move:
        before = state_at(self.bench, change.before)
        after = change.after
        if after is None:
            return Move(change.path, before, None)
        place = f"{NEW}/{number}"
        if after.mode == LINK:
            self.bench.link(place, after.read())
            return Move(change.path, before, FileState(LINK, after.digest))
        rights = after.rights if after.rights is not None else _kept_rights(before, after)
        asked = 0o777 if after.mode == RUNNABLE else 0o666
        got = self.bench.create(place, after.read(), asked, exactly=rights)
        return Move(change.path, before, FileState(after.mode, after.digest, got))

    def _folders(self, changes: list[Change]) -> tuple[Folders, tuple[tuple[str, int], ...]]:
        """Folders that will be made and those that will go, each with its permission bits."""
        placed = {c.path for c in changes if c.after is not None}
        made = dict(self.plan.made)
        for path in sorted(placed | made.keys()):
            for above in folders_above(path):
                if above not in made and (above in self.plan.gone or not self.bench.is_folder(above)):
                    made[above] = None
        gone = {path: rights_of(self.bench, path) for path in self.plan.gone if self.bench.is_folder(path)}
        if not self.plan.undoes:
            gone |= self._emptied_folders({c.path for c in changes if c.before is not None}, placed, made, gone)
        made = {path: rights for path, rights in made.items() if path in gone or not self.bench.is_folder(path)}
        inner_first = sorted(gone, key=lambda path: -path.count("/"))
        outer_first = sorted(made, key=lambda path: path.count("/"))
        return tuple((p, made[p]) for p in outer_first), tuple((p, gone[p]) for p in inner_first)

    def _emptied_folders(
        self, taken: set[str], placed: set[str], made: dict[str, int | None], gone: dict[str, int]
    ) -> dict[str, int]:
        """The folders in which nothing is left when files and folders have been taken away."""
        found: dict[str, int] = {}
        needed = {above for path in placed | made.keys() for above in folders_above(path)} | made.keys()
        candidates = {above for path in taken - placed for above in folders_above(path)}
        for folder in sorted(candidates, key=lambda path: -path.count("/")):
            if folder in needed or folder in gone or not self.bench.is_folder(folder):
                continue
            left = {f"{folder}/{name}" for name in self.bench.names(folder)}
            if not left - (taken - placed) - found.keys() - gone.keys():
                found[folder] = rights_of(self.bench, folder)
        return found


def state_at(bench: Folder, entry: Entry | None) -> FileState | None:
    """An entry with its permission bits."""
    if entry is None:
        return None
    return FileState(entry.mode, entry.digest, None if entry.mode == LINK else rights_of(bench, entry.path))


def _kept_rights(before: FileState | None, after: Content) -> int | None:
    """A rewritten file keeps its permission bits; where only the run bit changes, it is given to whoever may read, or taken."""
    if before is None or before.rights is None:
        return None
    if before.mode == after.mode:
        return before.rights
    return before.rights | (before.rights & 0o444) >> 2 if after.mode == RUNNABLE else before.rights & ~0o111


# After a kill


def is_unfinished(store: Store) -> bool:
    """A command was killed while it wrote."""
    return store.bench.stat(PENDING) is not None


def recover(store: Store) -> None:
    """Finish what a killed command had begun to write; take away what it had only prepared.

    Raises BadInput where its note can't be read or the disk refuses, ProtyponError where a file was edited since.
    """
    bench = store.bench
    if not is_unfinished(store):
        if bench.stat(STAGE) is not None:
            bench.remove_tree(STAGE)
        return
    entry = pending_entry(store)
    with without_interrupts():
        try:
            strangers = move_all(entry, Progress(bench))
            if bench.stat(READY) is not None:
                store.make_journal_folder()
                bench.move(READY, store.journal_path(entry.number))
            elif not bench.is_file(store.journal_path(entry.number)):
                store.put_journal(entry)
            bench.remove(PENDING)
            bench.remove_tree(STAGE)
        except OSError as error:
            raise BadInput(
                f"{entry.command} was cut off and can't be finished: {refusal(error)}",
                ("free space or mend the rights; then any command, or ", RepairStore(), ", finishes it"),
            ) from error
    store.align_refs()
    if strangers:
        names = ", ".join(quote_path(p) for p in strangers[:3])
        raise ProtyponError(
            f"{entry.command} was cut off and is now finished, except {names}: edited since, left as it is",
            "look at it, then type the same again",
        )


def pending_entry(store: Store) -> JournalEntry:
    """What a killed command was about. Raises BadInput where its note is damaged, or says what can't be."""
    try:
        entry = JournalEntry.from_row(json.loads(store.bench.read(PENDING, STATE_BYTES)))
        for path in (*(m.path for m in entry.changes), *(p for p, _ in (*entry.made, *entry.gone))):
            rel_path(path)
    except (OSError, ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError, BadInput) as error:
        raise BadInput(
            f"{PENDING}: damaged: {str(error) or type(error).__name__}; a command was cut off and its note can't be read",
            ("set it aside with: ", RepairStore()),
        ) from error
    return entry
