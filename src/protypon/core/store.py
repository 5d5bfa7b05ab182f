"""What a bench remembers: kept releases, texts that ledgers name, and the journal. Lies in ``.protypon/``.

``store/`` is a bare Git repository that plain Git reads: branch THEME is the chain of its kept releases, tag
THEME/RELEASE one of them, ``refs/protypon/packed/THEME`` what was packed, ``refs/protypon/journal`` every former
content. ``releases.json`` and ``journal/`` say the same in plain files, so that a look at them needs no Git.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from protypon.core.errors import BadInput
from protypon.core.model import Content, NewRelease, Release
from protypon.core.packs import RawObject, commit_object, tree_objects
from protypon.core.paths import FOLDER, Entry, quote_path, unquote_path

if TYPE_CHECKING:
    from protypon.core.git import Repository

RELEASES = "protypon.releases/1"
JOURNAL = "protypon.journal/1"
JOURNAL_REF = "refs/protypon/journal"

State = tuple[int, str] | None
"""(mode, digest) of a path, or None where nothing stands."""


@dataclass(frozen=True, slots=True)
class JournalEntry:
    """One command that wrote: every path with what stood there and what stands there now."""

    number: int
    command: str
    time: str
    changes: tuple[tuple[str, State, State], ...]
    emptied: tuple[str, ...] = ()
    """Folders that stood empty and got files."""
    undoes: int | None = None
    staged: Mapping[str, int] = field(default_factory=dict)
    """While it is being carried out: path -> number of the staged file."""

    def packed(self) -> dict[str, Any]:
        return {
            "format": JOURNAL,
            "number": self.number,
            "command": self.command,
            "time": self.time,
            "undoes": self.undoes,
            "emptied": [quote_path(p) for p in self.emptied],
            "changes": [[quote_path(path), before, after] for path, before, after in self.changes],
            "staged": {quote_path(path): number for path, number in self.staged.items()},
        }

    @classmethod
    def unpacked(cls, data: Mapping[str, Any]) -> JournalEntry:
        return cls(
            data["number"],
            data["command"],
            data["time"],
            tuple((unquote_path(p), _state(b), _state(a)) for p, b, a in data["changes"]),
            tuple(unquote_path(p) for p in data["emptied"]),
            data["undoes"],
            {unquote_path(p): number for p, number in data["staged"].items()},
        )


def _state(found: Any) -> State:
    return None if found is None else (int(found[0]), str(found[1]))


def state_of(what: Entry | Content | None) -> State:
    return None if what is None else (what.mode, what.digest)


def now() -> datetime:
    return datetime.now(UTC).replace(microsecond=0)


class Store:
    """The store of one bench."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.releases_file = folder / "releases.json"

    @cached_property
    def repository(self) -> Repository:
        """The Git side; opening it is dear, so it is opened when something is read or written there."""
        from protypon.core.git import Repository

        return Repository(self.folder / "store")

    # Releases

    def releases(self, line: str = "releases") -> tuple[Release, ...]:
        """Every kept (or packed) release, in the order of keeping. Raises BadInput where the list is damaged."""
        try:
            data = json.loads(self.releases_file.read_bytes())
            return tuple(Release(**row) for row in data[line])
        except FileNotFoundError:
            return ()
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise BadInput(
                f"{self.releases_file}: damaged: {error}", "take the last change back with: protypon undo"
            ) from error

    def files(self, release: Release) -> dict[str, tuple[int, str]]:
        """The files of a kept release: path -> (mode, digest)."""
        return self.repository.files(release.tree)

    def blob(self, digest: str) -> bytes | None:
        """The bytes of a text by digest, or None where the store does not have them."""
        return self.repository.read(digest) if (self.folder / "store" / "HEAD").exists() else None

    def prepare(self, keep: Iterable[NewRelease], texts: Iterable[Content], command: str) -> tuple[bytes, str]:
        """Write every object that a plan needs; nothing refers to them yet.

        Returns the new bytes of ``releases.json`` and the commit that keeps the texts alive.
        """
        lists = {line: list(self.releases(line)) for line in ("releases", "packed")}
        keep = tuple(keep)
        texts = [text for text in texts if text.mode != FOLDER]
        when = now()
        self.repository.write(self._new_blobs([*(c for r in keep for c in r.files.values()), *texts]))
        objects: list[RawObject] = []
        for new in keep:
            standing = lists[new.line]
            made = self._release(new, standing, when, objects)
            nameless = [
                n for n, r in enumerate(standing) if (r.theme, r.identity, r.label) == (new.theme, new.identity, None)
            ]
            if nameless:
                standing[nameless[0]] = made
            else:
                standing.append(made)
        journal = self._text_commit(texts, command, when, objects)
        self.repository.write(objects)
        body = {"format": RELEASES, **{line: [_row(r) for r in rows] for line, rows in lists.items()}}
        return (json.dumps(body, indent=1) + "\n").encode(), journal

    def _new_blobs(self, contents: Iterable[Content]) -> Iterator[RawObject]:
        seen: set[str] = set()
        for item in contents:
            if item.digest not in seen and not self.repository.has(item.digest):
                seen.add(item.digest)
                yield RawObject("blob", item.read())

    def _release(self, new: NewRelease, standing: list[Release], when: datetime, objects: list[RawObject]) -> Release:
        trees = list(tree_objects({path: (c.mode, c.digest) for path, c in new.files.items()}))
        name = _free_name(new.label or when.strftime("%Y-%m-%d"), {r.name for r in standing if r.theme == new.theme})
        before = [r.commit for r in standing if r.theme == new.theme][-1:]
        commit = commit_object(trees[-1].oid, before, int(when.timestamp()), f"{new.theme} {name}\n\nfrom {new.origin}")
        objects += [*trees, commit]
        return Release(
            new.theme, new.label, name, new.identity, trees[-1].oid, commit.oid, when.isoformat(), new.origin
        )

    def _text_commit(self, texts: list[Content], command: str, when: datetime, objects: list[RawObject]) -> str:
        trees = list(tree_objects({text.digest: (0o100644, text.digest) for text in texts}))
        before = list(self.repository.refs(JOURNAL_REF).values())
        commit = commit_object(trees[-1].oid, before, int(when.timestamp()), command)
        objects += [*trees, commit]
        return commit.oid

    def set_journal_ref(self, commit: str) -> None:
        self.repository.set_refs({JOURNAL_REF: commit})

    def align_refs(self) -> None:
        """Make branches and tags say what ``releases.json`` says."""
        wanted: dict[str, str | None] = {}
        for line, chain in (("releases", "refs/heads/"), ("packed", "refs/protypon/packed/")):
            for release in self.releases(line):
                slug = _ref_part(release.theme)
                wanted[chain + slug] = release.commit
                if line == "releases":
                    wanted[f"refs/tags/{slug}/{_ref_part(release.name)}"] = release.commit
        standing: dict[str, str] = {}
        for prefix in ("refs/heads/", "refs/tags/", "refs/protypon/packed/"):
            standing |= self.repository.refs(prefix)
        gone: dict[str, str | None] = dict.fromkeys(set(standing) - set(wanted))
        self.repository.set_refs(gone | {n: t for n, t in wanted.items() if standing.get(n) != t})

    # Journal

    def journal_files(self) -> list[Path]:
        return sorted((self.folder / "journal").glob("*.json"))

    def journal(self) -> list[JournalEntry]:
        """Every command that wrote, oldest first."""
        return [JournalEntry.unpacked(json.loads(path.read_bytes())) for path in self.journal_files()]

    def next_number(self) -> int:
        files = self.journal_files()
        return int(files[-1].stem) + 1 if files else 1


def _row(release: Release) -> dict[str, Any]:
    return {name: getattr(release, name) for name in Release.__slots__}


def _free_name(wanted: str, taken: set[str]) -> str:
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted}+{number}", number + 1
    return name


def _ref_part(text: str) -> str:
    """A text as one part of a ref (git-check-ref-format)."""
    part = re.sub(r"[^A-Za-z0-9._+-]|\.\.", "-", text).strip(".-") or "theme"
    return part[:-5] + "-lock" if part.endswith(".lock") else part
