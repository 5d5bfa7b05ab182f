"""The nouns: plain records that every other module passes around."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Protocol

from protypon.core.model.actions import Action
from protypon.core.model.errors import UnknownName
from protypon.core.model.paths import LINK, Entry, quote_path, unquote_path


@dataclass(frozen=True, slots=True, order=True)
class Unit:
    """One thing a theme supplies and a child may override: ``KIND:PATH`` or ``KIND:PATH#NAME``."""

    kind: str
    path: str
    name: str | None = None

    @property
    def address(self) -> str:
        """As it is typed and written everywhere.

        >>> Unit("block", "pages/base.html", "title").address
        'block:pages/base.html#title'
        """
        tail = "" if self.name is None else "#" + self.name
        return f"{self.kind}:{quote_path(self.path)}{tail}"

    @classmethod
    def parse(cls, address: str) -> Unit:
        """Read an address.

        >>> Unit.parse("template:parts/footer.html")
        Unit(kind='template', path='parts/footer.html', name=None)
        """
        kind, colon, rest = address.partition(":")
        path, hash_sign, name = rest.partition("#")
        if not colon or not kind or not path or (hash_sign and not name):
            raise UnknownName(f"{address!r} is not an address", "write KIND:PATH, as in template:parts/footer.html")
        return cls(kind, unquote_path(path), name if hash_sign else None)


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong in a file: where, and what."""

    file: str
    message: str
    line: int | None = None
    column: int | None = None
    code: str = ""
    """What kind of thing, where somebody asks."""

    @property
    def where(self) -> str:
        """File, line and column, as far as they are known.

        >>> Problem("code/a.py", "", 3, 7).where
        'code/a.py line 3 column 7'
        """
        place = quote_path(self.file)
        if self.line is not None:
            place += f" line {self.line}"
            if self.column is not None:
                place += f" column {self.column}"
        return place

    def __str__(self) -> str:
        return f"{self.where}: {self.message}"


@dataclass(frozen=True, slots=True)
class Theme:
    """One theme: where it lies, what its manifest says, which files it has."""

    slug: str
    folder: str
    """Path of the theme's folder, absolute."""
    files: Mapping[str, Entry]
    """The theme's own files by path relative to ``folder``; junk left out."""
    values: Mapping[str, Any]
    """What the manifest says, by the meanings of the platform file."""
    manifest: str = ""
    title: str = ""
    release: str | None = None
    parents: tuple[str, ...] = ()
    identity: str = ""
    """Digest of the theme's own files, without junk and ledger."""
    found: str = ""
    """Digest of everything in the folder."""
    maintained: bool = False
    """Has a ledger: the maintainer's own."""
    depth: int = 0
    problems: tuple[Problem, ...] = ()
    stored: frozenset[str] = frozenset()
    """Files whose bytes are in the store and not in the folder: of a theme as it was before it was edited in place."""

    @property
    def label(self) -> str:
        """Slug and release, as people say it.

        >>> Theme("gull", "", {}, {}, release="1.2").label
        'gull 1.2'
        """
        return f"{self.slug} {self.release}" if self.release else self.slug


@dataclass(frozen=True, slots=True)
class Lineage:
    """Child first, then parent after parent to the root."""

    themes: tuple[Theme, ...]
    missing: str | None = None
    """A parent that is named and not there."""
    loop: tuple[str, ...] = ()
    broken: str | None = None
    """A theme whose manifest can't be read, so that its parent is not known."""
    root: str | None = None
    """The platform's own root theme, where the lineage ends in it and it is not here as a folder."""

    @property
    def child(self) -> Theme:
        """The theme that the lineage begins with."""
        return self.themes[0]

    @property
    def cut(self) -> str:
        """Why the lineage ends early; empty where it does not."""
        if self.loop:
            return f"the lineage runs in a circle: {' -> '.join(self.loop)}"
        if self.broken:
            return f"the manifest of {self.broken} is broken"
        return f"the parent {self.missing!r} is not here" if self.missing else ""

    @property
    def slugs(self) -> tuple[str, ...]:
        """The slugs of its themes, the child's first."""
        return tuple(t.slug for t in self.themes)


@dataclass(frozen=True, slots=True)
class Release:
    """One kept state of a theme."""

    theme: str
    label: str | None
    name: str
    """Unique among the releases of a theme: the label, or the label with ``+2`` for other contents."""
    identity: str
    tree: str
    commit: str
    kept: str
    """Time, ISO 8601, UTC."""
    origin: str
    """Where it was read from, for people."""
    edited_from: str | None = None
    """The name of the release that this is an edited state of; None: a release as its maker made it."""
    why: str = ""
    """Why that edited state was settled; empty while it was not."""


@dataclass(frozen=True, slots=True)
class Written:
    """What an override of a unit inside code put into the child, so that it can be found, judged and taken out again."""

    file: str = ""
    """The child's file."""
    called: str = ""
    """What the child's function is called, where that is another name."""
    order: int | None = None
    """The number that the parent's callback had."""
    to: int | None = None
    """The number that it has now, or that the child's own callback has."""
    value: Any = None
    at: tuple[str, ...] = ()
    """Points from which the parent's function was taken, each with its number: ``POINT NUMBER``."""
    part_of: str = ""
    """The unit for whose sake it was written too."""
    brought: tuple[str, ...] = ()
    """What else came into the file with it: ``file`` (it is new), a line at its top, or (after ``broken:``) a line that was broken in two."""
    variant_of: str = ""
    """Of a template for one kind of page only, the broader one that it was made of."""


@dataclass(frozen=True, slots=True)
class Record:
    """One line of the ledger: what was taken, from where, and why."""

    unit: Unit
    how: str
    source: str
    """The ancestor it was taken from."""
    release: str | None
    digest: str
    """Git blob id of the ancestor's text when it was taken (B)."""
    why: str = ""
    pinned: bool = False
    """Taken with ``--from``: always compared with this ancestor."""
    sure: str = ""
    """How sure an adopted record is; empty for one that was taken by a command."""
    written: Written = Written()
    alone_since: str = ""
    """The release that had it no more when the maintainer said that the override stands alone; empty where that was not said."""

    def held_against(self, source: str, release: str | None, digest: str) -> Record:
        """The same override, compared from now on with another text of an ancestor, by its digest."""
        return replace(self, source=source, release=release, digest=digest, alone_since="")


@dataclass(frozen=True, slots=True)
class Finding:
    """What a check says of anything that is not one override."""

    code: str
    weight: str
    theme: str
    file: str
    because: str
    next: Action | None = None
    line: int | None = None
    about: Unit | None = None
    """The one unit that it is about, where there is one."""


class Readable(Protocol):
    """A folder whose files can be read, and its links."""

    def read(self, rel: str) -> bytes:
        """The bytes of a file. Raises OSError or BadInput where there is none to be read."""

    def target(self, rel: str) -> bytes:
        """What a link points to."""


@dataclass(frozen=True, slots=True)
class Content:
    """Bytes to be written: in memory, or lying in a folder where they will not change meanwhile."""

    digest: str
    mode: int
    data: bytes | None = None
    folder: Readable | None = None
    path: str = ""
    """Where the bytes lie in ``folder``."""
    rights: int | None = None
    """The permission bits wanted; None: those of what stood there, or what the umask leaves."""

    def read(self) -> bytes:
        """The bytes; for a link, where it points."""
        if self.data is not None:
            return self.data
        assert self.folder is not None
        return self.folder.target(self.path) if self.mode == LINK else self.folder.read(self.path)


@dataclass(frozen=True, slots=True)
class Change:
    """What becomes of one path of the bench."""

    path: str
    """Relative to the bench."""
    before: Entry | None
    """What must still be there when the plan is carried out."""
    after: Content | None
    """None: the path is taken away. A FOLDER mode: an empty folder."""


@dataclass(frozen=True, slots=True)
class NewRelease:
    """A theme state that a plan keeps."""

    theme: str
    label: str | None
    identity: str
    origin: str
    files: Mapping[str, Content]
    line: str = "releases"
    """``releases`` or ``packed``."""
    edited_from: str | None = None
    why: str = ""


@dataclass(frozen=True, slots=True)
class Plan:
    """Pure data: what a command would do."""

    command: str
    changes: tuple[Change, ...] = ()
    keep: tuple[NewRelease, ...] = ()
    blobs: tuple[Content, ...] = ()
    """Texts the ledger will refer to."""
    undoes: tuple[int, ...] = ()
    """The numbers of the journal entries that this takes back."""
    made: tuple[tuple[str, int | None], ...] = ()
    """Folders to be made, outer ones first, with their permission bits (None: what the umask leaves); those that new files need besides are made anyway."""
    gone: tuple[str, ...] = ()
    """Folders to be taken away if they are empty then, inner ones first."""

    @property
    def empty(self) -> bool:
        """Whether nothing would change on the disk."""
        return not (self.changes or self.keep or self.made or self.gone)
