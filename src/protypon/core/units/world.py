"""One child and all that bears on it, as a check sees it: the input of every kind of unit."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.model.nouns import Content, Lineage, Record, Release, Theme, Unit
from protypon.core.platform.platform import Platform
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import Resolver, relative
from protypon.core.themes.snapshot import Snapshot


@dataclass(frozen=True)
class World:
    """A child with its lineage, ledger and releases."""

    platform: Platform
    lineage: Lineage
    records: Mapping[Unit, Record]
    releases: tuple[Release, ...]
    snapshot: Snapshot
    unplaced: tuple[Theme, ...] = ()
    """Releases that are only looked at: they stand nowhere in the bench."""
    edits: tuple[Release, ...] = ()
    """Kept states of themes that were edited in their own folder."""
    alike: World | None = field(default=None, compare=False, repr=False)
    """A world in which the platform comes to the same templates."""
    runs_alike: bool = False
    """All code of it does the same besides."""

    @property
    def child(self) -> Theme:
        """The child that is looked at."""
        return self.lineage.child

    @cached_property
    def memo(self) -> dict[Any, Any]:
        """What a kind of unit works out once for all overrides of this world."""
        return {}

    @cached_property
    def resolver(self) -> Resolver:
        """Which file wins in the lineage."""
        return Resolver(self.lineage, self.platform, self.snapshot, self.alike.resolver if self.alike else None)

    @cached_property
    def behaviour(self) -> Behaviour:
        """What the lineage's code and templates come to."""
        like = self.alike.behaviour if self.alike and self.runs_alike else None
        return Behaviour(self.lineage, self.platform, self.resolver, self.snapshot, like)

    def with_records(self, records: Mapping[Unit, Record]) -> World:
        """The same with another ledger: what the code comes to does not hang on it."""
        made = replace(self, records=records)
        made.__dict__["behaviour"] = self.behaviour
        made.__dict__["resolver"] = self.resolver
        return made

    def with_texts(self, texts: Iterable[Content]) -> World:
        """The same with more texts that records name: what the code comes to does not hang on those."""
        made = replace(self, snapshot=self.snapshot.with_texts(texts))
        made.__dict__.update({name: self.__dict__[name] for name in ("behaviour", "resolver") if name in self.__dict__})
        return made

    @cached_property
    def ancestors(self) -> tuple[Theme, ...]:
        """The parents, nearest first."""
        return self.lineage.themes[1:]

    @cached_property
    def beside(self) -> dict[str, Location]:
        """The files that the child's sheets and scripts ask for by a relative address, where only the own theme is looked in."""
        found: dict[str, Location] = {}
        if self.platform.served == "lineage":
            return found
        for path in sorted(self.child.files):
            rule = self.platform.rule_of(path)
            if rule is not None and rule.kind in ("style", "script"):
                references = self.snapshot.facts(self.child, path, rule.language).references
                for names, line in {r.names: r.line for r in reversed(references)}.items():
                    target = relative(path, names)
                    if target is not None and target in self.child.files:
                        found.setdefault(target, Location(self.child.slug, path, line))
        return found

    def ancestor(self, slug: str | None) -> Theme | None:
        """A parent by its slug, or None."""
        return next((t for t in self.ancestors if t.slug == slug), None)

    def label_now(self, slug: str) -> str:
        """Who would have now what a theme had: it, or the nearest parent where it is none of the parents any more."""
        theme = self.ancestor(slug) or next(iter(self.ancestors), None)
        return theme.label if theme is not None else slug

    def supplier(self, slug: str | None) -> Theme | None:
        """A theme of the lineage: an ancestor, or the child itself, whose broader template one of its own takes the place of."""
        return next((t for t in self.lineage.themes if t.slug == slug), None)

    @cached_property
    def former_paths(self) -> frozenset[str]:
        """Every path that a kept release of an ancestor has."""
        slugs = {t.slug for t in self.ancestors}
        return frozenset(path for r in self.releases if r.theme in slugs for path in self.snapshot.files_of(r))

    def release(self, theme: str, label: str | None) -> Release | None:
        """The kept release that a record names; the latest of that label."""
        fitting = [r for r in self.releases if r.theme == theme and label in (r.label, r.name)]
        return fitting[-1] if fitting else None
