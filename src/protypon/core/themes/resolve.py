"""Lineage -> who wins, and the whole ranking; also "without this one". Pure: what sources say comes from a snapshot."""

from __future__ import annotations

import posixpath
from collections import defaultdict
from functools import cached_property

from protypon.core.languages.registry import LANGUAGES, is_coded
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.meanings import part_references
from protypon.core.platform.platform import FileRule, Platform, Register
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.page_kinds import PageKind, by_path
from protypon.core.themes.reach import Reach, walk
from protypon.core.themes.snapshot import Snapshot


class Resolver:
    """Who supplies what in one lineage."""

    def __init__(self, lineage: Lineage, platform: Platform, snapshot: Snapshot, alike: Resolver | None = None) -> None:
        self.lineage, self.platform, self.snapshot = lineage, platform, snapshot
        self._names: dict[str, tuple[str, str, str]] = {}
        self._of_themes: dict[str, tuple[str, ...]] = {}
        self._alike = alike
        """The resolver of a lineage in which the platform comes to the same templates."""

    @cached_property
    def _by_name(self) -> list[dict[str, list[str]]]:
        """For look-up by bare name: name -> paths, theme by theme."""
        tables = []
        for theme in self.lineage.themes:
            table: dict[str, list[str]] = defaultdict(list)
            for path in sorted(theme.files):
                rule = self.platform.rule_of(path)
                if rule is not None and rule.lookup == "name":
                    table[f"{rule.kind}:{self.platform.key(path, rule)}"].append(path)
            tables.append(table)
        return tables

    @cached_property
    def pages_by_path(self) -> dict[str, list[PageKind]]:
        """The kinds of page that ask for each template."""
        return by_path(self.platform, self.lineage.themes)

    def ranking(self, path: str, rule: FileRule) -> list[Supply]:
        """Every file the platform could use for a path, the winner first."""
        if rule.lookup == "path":
            return [Supply(t, path) for t in self.lineage.themes if path in t.files]
        key = f"{rule.kind}:{self.platform.key(path, rule)}"
        return [
            Supply(theme, found)
            for theme, table in zip(self.lineage.themes, self._by_name, strict=True)
            for found in table.get(key, ())
        ]

    def winner(self, path: str, rule: FileRule) -> Supply | None:
        """The file the platform uses for a path."""
        if rule.lookup == "path":
            return next((Supply(theme, path) for theme in self.lineage.themes if path in theme.files), None)
        return next(iter(self.ranking(path, rule)), None)

    def winner_at(self, path: str) -> Supply | None:
        """The winner for a path by the rule that the platform has for it."""
        rule = self.platform.rule_of(path)
        return self.winner(path, rule) if rule is not None else None

    def without(self, theme: Theme, path: str, name: str, rule: FileRule) -> Supply | None:
        """What the platform would use for ``name`` if one theme's file at ``path`` were taken away."""
        others = (s for s in self.ranking(name, rule) if (s.theme.slug, s.path) != (theme.slug, path))
        return next(others, None)

    def root_supplies(self, path: str) -> bool:
        """The platform's own root theme has this file, and it can't be read here."""
        return self.lineage.root is not None and path in self.platform.root_files

    def supply_named(self, name: str, theme: Theme, rule: FileRule) -> Supply | None:
        """The file that a literal template name stands for, written in a file of ``theme``."""
        way, slug, path = self._read_name(name)
        if way == "plain":
            return self.winner(path, rule) or self._in_folder(path, rule, name)
        if way == "parent":
            start = self.lineage.slugs.index(theme.slug) + 1
            later = {t.slug for t in self.lineage.themes[start:]}
            return next((s for s in self.ranking(path, rule) if s.theme.slug in later), None)
        exact = next((s for s in self.ranking(path, rule) if s.theme.slug == slug), None)
        return exact or self.winner(name, rule) or self._in_folder(name, rule, name)

    def _in_folder(self, path: str, rule: FileRule, name: str) -> Supply | None:
        """The file of a name below one of the folders in which the platform may look too."""
        folders = self.platform.templates.folders
        if not folders or self.from_root(name):
            return None
        for theme in self.lineage.themes:
            for folder in self._folders(theme):
                if not ("*" in folders or folder in folders):
                    continue
                found = posixpath.normpath(f"{folder}/{path}")
                if found in theme.files and self.platform.rule_of(found) in (rule, None):
                    return Supply(theme, found)
        return None

    def _folders(self, theme: Theme) -> tuple[str, ...]:
        """Every folder of a theme, outer ones first."""
        if theme.slug not in self._of_themes:
            found = {path[:at] for path in theme.files for at, char in enumerate(path) if char == "/"}
            self._of_themes[theme.slug] = tuple(sorted(found, key=lambda folder: (folder.count("/"), folder)))
        return self._of_themes[theme.slug]

    def _read_name(self, name: str) -> tuple[str, str, str]:
        known = self._names.get(name)
        if known is None:
            known = self._names[name] = self.platform.templates.read(name)
        return known

    def from_root(self, name: str) -> bool:
        """The platform's root theme, which is not here, has what a template name stands for."""
        root, files = self.lineage.root, self.platform.root_files
        way, slug, path = self._read_name(name)
        return root is not None and (path in files or name in files or (way == "exact" and slug == root))

    @cached_property
    def templates(self) -> Reach:
        """Every template that the platform comes to, from its entries through includes, extends and imports."""
        return self._alike.templates if self._alike is not None else walk(self)

    def facts(self, supply: Supply, rule: FileRule) -> SourceFacts:
        """What a file names. Where templates ask for others by calls, the platform file says which calls."""
        found = self.snapshot.facts(supply.theme, supply.path, rule.language)
        if rule.kind != "template" or LANGUAGES[rule.language].extends or not is_coded(rule.language):
            return found
        code = self.snapshot.code(supply.theme, supply.path, rule.language)
        return SourceFacts(part_references(code, self.platform.code), found.blocks, found.mentions)

    def files_registered(self, register: Register) -> list[tuple[str, Theme]]:
        """The files (paths in a theme) that a lineage registers, in order, with the theme whose manifest says so."""
        prefix = register.folder + "/" if register.folder else ""
        lists = [(t, t.values[register.field]) for t in self.lineage.themes if register.field in t.values]
        if register.lists == "replace":
            lists = lists[:1]
        found: dict[str, Theme] = {}
        for theme, names in reversed(lists):
            for name in names:
                found.setdefault(prefix + name, theme)
        return list(found.items())


def relative(path: str, names: tuple[str, ...]) -> str | None:
    """The path in a theme that a relative reference in ``path`` means; None for an address that is not relative.

    Resolution as in RFC 3986, section 5.2, within the theme; a query or fragment is left out.
    """
    if not names:
        return None
    name = names[0].split("?")[0].split("#")[0].strip()
    if not name or name.startswith(("/", "data:", "{")) or ":" in name.split("/")[0]:
        return None
    parts = path.split("/")[:-1]
    for part in name.split("/"):
        if part == "..":
            if not parts:
                return None
            parts.pop()
        elif part not in ("", "."):
            parts.append(part)
    return "/".join(parts)
