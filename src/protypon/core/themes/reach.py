"""What the platform comes to: from the templates it asks for itself, through includes, extends and imports.

Blocks count: what stands in a block that a nearer template replaces, without calling it, is never run.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import NamedTuple, Protocol

from protypon.core.languages.source import Block, Reference, SourceFacts
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.platform import FileRule, Platform

CHAINS = 16
"""Ways through conditional extends that are followed for one template."""


class Supply(NamedTuple):
    """One file that could be used for a name."""

    theme: Theme
    path: str

    @property
    def digest(self) -> str:
        return self.theme.files[self.path].digest


class Lookup(Protocol):
    """Who supplies what in one lineage, and what a file names."""

    lineage: Lineage
    platform: Platform

    def winner(self, path: str, rule: FileRule) -> Supply | None: ...
    def named(self, name: str, theme: Theme, rule: FileRule) -> Supply | None: ...
    def from_root(self, name: str) -> bool: ...
    def facts(self, supply: Supply, rule: FileRule) -> SourceFacts: ...


class Location(NamedTuple):
    """A place in a file of a lineage."""

    theme: str
    path: str
    line: int


class Named(NamedTuple):
    """A name that a file gives, which nothing supplies."""

    site: Location
    name: str
    how: str


@dataclass(frozen=True, slots=True)
class Reach:
    """What the platform comes to from its entries on."""

    used: dict[tuple[str, str], Location | None] = field(default_factory=dict)
    """(theme, path) -> who names it first; None: the platform itself."""
    dynamic: tuple[Location, ...] = ()
    """Names made at run time: anything may be meant."""
    dangling: tuple[Named, ...] = ()


def walk(resolver: Lookup) -> Reach:
    """Walk through the templates of a lineage."""
    found = _TemplateWalk(resolver)
    for supply in _entries(resolver):
        found.start(supply, None)
    while found.waiting:
        found.render(found.waiting.pop())
    return Reach(found.used, tuple(found.dynamic), tuple(found.dangling))


def _entries(resolver: Lookup) -> Iterator[Supply]:
    """The winning templates that the platform asks for by itself."""
    platform = resolver.platform
    seen: set[str] = set()
    for theme in resolver.lineage.themes:
        for path, rule in platform.ruled(theme.files).entries:
            key = platform.key(path, rule)
            if key not in seen:
                seen.add(key)
                winner = resolver.winner(path, rule)
                if winner is not None:
                    yield winner


class _Link(NamedTuple):
    """One template of a chain of extends."""

    supply: Supply
    rule: FileRule
    facts: SourceFacts


class _TemplateWalk:
    """One walk; a template that is asked for or included starts a chain of its own."""

    def __init__(self, resolver: Lookup) -> None:
        self.resolver = resolver
        self.used: dict[tuple[str, str], Location | None] = {}
        self.started: set[tuple[str, str]] = set()
        self.waiting: list[Supply] = []
        self.dynamic: list[Location] = []
        self.dangling: list[Named] = []
        self.told: set[tuple[str, str, Reference]] = set()

    def start(self, supply: Supply, site: Location | None) -> None:
        name = (supply.theme.slug, supply.path)
        self.used.setdefault(name, site)
        if name not in self.started:
            self.started.add(name)
            self.waiting.append(supply)

    def render(self, supply: Supply) -> None:
        """Follow what rendering a template runs."""
        for chain in islice(self._chains(supply, ()), CHAINS):
            for link in chain:
                self._run(link, -1)
            self._blocks(chain)

    def _chains(self, supply: Supply, above: tuple[_Link, ...]) -> Iterator[tuple[_Link, ...]]:
        rule = self.resolver.platform.rule_of(supply.path)
        if rule is None or any(link.supply == supply for link in above):
            yield above
            return
        link = _Link(supply, rule, self.resolver.facts(supply, rule))
        targets = []
        for reference in link.facts.references:
            target = self._target(reference, link) if reference.how == "extends" else None
            if target is not None:
                self.used.setdefault((target.theme.slug, target.path), self._site(link, reference))
                targets.append(target)
        if not targets:
            yield (*above, link)
        for target in targets:
            yield from self._chains(target, (*above, link))

    def _blocks(self, chain: tuple[_Link, ...]) -> None:
        """Run the blocks that the last template of a chain comes to, each as the nearest template has it."""
        versions: dict[str, list[tuple[_Link, int]]] = defaultdict(list)
        for link in chain:
            for number, block in enumerate(link.facts.blocks):
                versions[block.name].append((link, number))
        waiting = [(block.name, 0) for block in chain[-1].facts.blocks if block.within < 0] if chain else []
        done: set[tuple[str, int]] = set()
        while waiting:
            name, level = waiting.pop()
            if (name, level) in done or level >= len(versions[name]):
                continue
            done.add((name, level))
            link, number = versions[name][level]
            self._run(link, number)
            waiting += _called(link.facts.blocks, number, name, level)

    def _run(self, link: _Link, block: int) -> None:
        """Follow the includes and imports that stand directly in one block, or in none (-1)."""
        for reference in link.facts.references:
            if reference.block == block and reference.how != "extends":
                target = self._target(reference, link)
                if target is not None:
                    self.start(target, self._site(link, reference))

    def _site(self, link: _Link, reference: Reference) -> Location:
        return Location(link.supply.theme.slug, link.supply.path, reference.line)

    def _target(self, reference: Reference, link: _Link) -> Supply | None:
        """The file that a reference means; what is not known or not there is noted."""
        for name in reference.names:
            found = self.resolver.named(name, link.supply.theme, link.rule)
            if found is not None:
                return found
            if self.resolver.from_root(name):
                return None
        key = (link.supply.theme.slug, link.supply.path, reference)
        if key not in self.told:
            self.told.add(key)
            site = self._site(link, reference)
            if not reference.names:
                self.dynamic.append(site)
            elif not reference.optional:
                self.dangling.append(Named(site, reference.names[0], reference.how))
        return None


def _called(blocks: tuple[Block, ...], number: int, name: str, level: int) -> Iterator[tuple[str, int]]:
    """The blocks that one version of a block runs: those inside it, and those it calls."""
    for block in blocks:
        if block.within == number:
            yield block.name, 0
    for called in blocks[number].calls:
        yield (called, 0) if called else (name, level + 1)
