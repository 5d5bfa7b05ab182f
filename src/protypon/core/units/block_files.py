"""The chains that a child's template stands in: with it, and as the lineage would have them without the child."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

from protypon.core.languages.jinja.blocks import BlockText, blocks, can_stand, decode_template, fill_block, printed_span
from protypon.core.languages.registry import LANGUAGES
from protypon.core.languages.source import Reference, SourceFacts
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.themes.inheritance import Inherited, Link, Supply, Version, chains
from protypon.core.themes.resolve import Resolver
from protypon.core.units.searched import searched_as
from protypon.core.units.world import World

DEEPEST = 30
"""Texts of blocks filled into each other; what lies deeper stays as it is written."""


class _WithRoot:
    """A lineage's look-up, which goes on into what the platform file says of a root theme that is not here."""

    def __init__(self, resolver: Resolver) -> None:
        self.resolver = resolver
        self.lineage: Lineage = resolver.lineage
        self.platform: Platform = resolver.platform
        self.open: list[str] = []
        """Why a chain may go on in a way that is not known."""

    @cached_property
    def root(self) -> Theme:
        return Theme(self.lineage.root or "", "", {}, {})

    def ranking(self, path: str, rule: FileRule) -> list[Supply]:
        return self.resolver.ranking(path, rule)

    def winner(self, path: str, rule: FileRule) -> Supply | None:
        return self.resolver.winner(path, rule)

    def supply_named(self, name: str, theme: Theme, rule: FileRule) -> Supply | None:
        if theme.slug not in self.lineage.slugs:
            return self.resolver.winner(name, rule)
        return self.resolver.supply_named(name, theme, rule)

    def from_root(self, name: str) -> bool:
        return self.resolver.from_root(name)

    def facts(self, supply: Supply, rule: FileRule) -> SourceFacts:
        if supply.theme.slug == self.root.slug and not supply.theme.files:
            return self.platform.root_templates.get(supply.path, SourceFacts())
        return self.resolver.facts(supply, rule)

    def target(self, reference: Reference, link: Link) -> Supply | None:
        """The file that a template extends."""
        for name in reference.names:
            found = self.supply_named(name, link.supply.theme, link.rule)
            if found is not None:
                return found
            if self.from_root(name):
                return self.in_root(name)
        where = f"{link.supply.theme.slug}/{link.supply.path} line {reference.line}"
        what = (
            f"extends {reference.names[0]}, which nothing supplies"
            if reference.names
            else "names what it extends at run time"
        )
        self.open.append(f"{where} {what}")
        return None

    def in_root(self, name: str) -> Supply | None:
        """A template of the root theme; where nothing is known of its blocks, what stands above is open."""
        path = self.platform.templates.read(name)[2]
        if path not in self.platform.root_templates:
            self.open.append(f"{self.root.slug}/{path} comes with the platform, and its blocks are not known")
            return None
        return Supply(self.root, path)


class Further(NamedTuple):
    """A block as a chain has it."""

    text: bytes
    """What stands between its tags, with the text further up and blocks inside it filled in."""
    theme: str
    path: str
    line: int
    """Where what stands between its tags begins; 0 for one of the platform's own."""
    whole: bool
    """It can be copied as it is: nothing in it asks for a text that could not be filled in."""
    at: tuple[str, ...]
    """The blocks around it in the page, outer ones first."""


class Chain:
    """One chain: the templates from the nearest to the one that runs, and their blocks."""

    def __init__(self, world: World, links: tuple[Link, ...]) -> None:
        self.world, self.links = world, links
        self.inherited = Inherited([link.facts.blocks for link in links], links[-1].facts.asked if links else ())

    @cached_property
    def running(self) -> frozenset[Version]:
        """The versions of blocks that run."""
        return frozenset(self.inherited.running())

    def names(self) -> list[str]:
        """The names of all blocks in its templates, the nearest first."""
        return list(dict.fromkeys(block.name for link in self.links for block in link.facts.blocks))

    def version(self, name: str) -> Version | None:
        """The nearest version of a block, or None."""
        return self.inherited.version(name, 0)

    def further(self, name: str, level: int = 0) -> Further | None:
        """The nearest version of a block, or one further up, as a text."""
        version = self.inherited.version(name, level)
        if version is None:
            return None
        link = self.links[version.template]
        around = tuple(self._around(name))
        if not link.supply.theme.files:
            own = f"the block {name} of {link.supply.path} that comes with {link.supply.theme.slug}\n".encode()
            return Further(own, link.supply.theme.slug, link.supply.path, 0, False, around)
        text, found, number = self._read_version(version)
        if number is None:
            return None
        composed = self._fill_parents(name, level, 0)
        line = text.count("\n", 0, printed_span(text, found[number])[0]) + 1
        place = (link.supply.theme.slug, link.supply.path)
        return Further(composed.encode("utf-8"), *place, line, can_stand(name, composed), around)

    def _read_version(self, version: Version) -> tuple[str, list[BlockText], int | None]:
        link = self.links[version.template]
        name = link.facts.blocks[version.block].name
        text = decode_template(self.world.snapshot.read(*link.supply))
        found = blocks(text)
        return text, found, next((n for n, block in enumerate(found) if block.name == name), None)

    def _fill_parents(self, name: str, level: int, depth: int) -> str:
        version = self.inherited.version(name, level)
        assert version is not None
        text, found, number = self._read_version(version)
        if number is None:
            return ""

        def above() -> str | None:
            next_one = self.inherited.version(name, level + 1)
            if next_one is None or depth > DEEPEST or not self.links[next_one.template].supply.theme.files:
                return None
            return self._fill_parents(name, level + 1, depth + 1)

        def nearest(inner: str, _: int) -> str | None:
            nearest_one = self.inherited.version(inner, 0)
            if nearest_one is None or depth > DEEPEST or not self.links[nearest_one.template].supply.theme.files:
                return None
            return self._fill_parents(inner, 0, depth + 1)

        return fill_block(text, number, found, above, nearest)

    def _around(self, name: str) -> Iterator[str]:
        """The names of the blocks around one in the last template that has it inside of others."""
        for link in reversed(self.links):
            rows = link.facts.blocks
            block = next((b for b in rows if b.name == name), None)
            if block is not None and block.within >= 0:
                outer, found = block.within, list[str]()
                while outer >= 0:
                    found.append(rows[outer].name)
                    outer = rows[outer].within
                yield from reversed(found)
                return


@dataclass(frozen=True)
class BlockFile:
    """A template of the child that only changes blocks of what it extends."""

    world: World
    path: str
    rule: FileRule
    found: tuple[BlockText, ...]
    text: str
    mine: tuple[Chain, ...]
    """With the child: it stands first in each."""
    above: tuple[Chain, ...]
    """As the lineage would have it without the child."""
    open: str
    """Why a chain may go on in a way that is not known; empty where it is."""
    counterpart: bool
    """An ancestor, or the platform's root, has a template of this name."""

    def block(self, name: str) -> BlockText | None:
        """A block of the child's file, or None."""
        return next((block for block in self.found if block.name == name), None)

    def body(self, block: BlockText) -> bytes:
        """What the child has there, without the white space that its tags take away."""
        begin, end = printed_span(self.text, block)
        return self.text[begin:end].encode("utf-8")

    def further(self, name: str) -> Further | str | None:
        """What stands further up; a text where that is not one thing: why."""
        each = [chain.further(name) for chain in self.above]
        texts = {(f.text, f.theme, f.path) if f is not None else None for f in each}
        if len(texts) > 1:
            return (
                f"{self.world.child.slug}/{self.path} extends one template or another, and they have other texts there"
            )
        return each[0] if each else None

    def runs(self, name: str) -> bool | None:
        """Whether the platform prints the child's version; None where that can't be known."""
        for chain in self.mine:
            version = chain.version(name)
            if version is not None and version.template == 0 and version in chain.running:
                return True
        return None if self.open else False


def block_file(world: World, path: str) -> BlockFile | None:
    """A template of the child as one that only changes blocks; None for one that extends nothing, or takes the place of one as a whole."""
    key = ("block file", path)
    if key not in world.memo:
        world.memo[key] = _block_file(world, path)
    found = world.memo[key]
    assert found is None or isinstance(found, BlockFile)
    return found


def _block_file(world: World, path: str) -> BlockFile | None:
    rule = world.platform.rule_of(path) if path in world.child.files and not world.lineage.cut else None
    if rule is None or rule.kind != "template" or not LANGUAGES[rule.language].extends:
        return None
    own = Supply(world.child, path)
    facts = world.resolver.facts(own, rule)
    extends = [reference for reference in facts.references if reference.how == "extends"]
    if not extends:
        return None
    if rule.if_broken == "theme" and world.snapshot.problems(world.child, path, rule.language):
        return None
    mine, parents = _WithRoot(world.resolver), _WithRoot(parents_of(world))
    name = searched_as(world, path) or path
    winner = parents.winner(name, rule)
    starts = list(_starts(world, mine, parents, extends, own, rule, facts))
    above = [chain for start in starts for chain in chains(parents, start, parents.target)]
    if winner is not None:
        if not above or not all(any(link.supply == winner for link in chain) for chain in above):
            return None
        above = chains(parents, winner, parents.target)
    elif parents.from_root(name):
        counterpart = parents.in_root(name)
        above = (
            chains(parents, counterpart, parents.target)
            if counterpart is not None and name in world.platform.root_templates
            else above
        )
    text = decode_template(world.snapshot.read(world.child, path))
    return BlockFile(
        world, path, rule, tuple(blocks(text)), text,
        tuple(Chain(world, links) for links in chains(mine, own, mine.target)), tuple(Chain(world, links) for links in above),
        next(iter(dict.fromkeys([*parents.open, *mine.open])), ""), winner is not None or world.resolver.root_supplies(name),
    )  # fmt: skip


def _starts(
    world: World,
    mine: _WithRoot,
    parents: _WithRoot,
    extends: Iterable[Reference],
    own: Supply,
    rule: FileRule,
    facts: SourceFacts,
) -> Iterator[Supply]:
    """The templates that the child's extends, as the lineage would have them without it."""
    for reference in extends:
        found = mine.target(reference, Link(own, rule, facts))
        if found is not None and found.theme is world.child:
            found = parents.winner(found.path, rule) if found.path != own.path else None
        if found is not None:
            yield found


def parents_of(world: World) -> Resolver:
    """Who supplies what in a lineage without its child."""
    if "parents' templates" not in world.memo:
        lineage = replace(world.lineage, themes=world.ancestors)
        world.memo["parents' templates"] = Resolver(lineage, world.platform, world.snapshot)
    found = world.memo["parents' templates"]
    assert isinstance(found, Resolver)
    return found


def above_of(world: World, path: str) -> tuple[tuple[Chain, ...], str]:
    """The chains of a template as the lineage has it without the child, and why they may go on in a way that is not known."""
    rule = world.platform.rule_of(path)
    parents = _WithRoot(parents_of(world))
    if rule is None or rule.kind != "template" or not LANGUAGES[rule.language].extends:
        return (), ""
    start = parents.winner(path, rule)
    if start is None and parents.from_root(path):
        start = parents.in_root(path)
    found = tuple(Chain(world, links) for links in chains(parents, start, parents.target)) if start is not None else ()
    return found, next(iter(parents.open), "")
