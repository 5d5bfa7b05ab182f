"""Contents for the pure parts: files as planned, texts by digest, facts from the cache, comparisons in one go."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

from protypon.core.languages.code import Code
from protypon.core.languages.facts import FactsCache
from protypon.core.languages.registry import LANGUAGES, is_coded, is_written, language
from protypon.core.languages.source import SourceFacts
from protypon.core.languages.writers import writer
from protypon.core.merge import three_way as merge
from protypon.core.model.actions import CheckStore
from protypon.core.model.errors import BadInput
from protypon.core.model.evidence import Comparison, Place
from protypon.core.model.nouns import Problem, Release, Theme
from protypon.core.model.paths import Entry, quote_path
from protypon.core.store.overlay import Overlay
from protypon.core.themes.bench import Bench
from protypon.core.themes.folder_sources import FolderSources
from protypon.core.themes.trace import Trace, TracedFiles, digest_of

VERSION = "comparison/2"
MOST_EDITED = 50
"""Files of a theme, of which so many are looked at to tell whether two states of it read alike."""
MOST = 50_000
"""Comparisons that are kept; the oldest go."""


@dataclass(frozen=True, slots=True)
class Three:
    """What is to be compared: digests with a way to read each, and the language."""

    base: str
    ours: str
    theirs: str
    own: tuple[Theme, str] | bytes
    """Theme and path of O, or its text."""
    other: tuple[Theme, str] | bytes
    """Theme and path of T, or its text."""
    language: str

    @property
    def key(self) -> str:
        return f"{self.base}:{self.ours}:{self.theirs}:{self.language}"


class Alike(NamedTuple):
    """What two states of a theme have in common, as readers see it."""

    reach: bool
    """The same paths and manifests, and their templates name the same."""
    code: bool
    """All code does the same besides."""


class BenchSources:
    """Contents of a bench with an overlay on top."""

    def __init__(self, bench: Bench, overlay: Overlay | None = None) -> None:
        self.bench = bench
        self.overlay = overlay or Overlay(bench.folder)
        self._elsewhere = FolderSources(bench.facts)
        self._fresh: dict[str, bytes] = {}
        self._names: dict[tuple[str, bool], tuple[Mapping[str, Entry], dict[str, list[str]]]] = {}
        self._alike: list[tuple[Mapping[str, Entry], Mapping[str, Entry], Alike]] = []
        self._files: dict[str, dict[str, tuple[int, str]]] = {}
        self.worked_out: dict[tuple[str, ...], Any] = {}
        self.trace = Trace()
        self._traced: dict[tuple[str, str, frozenset[str]], tuple[Theme, Theme]] = {}

    def traced(self, theme: Theme) -> Theme:
        """The same theme, with a note of each of its files that is looked at; one object for all who ask."""
        key = (theme.folder, theme.identity, theme.stored)
        known, made = self._traced.get(key, (None, theme))
        if known is None or known.files is not theme.files:
            made = replace(theme, files=TracedFiles(theme.files, theme.slug, self.trace))
            self._traced[key] = theme, made
        return made

    @property
    def cache(self) -> FactsCache:
        return self.bench.facts

    def read(self, theme: Theme, path: str) -> bytes:
        self.trace.texts.add((theme.slug, path))
        return self._bytes(theme, path)

    def _bytes(self, theme: Theme, path: str) -> bytes:
        """The bytes of a file, for a reader."""
        if path in theme.stored:
            data = self.blob(digest_of(theme, path))
            if data is None:
                raise BadInput(f"{quote_path(path)} of {theme.label} is not in the store any more", CheckStore())
            return data
        inside = theme.folder.startswith(self.overlay.folder.root + os.sep)
        return self.overlay.read(f"{theme.folder}/{path}") if inside else self._elsewhere.read(theme, path)

    def facts(self, theme: Theme, path: str, name: str) -> SourceFacts:
        digest = digest_of(theme, path)
        return self.bench.facts.known(name, digest) or self.bench.facts.facts(
            name, digest, lambda: self._bytes(theme, path)
        )

    def code(self, theme: Theme, path: str, name: str) -> Code:
        return self.bench.facts.code(name, digest_of(theme, path), lambda: self._bytes(theme, path))

    def problems(self, theme: Theme, path: str, name: str) -> list[Problem]:
        return self.bench.facts.problems(name, digest_of(theme, path), path, lambda: self._bytes(theme, path))

    def alike(self, theme: Theme, other: Theme) -> Alike:
        """How much readers say the same of two states of a theme; asked once for all children."""
        if theme.files is other.files:
            return Alike(True, True)
        for one, two, found in self._alike:
            if one is theme.files and two is other.files:
                return found
        self._alike.append((theme.files, other.files, self._compare_states(theme, other)))
        return self._alike[-1][-1]

    def _compare_states(self, theme: Theme, other: Theme) -> Alike:
        if theme.files.keys() != other.files.keys() or theme.values != other.values or theme.problems != other.problems:
            return Alike(False, False)
        changed = [path for path in theme.files if digest_of(theme, path) != digest_of(other, path)]
        rules = [(p, r) for p in changed if (r := self.bench.platform.rule_of(p)) is not None]
        if len(rules) > MOST_EDITED:
            return Alike(False, False)
        names = all(self.facts(theme, p, r.language) == self.facts(other, p, r.language) for p, r in rules)
        coded = [(p, r.language) for p, r in rules if is_coded(r.language)]
        differing = [name for p, name in coded if self.code(theme, p, name) != self.code(other, p, name)]
        return Alike(names and all(LANGUAGES[name].extends for name in differing), names and not differing)

    def names(self, theme: Theme) -> dict[str, list[str]]:
        """A theme's files by bare name, letter case aside."""
        files, names = self._names.get((theme.slug, bool(theme.stored)), (None, {}))
        if files is not theme.files:
            names = {}
            for path in sorted(theme.files):
                names.setdefault(path.rpartition("/")[2].casefold(), []).append(path)
            self._names[theme.slug, bool(theme.stored)] = (theme.files, names)
        return names

    def remember(self, digest: str, data: bytes) -> None:
        """A text that the same plan will put into the store."""
        self._fresh[digest] = data

    def blob(self, digest: str) -> bytes | None:
        return self._fresh[digest] if digest in self._fresh else self.bench.store.blob(digest)

    def files_of(self, release: Release) -> dict[str, tuple[int, str]]:
        if release.tree not in self._files:
            self._files[release.tree] = self.bench.store.files(release)
        return self._files[release.tree]

    # Comparisons

    @cached_property
    def _known(self) -> dict[str, Comparison]:
        found: dict[str, Comparison] = {}
        for key, data in self.bench.cache.load_all(VERSION).items():
            with suppress(ValueError, TypeError, RecursionError):
                found[key] = _unpacked(json.loads(data))
        return found

    def compare(self, wanted: Iterable[Three]) -> dict[str, Comparison]:
        """Compare many at once; what was compared before is remembered by content."""
        wanted = list(wanted)
        fresh = [w for w in wanted if w.key not in self._known]
        if fresh:
            self._compare(fresh)
        return {w.key: self._known[w.key] for w in wanted if w.key in self._known}

    def merged(self, wanted: Sequence[Three]) -> dict[str, tuple[merge.Triple, merge.Merged]]:
        """Merge many at once: the three texts and the result, by key. Those whose base is not in the store are left out.

        A result that does not parse, though both sides did, counts as not merged.
        """
        from protypon.core.store.git import merge_files

        texts = {w.key: (w, t) for w in wanted if (t := self._texts(w)) is not None}
        results = merge.merge_all([t for _, t in texts.values()], merge_files) if texts else []
        return {
            key: (triple, _checked(three, triple, _by_units(three, triple, merged)))
            for (key, (three, triple)), merged in zip(texts.items(), results, strict=True)
        }

    def _texts(self, three: Three) -> merge.Triple | None:
        base = self.blob(three.base)
        if base is None:
            return None
        own, other = (place if isinstance(place, bytes) else self.read(*place) for place in (three.own, three.other))
        return base, own, other

    def _compare(self, wanted: Sequence[Three]) -> None:
        from protypon.core.store.git import hunks

        languages = {w.key: w.language for w in wanted}
        rows: dict[str, bytes] = {}
        for key, ((base, ours, theirs), merged) in self.merged(wanted).items():
            clean = merged.text is not None
            row = [
                "clean" if clean else "conflict",
                _same_but_layout(base, theirs, languages[key]),
                merge.changed_lines(base, theirs, hunks),
                merge.changed_lines(base, ours, hunks),
                [] if clean else [[p.ours, p.theirs] for p in merge.conflict_places(base, ours, theirs, hunks)],
            ]
            self._known[key] = _unpacked(row)
            rows[key] = json.dumps(row, separators=(",", ":")).encode()
        self.bench.cache.save(VERSION, rows)
        self.bench.cache.keep_newest(VERSION, MOST)

    def save(self) -> None:
        """Write what was learnt; a bench that can't be written is only slower next time."""
        self.bench.facts.save()


def _by_units(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    """Code files are merged by their units where lines alone would not do."""
    base, ours, theirs = triple
    if not is_written(three.language) or ours in (base, theirs) or base == theirs or merge.is_binary(ours):
        return merged
    from protypon.core.merge import by_unit as unit_merge
    from protypon.core.store.git import merge_files

    name = three.language
    return unit_merge.merge(triple, merged, writer(name).split, lambda data: _parses(data, name), merge_files)


def _checked(three: Three, triple: merge.Triple, merged: merge.Merged) -> merge.Merged:
    _, ours, theirs = triple
    if merged.text is None or merged.text in (ours, theirs) or not LANGUAGES[three.language].must_parse:
        return merged
    if _parses(merged.text, three.language) or not (_parses(ours, three.language) and _parses(theirs, three.language)):
        return merged
    return merge.Merged(None, merged.text)


def _parses(data: bytes, name: str) -> bool:
    return not language(name).problems(data.decode("utf-8-sig", "replace"), "")


def _same_but_layout(before: bytes, after: bytes, name: str) -> bool:
    if merge.is_binary(before) or merge.is_binary(after):
        return False
    try:
        texts = [data.decode("utf-8-sig") for data in (before, after)]
    except UnicodeDecodeError:
        return False
    module = language(name)
    return module.significant(texts[0]) == module.significant(texts[1])


def _unpacked(row: list[Any]) -> Comparison:
    merged, layout_only, parent, own, places = row
    return Comparison(
        merged,
        layout_only,
        tuple((a, b) for a, b in parent),
        tuple((a, b) for a, b in own),
        tuple(Place(tuple(o), tuple(t)) for o, t in places),
    )
