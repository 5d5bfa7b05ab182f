"""What a bench remembers: kept releases, texts that ledgers name, and the journal. Lies in ``.protypon/``.

``store/`` is a bare Git repository that plain Git reads: branch THEME is the chain of its kept releases, tag
THEME/RELEASE one of them, ``refs/protypon/packed/THEME`` what was packed, ``refs/protypon/journal`` every former
content. ``releases.json`` and ``journal/`` say the same in plain files, and they are what counts: refs are made from them,
so that one that can't be written costs nothing.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.files.folder import Folder
from protypon.core.files.notes import note
from protypon.core.model.actions import CheckStore, RepairStore
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.limits import CONFIG_BYTES, STATE_BYTES
from protypon.core.model.nouns import Content, NewRelease, Release
from protypon.core.model.paths import FOLDER, quote_path, unquote_path
from protypon.core.store.packs import RawObject, commit_object, tree_objects

if TYPE_CHECKING:
    from protypon.core.store.git import Repository

HIDDEN = ".protypon"
"""The folder of a bench that is Protypon's own."""
RELEASES = "protypon.releases/1"
JOURNAL = "protypon.journal/2"
JOURNAL_REF = "refs/protypon/journal"
LINES = ("releases", "packed")
_OID = re.compile(r"[0-9a-f]{40}")


class FileState(NamedTuple):
    """What stands at a path: Git's mode, the digest, and the permission bits where they are known."""

    mode: int
    digest: str
    rights: int | None = None


Folders = tuple[tuple[str, int | None], ...]


class Move(NamedTuple):
    """What becomes of one path: what stood there, and what is to stand there; None where nothing."""

    path: str
    before: FileState | None
    after: FileState | None


@dataclass(frozen=True, slots=True)
class JournalEntry:
    """One command that wrote: every path with what stood there and what stands there now."""

    number: int
    command: str
    time: str
    changes: tuple[Move, ...]
    made: Folders = ()
    """Folders that were made, outer ones first, with the permission bits that they had before; None for new ones."""
    gone: tuple[tuple[str, int], ...] = ()
    """Folders that were taken away, inner ones first."""
    undoes: tuple[int, ...] = ()
    """The steps that it takes back, where it is an undo."""
    commit: str = ""
    """The commit that keeps the former contents."""

    def to_bytes(self) -> bytes:
        """The row as the bytes of its file."""
        table = {
            "format": JOURNAL,
            "number": self.number,
            "command": self.command,
            "time": self.time,
            "undoes": list(self.undoes) or None,
            "commit": self.commit,
            "made": [[quote_path(path), rights] for path, rights in self.made],
            "gone": [[quote_path(path), rights] for path, rights in self.gone],
            "changes": [[quote_path(m.path), m.before, m.after] for m in self.changes],
        }
        return (json.dumps(table, indent=1) + "\n").encode()

    @classmethod
    def from_row(cls, data: Mapping[str, Any]) -> JournalEntry:
        """Read a row; raises ValueError, TypeError or KeyError for what is none."""
        return cls(
            int(data["number"]),
            str(data["command"]),
            str(data["time"]),
            tuple(Move(unquote_path(p), _state(b), _state(a)) for p, b, a in data["changes"]),
            tuple((unquote_path(p), None if r is None else int(r) & 0o7777) for p, r in data.get("made", ())),
            tuple((unquote_path(p), int(r) & 0o7777) for p, r in data.get("gone", ()))
            + tuple((unquote_path(p), 0o755) for p in data.get("emptied", ())),
            _numbers(data["undoes"]),
            str(data.get("commit", "")),
        )


def _numbers(found: Any) -> tuple[int, ...]:
    """None, one number (as rows once had it), or several."""
    if found is None:
        return ()
    return tuple(int(number) for number in found) if isinstance(found, list) else (int(found),)


def _state(found: Any) -> FileState | None:
    if found is None:
        return None
    mode, digest, *rights = found
    return FileState(int(mode), str(digest), int(rights[0]) & 0o7777 if rights and rights[0] is not None else None)


def now() -> datetime:
    """The time in UTC, to the second."""
    return datetime.now(UTC).replace(microsecond=0)


class Store:
    """The store of one bench, given the bench's folder."""

    def __init__(self, bench: Folder) -> None:
        self.bench = bench

    @cached_property
    def repository(self) -> Repository:
        """The Git side; opening it is dear, so it is opened when something is read or written there."""
        from protypon.core.store.git import Repository

        self._prove()
        return Repository(self.bench, f"{HIDDEN}/store")

    def _prove(self) -> None:
        """Raise BadInput where the Git side holds what libgit2 would follow out of it, or wait at for ever."""
        rel = f"{HIDDEN}/store"
        self.bench.prove_plain(rel)
        if self.bench.is_file(f"{rel}/objects/info/alternates"):
            raise BadInput(
                f"{rel}/objects/info/alternates: names objects outside of this bench, which are not read",
                ("take that file away, then: ", CheckStore()),
            )
        config = f"{rel}/config"
        if self.bench.is_file(config) and b"include" in self.bench.read(config, CONFIG_BYTES).lower():
            raise BadInput(
                f"{config}: asks for another file to be included, which is not read",
                ("take that line out, then: ", CheckStore()),
            )

    @property
    def begun(self) -> bool:
        """Whether there is a Git side at all."""
        return "repository" in self.__dict__ or self.bench.is_file(f"{HIDDEN}/store/HEAD")

    # Releases

    def releases(self, line: str = "releases") -> tuple[Release, ...]:
        """Every kept (or packed) release, in the order of keeping. Raises BadInput where the list is damaged."""
        return self._lists[line]

    @property
    def _lists(self) -> dict[str, tuple[Release, ...]]:
        name = f"{HIDDEN}/releases.json"
        try:
            data = json.loads(self.bench.read(name, STATE_BYTES))
            return {line: tuple(_release(row) for row in data[line]) for line in LINES}
        except FileNotFoundError:
            return dict.fromkeys(LINES, ())
        except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
            raise BadInput(
                f"{name}: damaged: {_why(error)}; the themes themselves are as they were",
                ("make it anew from the store with: ", RepairStore()),
            ) from error

    def files(self, release: Release) -> dict[str, tuple[int, str]]:
        """The files of a kept release: path -> (mode, digest)."""
        return self.repository.files(release.tree) if self.begun else {}

    def blob(self, digest: str) -> bytes | None:
        """The bytes of a text by digest, or None where the store does not have them."""
        return self.repository.read(digest) if self.begun else None

    def has(self, digest: str) -> bool:
        """Whether a text is in the store."""
        return self.begun and self.repository.has(digest)

    def prepare(self, keep: Iterable[NewRelease], texts: Iterable[Content], command: str) -> tuple[bytes, str]:
        """Write every object that a plan needs; nothing refers to them yet.

        Returns the new bytes of ``releases.json`` and the commit that keeps the texts alive.
        """
        lists = {line: list(rows) for line, rows in self._lists.items()}
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
            again = [n for n, r in enumerate(standing) if _same_edit(r, new)]
            for number in [*again, *nameless][:1]:
                standing[number] = made
            if not again and not nameless:
                standing.append(made)
        journal = self._text_commit(texts, command, when, objects)
        self.repository.write(objects)
        return list_bytes(lists), journal

    def _new_blobs(self, contents: Iterable[Content]) -> Iterator[RawObject]:
        here = self.repository.all()
        for item in contents:
            if item.digest not in here:
                here.add(item.digest)
                made = RawObject("blob", item.read())
                if made.oid != item.digest:
                    raise ProtyponError(
                        f"{quote_path(item.path)}: changed while the command ran; nothing was written",
                        "type the same again",
                    )
                yield made

    def _release(self, new: NewRelease, standing: list[Release], when: datetime, objects: list[RawObject]) -> Release:
        trees = list(tree_objects({path: (c.mode, c.digest) for path, c in new.files.items()}))
        again = next((r.name for r in standing if _same_edit(r, new)), None)
        wanted = f"{new.edited_from} edited" if new.edited_from else (new.label or when.strftime("%Y-%m-%d"))
        name = again or _free_name(wanted, {r.name for r in standing if r.theme == new.theme})
        before = [r.commit for r in standing if r.theme == new.theme][-1:]
        about = {"label": new.label, "edited-from": new.edited_from, "why": new.why or None, "line": new.line}
        told = "".join(f"\n{key}: {' '.join(str(text).split())}" for key, text in about.items() if text is not None)
        message = f"{new.theme} {name}\n\nfrom {new.origin}\n{told}"
        commit = commit_object(trees[-1].oid, before, int(when.timestamp()), message)
        objects += [*trees, commit]
        tree = trees[-1].oid
        return Release(
            new.theme, new.label, name, new.identity, tree, commit.oid, when.isoformat(), new.origin, new.edited_from, new.why
        )  # fmt: skip

    def _text_commit(self, texts: list[Content], command: str, when: datetime, objects: list[RawObject]) -> str:
        trees = list(tree_objects({text.digest: (0o100644, text.digest) for text in texts}))
        before = [oid for oid in self.repository.refs(JOURNAL_REF).values() if self.repository.has(oid)]
        commit = commit_object(trees[-1].oid, before, int(when.timestamp()), command)
        objects += [*trees, commit]
        return commit.oid

    # Refs

    def wanted_refs(self) -> dict[str, str]:
        """What branches, tags and the journal's ref should be, by ``releases.json`` and the journal."""
        wanted: dict[str, str] = {}
        for line, chain in (("releases", "refs/heads/"), ("packed", "refs/protypon/packed/")):
            for release in self.releases(line):
                slug = _ref_part(release.theme)
                wanted[chain + slug] = release.commit
                if line == "releases":
                    wanted[f"refs/tags/{slug}/{_ref_part(release.name)}"] = release.commit
        numbers = self.journal_numbers()
        commit = self.journal_entry(numbers[-1]).commit if numbers else ""
        return wanted | ({JOURNAL_REF: commit} if commit else {})

    def align_refs(self) -> list[str]:
        """Make refs what they should be; returns those that could not be set, which costs nothing but that Git does not see them."""
        try:
            wanted = self.wanted_refs()
            standing: dict[str, str] = {}
            for prefix in ("refs/heads/", "refs/tags/", "refs/protypon/"):
                standing |= self.repository.refs(prefix)
            gone: dict[str, str | None] = dict.fromkeys(set(standing) - set(wanted) - {JOURNAL_REF})
            return self.repository.set_refs(gone | {n: t for n, t in wanted.items() if standing.get(n) != t})
        except (OSError, ProtyponError) as error:
            note("store", "refs were not aligned: %s", error)
            return ["refs"]

    # Journal

    def journal_path(self, number: int) -> str:
        """Where the row of a step stands."""
        return f"{HIDDEN}/journal/{number:06d}.json"

    def make_journal_folder(self) -> None:
        """Make the folder of the journal, if it is not there."""
        self.bench.make(f"{HIDDEN}/journal")

    def put_journal(self, entry: JournalEntry) -> None:
        """Enter a row whose prepared file is not there any more."""
        self.make_journal_folder()
        self.bench.put(self.journal_path(entry.number), entry.to_bytes(), sync=True)

    def journal_numbers(self) -> list[int]:
        """The numbers of all steps, the first one first."""
        names = self.bench.names(f"{HIDDEN}/journal")
        return sorted(int(name[:-5]) for name in names if re.fullmatch(r"[0-9]{6,9}\.json", name))

    def journal_entry(self, number: int) -> JournalEntry:
        """One row. Raises BadInput where it is damaged."""
        path = self.journal_path(number)
        try:
            return JournalEntry.from_row(json.loads(self.bench.read(path, STATE_BYTES)))
        except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
            raise BadInput(
                f"{path}: damaged: {_why(error)}; this step can't be taken back, all else works",
                ("set it aside with: ", RepairStore()),
            ) from error

    def journal(self) -> list[JournalEntry]:
        """Every command that wrote, oldest first. Raises BadInput for a row that is damaged."""
        return [self.journal_entry(number) for number in self.journal_numbers()]

    def next_number(self) -> int:
        """The number that the next step gets."""
        return max(self.journal_numbers(), default=0) + 1


def _why(error: Exception) -> str:
    """An error of a reader in a few words."""
    if isinstance(error, KeyError):
        return f"{error.args[0]!r} is not there"
    return (" ".join(str(error).split()) or type(error).__name__)[:120]


def _release(row: Mapping[str, Any]) -> Release:
    """A row of the list. Raises ValueError where it says what can't be."""
    made = Release(**row)
    texts = (made.theme, made.name, made.identity, made.tree, made.commit, made.kept, made.origin, made.why)
    if not all(isinstance(text, str) for text in texts) or not all(map(_OID.fullmatch, (made.tree, made.commit))):
        raise ValueError(f"the row of {made.theme!r} {made.name!r} is none")
    if not all(text is None or isinstance(text, str) for text in (made.label, made.edited_from)):
        raise ValueError(f"the row of {made.theme!r} {made.name!r} is none")
    return made


def list_bytes(lists: Mapping[str, Iterable[Release]]) -> bytes:
    """``releases.json`` as bytes."""
    body = {"format": RELEASES, **{line: [_row(r) for r in lists[line]] for line in LINES}}
    return (json.dumps(body, indent=1) + "\n").encode()


def _row(release: Release) -> dict[str, Any]:
    """A release as a row; what says nothing is left out."""
    row = {field.name: getattr(release, field.name) for field in fields(release)}
    return {name: value for name, value in row.items() if name not in ("edited_from", "why") or value}


def _same_edit(release: Release, new: NewRelease) -> bool:
    """The same edited state, kept again: it is settled, or gets another reason."""
    return bool(new.edited_from and release.edited_from) and (release.theme, release.identity) == (
        new.theme,
        new.identity,
    )


def _free_name(wanted: str, taken: set[str]) -> str:
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted}+{number}", number + 1
    return name


def _ref_part(text: str) -> str:
    """A text as one part of a ref (git-check-ref-format)."""
    part = re.sub(r"[^A-Za-z0-9._+-]|\.\.", "-", text).strip(".-")[:100] or "theme"
    return part[:-5] + "-lock" if part.endswith(".lock") else part
