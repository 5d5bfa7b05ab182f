"""Contents of themes straight from their folders: no bench, no store, nothing kept."""

from __future__ import annotations

from typing import Any

from protypon.core.files.folder import Folder
from protypon.core.languages.code import Code
from protypon.core.languages.facts import FactsCache
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem, Release, Theme
from protypon.core.store.overlay import read_file


class FolderSources:
    """What a world must read, where there is nothing but folders."""

    def __init__(self, cache: FactsCache | None = None) -> None:
        self.cache = cache or FactsCache(None)
        self._folders: dict[str, Folder] = {}
        self.worked_out: dict[tuple[str, ...], Any] = {}

    def read(self, theme: Theme, path: str) -> bytes:
        folder = self._folders.setdefault(theme.folder, Folder(theme.folder))
        return read_file(folder, path)

    def facts(self, theme: Theme, path: str, language: str) -> SourceFacts:
        return self.cache.facts(language, theme.files[path].digest, lambda: self.read(theme, path))

    def code(self, theme: Theme, path: str, language: str) -> Code:
        return self.cache.code(language, theme.files[path].digest, lambda: self.read(theme, path))

    def problems(self, theme: Theme, path: str, name: str) -> list[Problem]:
        return self.cache.problems(name, theme.files[path].digest, path, lambda: self.read(theme, path))

    def names(self, theme: Theme) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for path in sorted(theme.files):
            found.setdefault(path.rpartition("/")[2].casefold(), []).append(path)
        return found

    def blob(self, digest: str) -> bytes | None:
        return None

    def files_of(self, release: Release) -> dict[str, tuple[int, str]]:
        return {}
