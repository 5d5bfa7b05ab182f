"""Inheritance of templates: the chains that extending makes, and which version of a block runs.

As Jinja has it (https://jinja.palletsprojects.com/en/stable/templates/#template-inheritance): of a chain the last template runs,
each block of it as the nearest template has it; ``super()`` is the next version, ``self.NAME()`` the nearest of another block.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import NamedTuple, Protocol

from protypon.core.languages.source import Block, Reference, SourceFacts
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.platform import FileRule, Platform

MOST_CHAINS = 16
"""Ways through conditional extends that are followed for one template."""


class Supply(NamedTuple):
    """One file that could be used for a name."""

    theme: Theme
    path: str

    @property
    def digest(self) -> str:
        """The digest of the file."""
        return self.theme.files[self.path].digest


class Lookup(Protocol):
    """Who supplies what in one lineage, and what a file names."""

    lineage: Lineage
    platform: Platform

    def ranking(self, path: str, rule: FileRule) -> list[Supply]:
        """Every theme's file of a path, the one that counts first."""

    def winner(self, path: str, rule: FileRule) -> Supply | None:
        """The file that counts, or None."""

    def supply_named(self, name: str, theme: Theme, rule: FileRule) -> Supply | None:
        """What a name in a template of a theme means, or None."""

    def from_root(self, name: str) -> bool:
        """Whether a name is one of the platform's own templates."""

    def facts(self, supply: Supply, rule: FileRule) -> SourceFacts:
        """What a file names and declares."""


class Link(NamedTuple):
    """One template of a chain."""

    supply: Supply
    rule: FileRule
    facts: SourceFacts


Target = Callable[[Reference, Link], Supply | None]
"""The file that a reference of a template means."""


def chains(lookup: Lookup, supply: Supply, target: Target) -> list[tuple[Link, ...]]:
    """The chains that a template begins, itself first: one, but where a condition says what is extended."""
    return list(islice(_chains(lookup, supply, target, ()), MOST_CHAINS))


def _chains(lookup: Lookup, supply: Supply, target: Target, nearer: tuple[Link, ...]) -> Iterator[tuple[Link, ...]]:
    rule = lookup.platform.rule_of(supply.path)
    if rule is None or any(link.supply == supply for link in nearer):
        yield nearer
        return
    link = Link(supply, rule, lookup.facts(supply, rule))
    extends = [reference for reference in link.facts.references if reference.how == "extends"]
    further = [found for reference in extends if (found := target(reference, link)) is not None]
    if not further:
        yield (*nearer, link)
    for found in further:
        yield from _chains(lookup, found, target, (*nearer, link))


class Version(NamedTuple):
    """One version of a block: the number of its template in the chain, and its own among the blocks of that."""

    template: int
    block: int


class Inherited:
    """The blocks of one chain."""

    def __init__(self, blocks: Sequence[tuple[Block, ...]], asked: Sequence[str] = ()) -> None:
        """``blocks`` are those of each template of the chain, in the order in which they stand; ``asked`` what the last one calls outside of them."""
        self._blocks, self._asked = blocks, asked
        self._versions: dict[str, list[Version]] = {}
        for template, found in enumerate(blocks):
            for number, block in enumerate(found):
                self._versions.setdefault(block.name, []).append(Version(template, number))

    def version(self, name: str, level: int) -> Version | None:
        """The version of a block that runs; level 0 is the nearest, each ``super()`` one more."""
        found = self._versions.get(name, [])
        return found[level] if level < len(found) else None

    def running(self) -> Iterator[Version]:
        """Every version that the last template comes to, through blocks inside blocks and calls; each once."""
        last = self._blocks[-1] if self._blocks else ()
        waiting = [*((block.name, 0) for block in last if block.within < 0), *((name, 0) for name in self._asked)]
        done: set[tuple[str, int]] = set()
        while waiting:
            name, level = waiting.pop()
            version = self.version(name, level)
            if version is None or (name, level) in done:
                continue
            done.add((name, level))
            yield version
            waiting += self._blocks_run(version, name, level)

    def _blocks_run(self, version: Version, name: str, level: int) -> Iterator[tuple[str, int]]:
        """The blocks that one version runs: those inside it, and those it calls."""
        blocks = self._blocks[version.template]
        for block in blocks:
            if block.within == version.block:
                yield block.name, 0
        for called in blocks[version.block].calls:
            yield (called, 0) if called else (name, level + 1)
