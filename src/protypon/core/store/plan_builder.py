"""What a command means to write: every action puts it here; the plan is that, minus what the disk has already."""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping

from protypon.core.files.folder import Folder
from protypon.core.files.listing import blob_digest, read_entry
from protypon.core.model.errors import BadInput
from protypon.core.model.nouns import Change, Content, NewRelease, Plan
from protypon.core.model.paths import FILE, FOLDER, Entry, RelPath, quote_path, rel_path


def content(data: bytes, mode: int = FILE) -> Content:
    """Bytes to be written, with their digest."""
    return Content(blob_digest(data), mode, data)


class PlanBuilder:
    """What is to be written, kept and remembered; what is asked of other paths is what the disk has."""

    def __init__(self, folder: Folder) -> None:
        self.folder = folder
        self._planned: dict[RelPath, Content | None] = {}
        self._standing: dict[RelPath, Entry] = {}
        """What is known to stand at planned paths."""
        self._keep: list[NewRelease] = []
        self._blobs: list[Content] = []

    def rel(self, path: str) -> RelPath:
        """A path relative to the bench, for one inside it. Raises BadInput for one that leads out of it."""
        if os.path.isabs(path):
            path = os.path.relpath(path, self.folder.root)
        return rel_path(path)

    def read(self, path: str) -> bytes:
        """Bytes of a file as planned, else as on disk; for a link, its target. Raises BadInput where there is none."""
        rel = self.rel(path)
        if rel in self._planned:
            planned = self._planned[rel]
            if planned is None:
                raise BadInput(f"{quote_path(rel)}: is not there any more")
            return planned.read()
        return read_file(self.folder, rel)

    def entry(self, path: str) -> Entry | None:
        """What stands at a path, as planned."""
        rel = self.rel(path)
        if rel in self._planned:
            planned = self._planned[rel]
            return None if planned is None else Entry(rel, planned.mode, 0, planned.digest)
        return read_entry(self.folder, rel)

    def planned(self, path: str) -> Content | None:
        """What is planned for a path; None where nothing is, or where it is to be taken away."""
        return self._planned.get(self.rel(path))

    def write(self, path: str, what: Content) -> None:
        """Plan a file to have these contents."""
        self._planned[self.rel(path)] = what

    def remove(self, path: str) -> None:
        """Plan a path to be gone."""
        self._planned[self.rel(path)] = None

    def replace_folder(self, folder: str, old: Mapping[str, Entry], new: Mapping[str, Content]) -> None:
        """Make a folder what ``new`` says (paths relative to it); ``old`` is what stands in it. What is the same is no change."""
        base = self.rel(folder)
        for path, entry in old.items():
            if path not in new:
                self._planned[rel_path(base, path)] = None
            if path not in new or _differs(entry, new[path]):
                rel = rel_path(base, path)
                self._standing[rel] = entry._replace(path=rel)
        for path, what in new.items():
            if _differs(old.get(path), what):
                self._planned[rel_path(base, path)] = what

    def keep(self, release: NewRelease) -> None:
        """Plan a release to be kept."""
        self._keep.append(release)

    def remember(self, blob: Content) -> None:
        """Have a text in the store, because the ledger will name its digest."""
        self._blobs.append(blob)

    def plan(self, command: str) -> Plan:
        """What is meant to be written, but for what the disk has already."""
        changes, made, gone = list[Change](), list[tuple[str, int | None]](), list[str]()
        for rel in sorted(self._planned):
            after = self._planned[rel]
            before = self._standing.get(rel) or read_entry(self.folder, rel)
            if not _differs(before, after):
                continue
            if before is not None and before.mode == FOLDER:
                gone.append(rel)
                before = None
            if after is not None and after.mode == FOLDER:
                made.append((rel, None))
                after = None
            if before is not None or after is not None:
                changes.append(Change(rel, before, after))
        return Plan(
            command, tuple(changes), tuple(self._keep), tuple(self._blobs), made=tuple(made), gone=tuple(gone[::-1])
        )


def _differs(before: Entry | None, after: Content | None) -> bool:
    if before is None or after is None:
        return not (before is None and after is None)
    return (before.mode, before.digest) != (after.mode, after.digest)


def read_file(folder: Folder, rel: str) -> bytes:
    """The bytes of a file, or where a link points. Raises BadInput where neither can be read."""
    found = folder.stat(rel)
    if found is not None and stat.S_ISLNK(found.st_mode):
        return folder.target(rel)
    try:
        return folder.read(rel)
    except OSError as error:
        raise BadInput(f"{quote_path(rel)}: can't be read: {error.strerror}") from error


def from_disk(folder: Folder, entry: Entry) -> Content:
    """An entry of a folder as content that is read when it is needed."""
    if entry.mode == FOLDER:
        return Content("", FOLDER, b"")
    return Content(entry.digest, entry.mode, folder=folder, path=entry.path)
