"""Undo: take back commands that wrote, byte for byte, with permission bits and empty folders.

A step is one command that wrote, as the journal has it. The last one is taken back, or one by its number, or all after a
number; of several, what a later one wrote and an earlier one had before is never written in between.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.model.actions import Check, CheckStore, Undo, UndoList
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.nouns import Change, Content, Plan
from protypon.core.model.paths import Entry, RelPath, quote_path, rel_path
from protypon.core.store.store import FileState, JournalEntry, Store

MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Step:
    """One command that wrote."""

    entry: JournalEntry
    taken_back: bool = False

    @property
    def paths(self) -> tuple[str, ...]:
        """The paths of the bench that it changed, without what the bench keeps for itself."""
        return tuple(move.path for move in self.entry.changes if not move.path.startswith(".protypon/"))


@dataclass(frozen=True, slots=True)
class Left:
    """A step that was to be taken back and was not, and why."""

    entry: JournalEntry
    why: str


def steps(store: Store) -> list[Step]:
    """Every command that wrote, the last one first. Raises BadInput for a row of the journal that is damaged."""
    entries = store.journal()
    undone = {number for entry in entries for number in entry.undoes}
    return [Step(entry, entry.number in undone) for entry in reversed(entries) if not entry.undoes]


def last(store: Store) -> JournalEntry:
    """The last command that wrote and was not taken back. Raises ProtyponError where there is none."""
    undone: set[int] = set()
    for number in reversed(store.journal_numbers()):
        entry = store.journal_entry(number)
        undone.update(entry.undoes)
        if not entry.undoes and entry.number not in undone:
            return entry
    raise ProtyponError(
        "nothing to undo: no command has written here, or all are taken back", ("look around with: ", Check())
    )


def plan_last(bench: Folder, store: Store) -> tuple[Plan, list[JournalEntry]]:
    """Plan to take back the last command. Raises ProtyponError where a file of it was edited since."""
    entry = last(store)
    edited = _edited(bench, entry)
    if edited:
        others = _free_of(bench, store, entry)
        aside = ("move your version aside first, then: ", Undo())
        raise ProtyponError(
            f"{_names(edited)} changed since {entry.command!r}; undo would lose that, so nothing was changed",
            (*aside, "\nor take back another step alone: ", Undo(str(others.number))) if others else aside,
        )
    return _plan(bench, store, [entry]), [entry]


def plan_one(bench: Folder, store: Store, number: int) -> tuple[Plan, list[JournalEntry]]:
    """Plan to take back one command alone. Raises UnknownName for a number that is no step, ProtyponError where later ones build on it."""
    found = steps(store)
    step = next((each for each in found if each.entry.number == number), None)
    if step is None:
        raise UnknownName(f"there is no step {number}", ("see which there are with: ", UndoList()))
    if step.taken_back:
        raise ProtyponError(
            f"step {number} ({step.entry.command}) is taken back already", ("see all with: ", UndoList())
        )
    later = _first_above(found, step)
    if later is not None:
        entry, path = later
        raise ProtyponError(
            f"step {entry.number} ({entry.command}) changed {quote_path(path)} after step {number}; nothing was changed",
            (
                "take that back first: ",
                Undo(str(entry.number)),
                "\nor both, and all between: ",
                Undo(to=str(number - 1)),
            ),
        )
    edited = _edited(bench, step.entry)
    if edited:
        raise ProtyponError(
            f"{_names(edited)} changed since {step.entry.command!r}; undo would lose that, so nothing was changed",
            ("move your version aside first, then: ", Undo(str(number))),
        )
    return _plan(bench, store, [step.entry]), [step.entry]


def plan_to(bench: Folder, store: Store, number: int) -> tuple[Plan, list[JournalEntry], list[Left]]:
    """Plan to take back every command after step ``number`` (0: all), and say which have to stay.

    A step stays where a file of it was edited since, and with it every earlier one that touched one of its paths.
    Raises UnknownName for a number that is no step, ProtyponError where nothing can be taken back.
    """
    found = steps(store)
    if number != 0 and number not in {step.entry.number for step in found}:
        raise UnknownName(f"there is no step {number}", ("see which there are with: ", UndoList()))
    taken: list[JournalEntry] = []
    left: list[Left] = []
    for step in found:
        entry = step.entry
        if entry.number <= number or step.taken_back:
            continue
        paths = {move.path for move in entry.changes}
        above = next((each.entry for each in left if paths & {m.path for m in each.entry.changes}), None)
        edited = [] if above is not None else _edited(bench, entry, taken)
        if above is not None:
            left.append(Left(entry, f"step {above.number} builds on it"))
        elif edited:
            left.append(Left(entry, f"{_names(edited)} changed since"))
        else:
            taken.append(entry)
    if not taken:
        why = f"{left[0].entry.command!r} and what it builds on: {left[0].why}" if left else "no step comes after it"
        raise ProtyponError(f"nothing to take back after step {number}: {why}", ("see all with: ", UndoList()))
    return _plan(bench, store, taken), taken, left


def _first_above(found: list[Step], step: Step) -> tuple[JournalEntry, str] | None:
    """The last command after a step that touched a path of it and stands, with that path."""
    paths = {move.path for move in step.entry.changes}
    for later in found:
        if later.entry.number <= step.entry.number:
            return None
        shared = [move.path for move in later.entry.changes if move.path in paths]
        if shared and not later.taken_back:
            return later.entry, shared[0]
    return None


def _free_of(bench: Folder, store: Store, stuck: JournalEntry) -> JournalEntry | None:
    """The last command that can be taken back though another is stuck."""
    found = steps(store)
    return next(
        (
            step.entry
            for step in found
            if step.entry.number < stuck.number
            and not step.taken_back
            and step.paths
            and _first_above(found, step) is None
            and not _edited(bench, step.entry)
        ),
        None,
    )


def _edited(bench: Folder, entry: JournalEntry, later: Iterable[JournalEntry] = ()) -> list[str]:
    """The paths of a step that are neither as it left them nor as they were before; ``later``: steps that are taken back first."""
    over = {move.path: move.before for each in later for move in each.changes}
    found: list[str] = []
    for move in entry.changes:
        path = rel_path(move.path)
        state = _plain(over[move.path]) if move.path in over else _standing(read_entry(bench, path))
        if state not in (_plain(move.before), _plain(move.after)):
            found.append(path)
    return found


def _plan(bench: Folder, store: Store, entries: list[JournalEntry]) -> Plan:
    """Bring every path back to what it was before the earliest of some steps; they come the last one first."""
    wanted = {move.path: move.before for entry in entries for move in entry.changes}
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
    for name, before in wanted.items():
        path = rel_path(name)
        standing = read_entry(bench, path)
        if _standing(standing) != _plain(before):
            changes.append(Change(path, standing, _content(store, path, before)))
    words = f"undo {entries[0].command}" if len(entries) == 1 else f"undo --to {entries[-1].number - 1}"
    numbers = tuple(entry.number for entry in entries)
    return Plan(words, tuple(changes), undoes=numbers, made=tuple(made.items()), gone=tuple(gone))


def _names(paths: list[str]) -> str:
    more = f" and {len(paths) - MOST_NAMED} more" if len(paths) > MOST_NAMED else ""
    return ", ".join(quote_path(path) for path in paths[:MOST_NAMED]) + more


def _plain(state: FileState | None) -> tuple[int, str] | None:
    return None if state is None else (state.mode, state.digest)


def _standing(entry: Entry | None) -> tuple[int, str] | None:
    return None if entry is None else (entry.mode, entry.digest)


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
