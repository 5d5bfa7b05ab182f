"""All talk with libgit2 stands here: one bare repository, its objects and refs, line differences and three-way merges."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import NamedTuple

import pygit2
from pygit2.enums import MergeFileFlag, MergeFlag

from protypon.core.files.folder import Folder
from protypon.core.files.notes import note
from protypon.core.files.temporary import temporary_folder
from protypon.core.model.actions import CheckStore
from protypon.core.model.errors import BadInput
from protypon.core.model.paths import FOLDER
from protypon.core.store.packs import RawObject, parse_tree, tree_objects, write_pack

Triple = tuple[bytes, bytes, bytes]


class Repository:
    """A bare repository below a folder, which plain Git can read too. Raises BadInput where it is damaged."""

    def __init__(self, above: Folder, rel: str) -> None:
        self.rel = rel
        self.path = os.path.join(above.root, rel)
        above.make(rel)
        self.folder = Folder(self.path)
        pygit2.settings.owner_validation = False  # a bench that somebody else made is only read as data
        with self._naming_faults():
            if not self.folder.is_file("HEAD"):
                pygit2.init_repository(self.path, bare=True)
            self._repo = pygit2.Repository(self.path)

    @contextmanager
    def _naming_faults(self) -> Iterator[None]:
        """Faults of the repository as one line that names it."""
        try:
            yield
        except (pygit2.GitError, KeyError, ValueError) as error:
            raise BadInput(
                f"{self.rel}: damaged: {' '.join(str(error).split())[:200]}; the themes themselves are as they were",
                ("see what is wrong with: ", CheckStore()),
            ) from error

    def has(self, oid: str) -> bool:
        """Whether an object is there."""
        with self._naming_faults():
            return pygit2.Oid(hex=oid) in self._repo.odb

    def all(self) -> set[str]:
        """The ids of all objects: where many are asked for, one look at the indexes instead of one each.

        Those of a damaged store count as not there: what is written again does no harm.
        """
        try:
            return {oid.raw.hex() for oid in self._repo.odb}
        except pygit2.GitError as error:
            note("store", "its objects can't be listed: %s", error)
            return set()

    def read(self, oid: str) -> bytes | None:
        """The bytes of a blob, or None where it is not here, or not whole."""
        try:
            found = self._repo.get(oid)
        except (pygit2.GitError, ValueError) as error:
            note("store", "%s can't be read from the store: %s", oid, error)
            return None
        return bytes(found.data) if isinstance(found, pygit2.Blob) else None

    def write(self, objects: Iterable[RawObject]) -> int:
        """Add objects in one pack."""
        count = write_pack(self.folder, objects)
        if count:
            with self._naming_faults():
                self._repo = pygit2.Repository(self.path)
        return count

    def files(self, tree: str) -> dict[str, tuple[int, str]]:
        """Every file of a tree: path -> (mode, blob id)."""
        found: dict[str, tuple[int, str]] = {}
        waiting = [("", tree)]
        with self._naming_faults():
            while waiting:
                prefix, oid = waiting.pop()
                if pygit2.Oid(hex=oid) not in self._repo.odb:
                    continue
                for name, mode, child in parse_tree(self._repo.read(oid)[1]):
                    if mode == FOLDER:
                        waiting.append((f"{prefix}{name}/", child))
                    else:
                        found[prefix + name] = (mode, child)
        return found

    def commit(self, oid: str) -> tuple[str, list[str], str, int] | None:
        """Tree, parents, message and time of a commit, or None where it is not here."""
        try:
            found = self._repo.get(oid)
        except (pygit2.GitError, ValueError):
            return None
        if not isinstance(found, pygit2.Commit):
            return None
        return str(found.tree_id), [str(p) for p in found.parent_ids], found.message, found.commit_time

    def refs(self, prefix: str) -> dict[str, str]:
        """The refs below a prefix; those that can't be read are left out."""
        found: dict[str, str] = {}
        with self._naming_faults():
            names = [name for name in self._repo.references if name.startswith(prefix)]
        for name in names:
            try:
                found[name] = str(self._repo.references[name].target)
            except (pygit2.GitError, KeyError, ValueError):
                note("store", "the ref %s can't be read", name)
        return found

    def set_refs(self, wanted: Mapping[str, str | None]) -> list[str]:
        """Set refs, or take them away where the target is None; returns those that were refused."""
        refused = []
        for name, target in wanted.items():
            try:
                if target is not None:
                    self._repo.references.create(name, target, force=True)
                elif name in self._repo.references:
                    self._repo.references.delete(name)
            except (pygit2.GitError, OSError, ValueError, KeyError) as error:
                note("store", "the ref %s was not set: %s", name, error)
                refused.append(name)
        return refused


@dataclass(frozen=True, slots=True)
class Hunk:
    """One difference: first line (from 1) and number of lines, before and after."""

    start: int
    count: int
    new_start: int
    new_count: int


def hunks(before: bytes, after: bytes) -> list[Hunk]:
    """Line differences as Git's diff finds them; where a count is 0, the start is the line before."""
    patch = pygit2.Patch.create_from(_plain(before), _plain(after), context_lines=0)
    return [Hunk(h.old_start, h.old_lines, h.new_start, h.new_lines) for h in patch.hunks]


def patch_text(before: bytes | None, after: bytes | None, path: str) -> bytes:
    """The difference of two texts as ``git apply`` reads it; None for a text that is not there."""
    patch = pygit2.Patch.create_from(before, after, old_as_path=path, new_as_path=path)
    return bytes(patch.data)


def _plain(data: bytes) -> bytes:
    """Byte for byte as UTF-8, one character a byte: lines stay what they are, whatever the encoding."""
    return data.decode("latin-1").encode("utf-8")


class MergeResult(NamedTuple):
    """What became of one three-way merge: the text, or the text with conflict markers."""

    clean: bool
    text: bytes
    token: str
    """What stands behind the markers, on lines that are ours."""


def merge_files(triples: Sequence[Triple]) -> list[MergeResult]:
    """Merge many (base, ours, theirs) at once, as ``git merge-file`` would.

    All go through one merge of three trees; in-process merges of single files do not agree with Git everywhere.
    """
    if not triples:
        return []
    with temporary_folder("merge") as folder:
        return _merge_files_in(folder, triples)


def _merge_files_in(folder: Folder, triples: Sequence[Triple]) -> list[MergeResult]:
    repository = Repository(folder, "merge")
    token = secrets.token_hex(8)
    names = [f"{token}-{number:06d}" for number in range(len(triples))]
    base, ours, theirs = (_side(repository, names, [_plain(t[side]) for t in triples]) for side in range(3))
    repo = pygit2.Repository(repository.path)
    strict = repo.merge_trees(base, ours, theirs, flags=MergeFlag(0))
    disputed = {entry.path for sides in strict.conflicts or () for entry in sides if entry is not None}
    marked = strict
    if disputed:
        flags = MergeFileFlag.STYLE_DIFF3 | MergeFileFlag.ACCEPT_CONFLICTS
        marked = repo.merge_trees(base, ours, theirs, flags=MergeFlag(0), file_flags=flags)
    return [
        MergeResult(name not in disputed, _text(repo, marked if name in disputed else strict, name), name)
        for name in names
    ]


def _text(repo: pygit2.Repository, index: pygit2.Index, name: str) -> bytes:
    blob = repo[index[name].id]
    assert isinstance(blob, pygit2.Blob)
    return blob.data.decode("utf-8").encode("latin-1")


def _side(repository: Repository, names: Sequence[str], texts: Sequence[bytes]) -> str:
    blobs = [RawObject("blob", text) for text in texts]
    trees = list(tree_objects({name: (0o100644, blob.oid) for name, blob in zip(names, blobs, strict=True)}))
    repository.write([*blobs, *trees])
    return trees[-1].oid
