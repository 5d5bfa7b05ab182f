"""Undo: take back commands that wrote, byte for byte, with permission bits and empty folders.

A step is one command that wrote, as the journal has it. The last one is taken back, or one by its number, or all after a
number; of several, what a later one wrote and an earlier one had before is never written in between. Of a ledger, which
every step of a child writes into, a step's own records are taken back, so that steps that share nothing else are free of
each other.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from protypon.core.actions.taking_back import TakingBack
from protypon.core.files.folder import Folder
from protypon.core.model.actions import Check, Undo, UndoList
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.nouns import Plan
from protypon.core.model.paths import quote_path
from protypon.core.store.ledger import is_ledger
from protypon.core.store.store import JournalEntry, Store

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
    back = TakingBack(bench, store)
    edited = back.take(entry)
    if edited:
        others = _free_of(bench, store, entry)
        aside = ("move your version aside first, then: ", Undo())
        raise ProtyponError(
            f"{_names(edited)} changed since {entry.command!r}; undo would lose that, so nothing was changed",
            (*aside, "\nor take back another step alone: ", Undo(str(others.number))) if others else aside,
        )
    return back.plan(), [entry]


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
    back = TakingBack(bench, store)
    edited = back.take(step.entry)
    later = _first_above(found, step) or _builds_on_records(back, found, step, edited)
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
    if edited:
        raise ProtyponError(
            f"{_names(edited)} changed since {step.entry.command!r}; undo would lose that, so nothing was changed",
            ("move your version aside first, then: ", Undo(str(number))),
        )
    return back.plan(), [step.entry]


def plan_to(bench: Folder, store: Store, number: int) -> tuple[Plan, list[JournalEntry], list[Left]]:
    """Plan to take back every command after step ``number`` (0: all), and say which have to stay.

    A step stays where a file of it was edited since, and with it every earlier one that touched one of its paths.
    Raises UnknownName for a number that is no step, ProtyponError where nothing can be taken back.
    """
    found = steps(store)
    if number != 0 and number not in {step.entry.number for step in found}:
        raise UnknownName(f"there is no step {number}", ("see which there are with: ", UndoList()))
    back = TakingBack(bench, store)
    left: list[Left] = []
    for step in found:
        entry = step.entry
        if entry.number <= number or step.taken_back:
            continue
        paths = _own_paths(entry)
        above = next((each.entry for each in left if not paths.isdisjoint(_own_paths(each.entry))), None)
        edited = [] if above is not None else back.take(entry)
        if above is not None:
            left.append(Left(entry, f"step {above.number} builds on it"))
        elif edited:
            left.append(Left(entry, f"{_names(edited)} changed since"))
    if not back.taken:
        why = f"{left[0].entry.command!r} and what it builds on: {left[0].why}" if left else "no step comes after it"
        raise ProtyponError(f"nothing to take back after step {number}: {why}", ("see all with: ", UndoList()))
    return back.plan(), back.taken, left


def _own_paths(entry: JournalEntry) -> set[str]:
    """The paths of a step that only as a whole can be as they were: all but ledgers."""
    return {move.path for move in entry.changes if not is_ledger(move.path)}


def _first_above(found: list[Step], step: Step) -> tuple[JournalEntry, str] | None:
    """The last command after a step that stands and touched a path of it other than a ledger, with that path."""
    paths = _own_paths(step.entry)
    for later in _standing_after(found, step):
        shared = [move.path for move in later.changes if move.path in paths]
        if shared:
            return later, shared[0]
    return None


def _builds_on_records(
    back: TakingBack, found: list[Step], step: Step, edited: Iterable[str]
) -> tuple[JournalEntry, str] | None:
    """The command after a step without which the step's records of a ledger would be as it left them, with the ledger's path."""
    for path in filter(is_ledger, edited):
        for later in _standing_after(found, step):
            without = TakingBack(back.bench, back.store)
            touches = any(move.path == path for move in later.changes)
            if touches and not without.take(later) and path not in without.take(step.entry):
                return later, path
    return None


def _standing_after(found: list[Step], step: Step) -> Iterator[JournalEntry]:
    """The commands after a step that were not taken back, the last one first."""
    return (each.entry for each in found if each.entry.number > step.entry.number and not each.taken_back)


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
            and not TakingBack(bench, store).take(step.entry)
        ),
        None,
    )


def _names(paths: list[str]) -> str:
    more = f" and {len(paths) - MOST_NAMED} more" if len(paths) > MOST_NAMED else ""
    return ", ".join(quote_path(path) for path in paths[:MOST_NAMED]) + more
