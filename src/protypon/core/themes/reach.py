"""What the platform comes to: from the templates it asks for itself, through includes, extends and imports.

Blocks count: what stands in a block that a nearer template replaces, without calling it, is never run.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from protypon.core.languages.source import Reference
from protypon.core.themes.inheritance import Inherited, Link, Lookup, Supply, chains
from protypon.core.themes.page_kinds import pages_of, template_of


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
    perhaps: frozenset[tuple[str, str]] = frozenset()
    """Those of them that are used only if something that is not here names one."""
    dynamic: tuple[Location, ...] = ()
    """Names made at run time: anything may be meant."""
    dangling: tuple[Named, ...] = ()
    ran: frozenset[tuple[str, str, int]] = frozenset()
    """What is printed of them: (theme, path, number of a block; -1 for what stands in none)."""


def walk(resolver: Lookup) -> Reach:
    """Walk through the templates of a lineage."""
    found = _TemplateWalk(resolver)
    for supply in _entries(resolver):
        found.start(supply, None)
    found.go()
    sure = set(found.used)
    if resolver.platform.templates.elsewhere:
        for supply in _winners(resolver):
            found.start(supply, None)
            found.go()
    perhaps = frozenset(found.used.keys() - sure)
    return Reach(found.used, perhaps, tuple(found.dynamic), tuple(found.dangling), frozenset(found.ran))


def _entries(resolver: Lookup) -> Iterator[Supply]:
    """The winning templates that the platform asks for by itself: for its kinds of page, and else by name."""
    platform = resolver.platform
    seen: set[str] = set()
    asked: set[str] = set()
    for page in pages_of(platform, resolver.lineage.themes):
        asked |= set(page.templates)
        winner = template_of(resolver, page)
        if winner is not None:
            yield winner
    for theme in resolver.lineage.themes:
        for path, rule in platform.ruled(theme.files).entries:
            key = platform.key(path, rule)
            if key not in seen and path not in asked:
                seen.add(key)
                winner = resolver.winner(path, rule)
                if winner is not None:
                    yield winner


def _winners(resolver: Lookup) -> Iterator[Supply]:
    """Every template that would be used if somebody named it."""
    for theme in resolver.lineage.themes:
        for path, rule in resolver.platform.ruled(theme.files).rows:
            if rule.kind == "template" and (winner := resolver.winner(path, rule)) is not None:
                yield winner


def _name(supply: Supply) -> tuple[str, str]:
    return supply.theme.slug, supply.path


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
        self.ran: set[tuple[str, str, int]] = set()

    def start(self, supply: Supply, site: Location | None) -> None:
        name = _name(supply)
        self.used.setdefault(name, site)
        if name not in self.started:
            self.started.add(name)
            self.waiting.append(supply)

    def go(self) -> None:
        """Follow all that waits."""
        while self.waiting:
            self.render(self.waiting.pop())

    def render(self, supply: Supply) -> None:
        """Follow what rendering a template runs."""
        for chain in chains(self.resolver, supply, self._extended_template):
            for link in chain:
                self._run(link, -1)
            if not chain:
                continue
            self.ran.add((*_name(chain[-1].supply), -1))
            for version in Inherited([link.facts.blocks for link in chain], chain[-1].facts.asked).running():
                self._run(chain[version.template], version.block)
                self.ran.add((*_name(chain[version.template].supply), version.block))

    def _extended_template(self, reference: Reference, link: Link) -> Supply | None:
        target = self._target(reference, link)
        if target is not None:
            self.used.setdefault((target.theme.slug, target.path), self._site(link, reference))
        return target

    def _run(self, link: Link, block: int) -> None:
        """Follow the includes and imports that stand directly in one block, or in none (-1)."""
        for reference in link.facts.references:
            if reference.block == block and reference.how != "extends":
                target = self._target(reference, link)
                if target is not None:
                    self._start_from(target, link, reference)

    def _start_from(self, target: Supply, link: Link, reference: Reference) -> None:
        if (target.theme.slug, target.path) not in self.started:
            self.start(target, self._site(link, reference))

    def _site(self, link: Link, reference: Reference) -> Location:
        return Location(link.supply.theme.slug, link.supply.path, reference.line)

    def _target(self, reference: Reference, link: Link) -> Supply | None:
        """The file that a reference means; what is not known or not there is noted."""
        for name in reference.names:
            found = self.resolver.supply_named(name, link.supply.theme, link.rule)
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
