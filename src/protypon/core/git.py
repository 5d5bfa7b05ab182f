"""All talk with libgit2 stands here: one bare repository, its objects and refs, line differences and three-way merges."""

from __future__ import annotations

import secrets
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import pygit2
from pygit2.enums import MergeFileFlag, MergeFlag

from protypon.core.packs import RawObject, parse_tree, tree_objects, write_pack
from protypon.core.paths import FOLDER

Triple = tuple[bytes, bytes, bytes]


class Repository:
    """A bare repository that plain Git can read too."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        if not (folder / "HEAD").exists():
            pygit2.init_repository(str(folder), bare=True)
        self._repo = pygit2.Repository(str(folder))

    def has(self, oid: str) -> bool:
        return pygit2.Oid(hex=oid) in self._repo.odb

    def read(self, oid: str) -> bytes | None:
        """The bytes of a blob, or None where it is not here."""
        found = self._repo.get(oid)
        return bytes(found.data) if isinstance(found, pygit2.Blob) else None

    def write(self, objects: Iterable[RawObject]) -> int:
        """Add objects in one pack."""
        count = write_pack(self.folder, objects)
        if count:
            self._repo = pygit2.Repository(str(self.folder))
        return count

    def files(self, tree: str) -> dict[str, tuple[int, str]]:
        """Every file of a tree: path -> (mode, blob id)."""
        found: dict[str, tuple[int, str]] = {}
        waiting = [("", tree)]
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

    def refs(self, prefix: str) -> dict[str, str]:
        return {
            name: str(self._repo.references[name].target) for name in self._repo.references if name.startswith(prefix)
        }

    def set_refs(self, wanted: Mapping[str, str | None]) -> None:
        """Set refs, or take them away where the target is None."""
        for name, target in wanted.items():
            if target is not None:
                self._repo.references.create(name, target, force=True)
            elif name in self._repo.references:
                self._repo.references.delete(name)


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


def _plain(data: bytes) -> bytes:
    """Byte for byte as UTF-8, one character a byte: lines stay what they are, whatever the encoding."""
    return data.decode("latin-1").encode("utf-8")


class Woven(NamedTuple):
    """What became of one three-way merge: the text, or the text with conflict markers."""

    clean: bool
    text: bytes
    token: str
    """What stands behind the markers, on lines that are ours."""


def weave(triples: Sequence[Triple]) -> list[Woven]:
    """Merge many (base, ours, theirs) at once, as ``git merge-file`` would.

    All go through one merge of three trees; in-process merges of single files do not agree with Git everywhere.
    """
    if not triples:
        return []
    with tempfile.TemporaryDirectory(prefix="protypon-merge-") as folder:
        return _weave_in(Path(folder), triples)


def _weave_in(folder: Path, triples: Sequence[Triple]) -> list[Woven]:
    repository = Repository(folder)
    token = secrets.token_hex(8)
    names = [f"{token}-{number:06d}" for number in range(len(triples))]
    base, ours, theirs = (_side(repository, names, [_plain(t[side]) for t in triples]) for side in range(3))
    repo = pygit2.Repository(str(folder))
    strict = repo.merge_trees(base, ours, theirs, flags=MergeFlag(0))
    disputed = {entry.path for sides in strict.conflicts or () for entry in sides if entry is not None}
    marked = strict
    if disputed:
        flags = MergeFileFlag.STYLE_DIFF3 | MergeFileFlag.ACCEPT_CONFLICTS
        marked = repo.merge_trees(base, ours, theirs, flags=MergeFlag(0), file_flags=flags)
    return [
        Woven(name not in disputed, _text(repo, marked if name in disputed else strict, name), name) for name in names
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
