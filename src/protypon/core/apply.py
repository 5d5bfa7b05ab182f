"""Plan -> disk, journalled: the one place that writes themes.

Every new content is staged beside the bench's store first, every former content is in the store before anything
moves; then files are only renamed. A note (``pending.json``) stands while that happens: whoever finds it finishes.
"""

from __future__ import annotations

import errno
import json
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from protypon.core.errors import BadInput, ProtyponError
from protypon.core.listing import read_entry
from protypon.core.lock import held, uninterrupted
from protypon.core.model import Change, Content, Plan
from protypon.core.overlay import content
from protypon.core.paths import FILE, FOLDER, LINK, RUNNABLE, quote_path
from protypon.core.store import JournalEntry, Store, now, state_of

RELEASES = ".protypon/releases.json"


@contextmanager
def locked(store: Store, command: str) -> Iterator[None]:
    """Hold the bench's lock; whatever a killed command left is finished first.

    Raises ProtyponError naming the holder where the lock stays taken.
    """
    with held(store.folder, command):
        recover(store)
        yield


def carry_out(plan: Plan, store: Store, undoes: int | None = None, empty: tuple[str, ...] = ()) -> JournalEntry | None:
    """Do what a plan says, all or nothing, under the lock; returns its journal entry, None for an empty plan.

    ``empty`` names folders to be left standing empty. Raises ProtyponError where a file is no longer what the plan
    was made for, BadInput where the disk refuses; nothing has changed then.
    """
    if plan.empty and not plan.blobs and undoes is None:
        return None
    root = store.folder.parent
    _verify(plan, root)
    try:
        return _Undertaking(plan, store, root, undoes, empty).run()
    except OSError as error:
        where = f"{quote_path(str(error.filename))}: " if error.filename else ""
        raise BadInput(
            f"{where}can't be written: {error.strerror or error}; nothing was changed",
            "free space or mend the rights, then type the same again",
        ) from error


def _verify(plan: Plan, root: Path) -> None:
    folders = {parent for change in plan.changes for parent in Path(change.path).parents if len(parent.parts) > 2}
    for folder in sorted(folders):
        if (root / folder).is_symlink():
            raise ProtyponError(
                f"{quote_path(str(folder))}: is a link, and nothing is written through links",
                "put a folder in its place",
            )
    for change in plan.changes:
        if state_of(read_entry(str(root), change.path)) != state_of(change.before):
            raise ProtyponError(
                f"{quote_path(change.path)}: changed while the command ran; nothing was written", "type the same again"
            )


class _Undertaking:
    """One plan on its way to the disk."""

    def __init__(self, plan: Plan, store: Store, root: Path, undoes: int | None, empty: tuple[str, ...]) -> None:
        self.plan, self.store, self.root, self.undoes, self.empty = plan, store, root, undoes, empty
        self.stage = store.folder / "stage"
        self.pending = store.folder / "pending.json"

    def run(self) -> JournalEntry:
        try:
            entry, journal_commit = self._prepare()
            with uninterrupted():
                _write_synced(self.pending, _json(entry.packed()))
                try:
                    _move(entry, self.root, self.stage)
                except OSError:
                    _take_back(entry, self.root, self.store)
                    self.pending.unlink()
                    raise
                _finish(entry, self.store, journal_commit)
        finally:
            if not self.pending.exists():
                shutil.rmtree(self.stage, ignore_errors=True)
        return entry

    def _prepare(self) -> tuple[JournalEntry, str]:
        former = [_former(c, self.root) for c in self.plan.changes if c.before is not None and c.before.mode != FOLDER]
        known = read_entry(str(self.root), RELEASES)
        if known is not None:
            former.append(content((self.root / RELEASES).read_bytes()))
        releases, commit = self.store.prepare(self.plan.keep, [*former, *self.plan.blobs], self.plan.command)
        changes = list(self.plan.changes)
        if self.plan.keep:
            changes.append(Change(RELEASES, known, content(releases)))
        shutil.rmtree(self.stage, ignore_errors=True)
        self.stage.mkdir(parents=True)
        staged = {}
        for number, change in enumerate(changes):
            if change.after is not None and change.after.mode != FOLDER:
                _stage(change.after, self.stage / str(number))
                staged[change.path] = number
        _write_synced(self.stage / "commit", commit.encode())
        entry = JournalEntry(
            self.store.next_number(),
            self.plan.command,
            now().isoformat(),
            tuple((c.path, state_of(c.before), state_of(c.after)) for c in changes)
            + tuple((p, None, (FOLDER, "")) for p in self.empty),
            tuple(sorted({p for c in changes if c.after is not None for p in _empty_above(c.path, self.root)})),
            self.undoes,
            staged,
        )
        return entry, commit


def _former(change: Change, root: Path) -> Content:
    assert change.before is not None
    full = root / change.path
    if change.before.mode == LINK:
        return Content(change.before.digest, LINK, os.fsencode(os.readlink(full)))
    return Content(change.before.digest, change.before.mode, path=str(full))


def _empty_above(path: str, root: Path) -> Iterator[str]:
    """The folder that stands empty now and gets this file."""
    folder = os.path.dirname(path)
    while folder:
        full = root / folder
        if full.is_dir():
            if not os.listdir(full):
                yield folder
            return
        folder = os.path.dirname(folder)


def _stage(what: Content, place: Path) -> None:
    if what.mode == LINK:
        os.symlink(os.fsdecode(what.read()), place)
        return
    _write_synced(place, what.read())
    if what.mode == RUNNABLE:
        place.chmod(0o755)


def _write_synced(path: Path, data: bytes) -> None:
    temporary = path.with_name(path.name + ".new")
    with open(temporary, "wb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
    os.replace(temporary, path)


def _json(value: object) -> bytes:
    return (json.dumps(value, indent=1) + "\n").encode()


def _move(entry: JournalEntry, root: Path, stage: Path) -> list[str]:
    """Bring every path to its new state; what already has it is left alone. Returns paths that are neither old nor new."""
    strangers = []
    for path, before, after in entry.changes:
        state = state_of(read_entry(str(root), path))
        gone = after is None or (after[0] == FOLDER and state is not None and state[0] != FOLDER)
        if gone and state is not None:
            if state == before:
                _remove(root, path)
            else:
                strangers.append(path)
    for path, before, after in entry.changes:
        state = state_of(read_entry(str(root), path))
        if after is None or state == after or path in strangers:
            continue
        if state not in (before, None):
            strangers.append(path)
        elif after[0] == FOLDER:
            (root / path).mkdir(parents=True, exist_ok=True)
        else:
            _place(stage / str(entry.staged[path]), root / path, before, root)
    return strangers


def _place(staged: Path, target: Path, before: tuple[int, str] | None, root: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    if before is not None and before[0] in (FILE, RUNNABLE) and not staged.is_symlink():
        rights = target.stat().st_mode & 0o7777
        runnable = staged.stat().st_mode & 0o100
        staged.chmod(rights | (rights & 0o444) >> 2 if runnable else rights & ~0o111)
    try:
        os.replace(staged, target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        beside = target.with_name(target.name + ".protypon-new")
        shutil.copy2(staged, beside, follow_symlinks=False)
        os.replace(beside, target)


def _remove(root: Path, path: str) -> None:
    full = root / path
    if full.is_dir() and not full.is_symlink():
        full.rmdir()
    else:
        full.unlink()
    _tidy(root, os.path.dirname(path))


def _tidy(root: Path, folder: str) -> None:
    """Take away a folder that stands empty now, and those above it likewise."""
    while folder and (root / folder).is_dir() and not os.listdir(root / folder):
        os.rmdir(root / folder)
        folder = os.path.dirname(folder)


def _take_back(entry: JournalEntry, root: Path, store: Store) -> None:
    """Undo what a failed move has done so far."""
    for path, before, after in reversed(entry.changes):
        state = state_of(read_entry(str(root), path))
        if state == before:
            continue
        if state == after and after is not None:
            _remove(root, path)
        if before is not None:
            _restore(root / path, before, store)
    for path, before, _ in entry.changes:
        if before is None:
            _tidy(root, os.path.dirname(path))
    for folder in entry.emptied:
        (root / folder).mkdir(parents=True, exist_ok=True)


def _restore(full: Path, before: tuple[int, str], store: Store) -> None:
    full.parent.mkdir(parents=True, exist_ok=True)
    mode, digest = before
    if mode == FOLDER:
        full.mkdir(exist_ok=True)
        return
    data = store.blob(digest) or b""
    if mode == LINK:
        os.symlink(os.fsdecode(data), full)
        return
    full.write_bytes(data)
    if mode == RUNNABLE:
        full.chmod(0o755)


def _finish(entry: JournalEntry, store: Store, journal_commit: str) -> None:
    store.set_journal_ref(journal_commit)
    store.align_refs()
    journal = store.folder / "journal"
    journal.mkdir(exist_ok=True)
    done = JournalEntry(entry.number, entry.command, entry.time, entry.changes, entry.emptied, entry.undoes)
    _write_synced(journal / f"{entry.number:06d}.json", _json(done.packed()))
    (store.folder / "pending.json").unlink()


def unfinished(store: Store) -> bool:
    """A command was killed while it wrote."""
    return (store.folder / "pending.json").exists()


def recover(store: Store) -> None:
    """Finish what a killed command had begun to write; take away what it had only prepared."""
    stage = store.folder / "stage"
    if unfinished(store):
        with uninterrupted():
            entry = JournalEntry.unpacked(json.loads((store.folder / "pending.json").read_bytes()))
            strangers = _move(entry, store.folder.parent, stage)
            _finish(entry, store, (stage / "commit").read_text())
        if strangers:
            names = ", ".join(quote_path(p) for p in strangers[:3])
            shutil.rmtree(stage, ignore_errors=True)
            raise ProtyponError(
                f"{entry.command} was cut off and is now finished, except {names}: edited since, left as it is",
                "look at it, then type the same again",
            )
    shutil.rmtree(stage, ignore_errors=True)
