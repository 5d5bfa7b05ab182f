"""A snapshot: the texts of themes as they lie there, with planned ones laid over; a value that does not change.

Whoever plans changes makes a theme whose files have other digests, and a snapshot with the texts of those; everything that is
worked out of a world asks its snapshot only. What readers say of a text hangs on its digest and is remembered by it.
"""

from __future__ import annotations

import os
from collections import ChainMap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from protypon.core.files.folder import Folder
from protypon.core.languages.code import Code
from protypon.core.languages.facts import FactsCache
from protypon.core.languages.source import SourceFacts
from protypon.core.model.actions import CheckStore
from protypon.core.model.errors import BadInput
from protypon.core.model.evidence import Comparison
from protypon.core.model.nouns import Content, Problem, Release, Theme
from protypon.core.model.paths import Entry, quote_path
from protypon.core.store.plan_builder import read_file
from protypon.core.themes.bench import Bench
from protypon.core.themes.trace import Trace, TracedFiles, digest_of

FEW = 1000
"""Texts that are laid over together with those before them; more lie in a layer of their own."""


@dataclass
class Memory:
    """What all snapshots of one command share: what was read and worked out, by contents."""

    readers: FactsCache
    bench: Bench | None = None
    trace: Trace = field(default_factory=Trace)
    worked_out: dict[tuple[str, ...], Any] = field(default_factory=dict)
    comparisons: dict[str, Comparison] | None = None
    """By key; None until somebody compares."""
    folders: dict[str, tuple[Folder, str]] = field(default_factory=dict)
    names: dict[tuple[str, bool], tuple[Mapping[str, Entry], dict[str, list[str]]]] = field(default_factory=dict)
    releases: dict[str, dict[str, tuple[int, str]]] = field(default_factory=dict)
    traced: dict[tuple[str, str, frozenset[str]], tuple[Theme, Theme]] = field(default_factory=dict)


class Snapshot:
    """Texts of themes, by theme and path or by digest."""

    def __init__(self, memory: Memory, laid_over: ChainMap[str, Content] | None = None) -> None:
        self.memory = memory
        self._over: ChainMap[str, Content] = laid_over if laid_over is not None else ChainMap()

    @classmethod
    def of_bench(cls, bench: Bench) -> Snapshot:
        """A bench as it is now."""
        return cls(Memory(bench.facts, bench))

    @classmethod
    def of_folders(cls, readers: FactsCache | None = None) -> Snapshot:
        """Folders that are no bench: there is no store."""
        return cls(Memory(readers or FactsCache(None)))

    def with_texts(self, texts: Iterable[Content]) -> Snapshot:
        """The same with other texts laid over."""
        new = {text.digest: text for text in texts}
        top, *below = self._over.maps
        if len(top) < FEW:
            return Snapshot(self.memory, ChainMap({**top, **new}, *below))
        return Snapshot(self.memory, ChainMap(new, top, *below))

    @property
    def trace(self) -> Trace:
        """Which files somebody looks at while something is worked out."""
        return self.memory.trace

    @property
    def worked_out(self) -> dict[tuple[str, ...], Any]:
        """What was worked out of this snapshot already, by what it is about."""
        return self.memory.worked_out

    def with_trace(self, theme: Theme) -> Theme:
        """The same theme, with a note of each of its files that is looked at; one object for all who ask."""
        key = (theme.folder, theme.identity, theme.stored)
        known, made = self.memory.traced.get(key, (None, theme))
        if known is None or known.files is not theme.files:
            made = replace(theme, files=TracedFiles(theme.files, theme.slug, self.trace))
            self.memory.traced[key] = theme, made
        return made

    # Texts

    def read(self, theme: Theme, path: str) -> bytes:
        """The bytes of a file; for a link, its target. Raises BadInput where there is none."""
        self.trace.note(theme.slug, path)
        return self._bytes(theme, path)

    def _bytes(self, theme: Theme, path: str) -> bytes:
        """The bytes of a file, for a reader."""
        digest = digest_of(theme, path) if path in theme.files else ""
        if digest and digest in self._over:
            return self._over[digest].read()
        if path in theme.stored:
            data = self.blob(digest)
            if data is None:
                raise BadInput(f"{quote_path(path)} of {theme.label} is not in the store any more", CheckStore())
            return data
        folder, prefix = self._folder_of(theme)
        return read_file(folder, prefix + path)

    def _folder_of(self, theme: Theme) -> tuple[Folder, str]:
        """The folder that is opened for a theme's files, and what stands before their paths in it: in a bench, the bench."""
        known = self.memory.folders.get(theme.folder)
        if known is None:
            home = self.memory.bench.folder if self.memory.bench is not None else None
            if home is not None and theme.folder.startswith(home.root + os.sep):
                known = home, theme.folder[len(home.root) + 1 :] + "/"
            else:
                known = Folder(theme.folder), ""
            self.memory.folders[theme.folder] = known
        return known

    def blob(self, digest: str) -> bytes | None:
        """A text by its digest: one that is laid over, or one in the store."""
        if digest in self._over:
            return self._over[digest].read()
        return self.memory.bench.store.blob(digest) if self.memory.bench is not None else None

    def files_of(self, release: Release) -> dict[str, tuple[int, str]]:
        """Mode and digest of every file of a kept release."""
        if release.tree not in self.memory.releases:
            bench = self.memory.bench
            self.memory.releases[release.tree] = bench.store.files(release) if bench is not None else {}
        return self.memory.releases[release.tree]

    def names(self, theme: Theme) -> dict[str, list[str]]:
        """A theme's files by bare name, letter case aside."""
        files, names = self.memory.names.get((theme.slug, bool(theme.stored)), (None, {}))
        if files is not theme.files:
            names = {}
            for path in sorted(theme.files):
                names.setdefault(path.rpartition("/")[2].casefold(), []).append(path)
            self.memory.names[theme.slug, bool(theme.stored)] = (theme.files, names)
        return names

    # What readers say

    @property
    def readers(self) -> FactsCache:
        """What readers say of files."""
        return self.memory.readers

    def facts(self, theme: Theme, path: str, name: str) -> SourceFacts:
        """What a file names and declares, in language ``name``."""
        digest = digest_of(theme, path)
        return self.readers.facts_of(name, digest) or self.readers.facts(name, digest, lambda: self._bytes(theme, path))

    def code(self, theme: Theme, path: str, name: str) -> Code:
        """What a file says that it does."""
        self.trace.note_code(theme.slug, path)
        return self.unnoted_code(theme, path, name)

    def unnoted_code(self, theme: Theme, path: str, name: str) -> Code:
        """The same for one who comes to nothing else by it, but only sooner."""
        return self.readers.code(name, digest_of(theme, path), lambda: self._bytes(theme, path))

    def problems(self, theme: Theme, path: str, name: str) -> list[Problem]:
        """Where a file does not parse."""
        return self.readers.problems(name, digest_of(theme, path), path, lambda: self._bytes(theme, path))

    def save(self) -> None:
        """Write what was learnt; a bench that can't be written is only slower next time."""
        self.readers.save()
