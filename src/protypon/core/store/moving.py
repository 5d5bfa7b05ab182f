"""The moves of a plan: files renamed from the stage to their places, by what was proved to be possible; and back.

Every state of the disk between two renames is one from which :func:`move_all` or :func:`move_or_go_back` finds the way.
"""

from __future__ import annotations

import errno
import os
import stat
from contextlib import suppress

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.model.actions import RepairStore
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.nouns import Content
from protypon.core.model.paths import LINK, Entry, quote_path
from protypon.core.store.store import HIDDEN, FileState, JournalEntry, Move, Store

STAGE = f"{HIDDEN}/stage"
NEW, OLD = f"{STAGE}/new", f"{STAGE}/old"
READY = f"{STAGE}/journal.json"
PENDING = f"{HIDDEN}/pending.json"
_NO_DOUBLES = (errno.EPERM, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK, errno.EXDEV, errno.EACCES)

Seen = dict[str, tuple[int, ...]]
"""What the file system says of paths whose contents were just read: as long as it says the same, they are the same."""


def refusal(error: OSError) -> str:
    """What the system refused, and where."""
    where = f"{quote_path(os.fsdecode(error.filename))}: " if error.filename else ""
    return f"{where}can't be written: {error.strerror or error}"


def numbers_of(bench: Folder, path: str) -> tuple[int, ...] | None:
    """What the file system says of a path without its contents being read; None where nothing stands there."""
    found = bench.stat(path)
    return None if found is None else (found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns, found.st_mode)


class Progress:
    """How far the moving of one entry is: known, for the one that has begun it; else looked for on the disk."""

    def __init__(self, bench: Folder, seen: Seen | None = None) -> None:
        self.bench, self.seen = bench, seen

    def is_staged(self, number: int) -> bool:
        """Whether a new content still waits."""
        return self.seen is not None or self.bench.stat(f"{NEW}/{number}") is not None

    def is_aside(self, number: int) -> bool:
        """Whether a former content is out of the way."""
        return self.seen is None and self.bench.stat(f"{OLD}/{number}") is not None

    def is_as(self, path: str, state: FileState | None) -> bool:
        """Whether what stands at a path is what was there before the command."""
        if self.seen is not None and self.seen.get(path) == numbers_of(self.bench, path):
            return True
        return plain_state(read_entry(self.bench, path)) == plain_state(state)


def plain_state(what: Entry | Content | FileState | None) -> tuple[int, str] | None:
    """What two states of a path are compared by: permission bits beside the run bit don't count."""
    return None if what is None else (what.mode, what.digest)


def rights_of(bench: Folder, path: str) -> int:
    """The permission bits of a path; 0 where nothing stands there."""
    found = bench.stat(path)
    return stat.S_IMODE(found.st_mode) if found is not None else 0


def move_or_go_back(entry: JournalEntry, store: Store, progress: Progress) -> None:
    """Move everything and enter it into the journal; where the disk refuses in the middle, go back."""
    bench = store.bench
    try:
        bench.put(PENDING, entry.to_bytes(), sync=True)
        strangers = move_all(entry, progress)
        if strangers:
            raise ProtyponError(
                f"{', '.join(map(quote_path, strangers[:3]))}: changed while the command wrote; nothing was changed",
                "type the same again",
            )
        bench.move(READY, store.journal_path(entry.number))
    except (OSError, ProtyponError) as error:
        _go_back(entry, bench, error)
        if isinstance(error, ProtyponError):
            raise
        raise BadInput(
            f"{refusal(error)}; nothing was changed", "free space or mend the rights, then type the same again"
        ) from error
    with suppress(OSError):  # the journal has it: the note only says so a second time
        bench.remove(PENDING)


def _go_back(entry: JournalEntry, bench: Folder, why: Exception) -> None:
    """Undo what a failed move has done so far, by renaming alone."""
    try:
        for number, move in reversed(list(enumerate(entry.changes))):
            _unplace(number, move, bench)
        for path, _ in reversed(entry.made):
            _remove_if_empty(bench, path)
        for path, rights in reversed(entry.gone):
            _make(bench, path, rights)
        for number, move in enumerate(entry.changes):
            if bench.stat(f"{OLD}/{number}") is not None:
                _rename(bench, f"{OLD}/{number}", move.path)
        bench.remove(PENDING, missing=True)
    except (OSError, BadInput) as error:
        first = refusal(why) if isinstance(why, OSError) else str(why)
        second = f", and going back was refused too: {refusal(error) if isinstance(error, OSError) else error}"
        raise BadInput(
            f"{first}{second}; {_how_many(entry, bench)} files are new by now, nothing is lost",
            ("mend the disk or the rights; the next command, or ", RepairStore(), ", finishes it"),
        ) from why


def _how_many(entry: JournalEntry, bench: Folder) -> str:
    """How many files of a plan are where they are to be, as far as the disk says."""
    try:
        done = sum(plain_state(read_entry(bench, move.path)) == plain_state(move.after) for move in entry.changes)
    except (OSError, BadInput):
        return f"some of {len(entry.changes)}"
    return f"{done} of {len(entry.changes)}"


def _unplace(number: int, move: Move, bench: Folder) -> None:
    """Take a new content back to the stage, if it is where it belongs."""
    staged = f"{NEW}/{number}"
    if move.after is None or bench.stat(staged) is not None:
        return
    if plain_state(read_entry(bench, move.path)) == plain_state(move.after):
        _rename(bench, move.path, staged)


def move_all(entry: JournalEntry, progress: Progress) -> list[str]:
    """Bring every path to its new state; what has it already is left alone. Returns paths that are neither old nor new."""
    bench = progress.bench
    strangers = []
    apart = {path for path, _ in (*entry.made, *entry.gone)}
    later = []
    for number, move in enumerate(entry.changes):
        if move.before is not None and move.after is not None and move.path not in apart:
            strangers += _exchange(number, move, progress)
            continue
        if move.before is not None:
            strangers += _set_aside(number, move, progress)
        if move.after is not None:
            later.append((number, move))
    for path, _ in entry.gone:
        _remove_if_empty(bench, path)
    for path, rights in entry.made:
        _make(bench, path, rights)
    for number, move in later:
        if move.path not in strangers:
            strangers += _place(number, move, progress)
    return strangers


def _exchange(number: int, move: Move, progress: Progress) -> list[str]:
    """Put a new content where another one stands, so that there is always one of them."""
    bench = progress.bench
    if not progress.is_staged(number):
        return []
    aside = progress.is_aside(number)
    if not progress.is_as(move.path, move.before) and not (aside and bench.stat(move.path) is None):
        return [move.path]
    if not aside:
        try:
            bench.double(move.path, f"{OLD}/{number}", bench)
        except OSError as error:
            if error.errno not in _NO_DOUBLES:
                raise
            _rename(bench, move.path, f"{OLD}/{number}")
    _rename(bench, f"{NEW}/{number}", move.path)
    return []


def _set_aside(number: int, move: Move, progress: Progress) -> list[str]:
    bench = progress.bench
    if progress.is_aside(number):
        return []
    if progress.is_as(move.path, move.before):
        _rename(bench, move.path, f"{OLD}/{number}")
        return []
    found = read_entry(bench, move.path)
    return (
        [] if (found is None and move.after is None) or plain_state(found) == plain_state(move.after) else [move.path]
    )


def _place(number: int, move: Move, progress: Progress) -> list[str]:
    bench = progress.bench
    if not progress.is_staged(number):
        return []
    if bench.stat(move.path) is not None:
        return [move.path]
    above = move.path.rpartition("/")[0]
    if above and not bench.is_folder(above):
        bench.make(above)
    _rename(bench, f"{NEW}/{number}", move.path)
    return []


def _rename(bench: Folder, path: str, to: str) -> None:
    """Rename; where the two places are on different file systems, copy beside the new place and rename that."""
    try:
        bench.move(path, to)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        found = read_entry(bench, path)
        assert found is not None
        beside = f"{to}.protypon-new"
        bench.remove(beside, missing=True)
        if found.mode == LINK:
            bench.link(beside, bench.target(path))
        else:
            bench.create(beside, bench.read(path), sync=True)
            bench.set_rights(beside, rights_of(bench, path))
        bench.move(beside, to)
        bench.remove(path)


def _remove_if_empty(bench: Folder, path: str) -> None:
    try:
        if bench.is_folder(path):
            bench.remove_folder(path)
    except OSError as error:
        if error.errno not in (errno.ENOTEMPTY, errno.EEXIST, errno.ENOENT):
            raise


def _make(bench: Folder, path: str, rights: int | None) -> None:
    if path in bench.make(path) and rights is not None:
        bench.set_rights(path, rights)
