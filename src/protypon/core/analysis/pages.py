"""Pages of a loaded site, as they would come out: templates, what they extend, and the blocks that run."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.loading import Loading
from protypon.core.analysis.machine import Frame
from protypon.core.analysis.values import Env, File
from protypon.core.languages.code import BlockBody, Each, If, Items, Lit, Node
from protypon.core.languages.registry import LANGUAGES
from protypon.core.languages.source import Reference
from protypon.core.languages.values import Box
from protypon.core.model.limits import BLOCKS_DEEP
from protypon.core.platform.platform import FileRule
from protypon.core.themes.inheritance import Inherited, Link, Supply, chains


class Extending:
    """A template with what it extends, while it is rendered."""

    def __init__(self, chain: tuple[Link, ...], files: list[File]) -> None:
        self.files = files
        self.inherited = Inherited([link.facts.blocks for link in chain], chain[-1].facts.asked)
        self._bodies = [list(_blocks(file.code.body)) for file in files]

    def version(self, name: str, level: int) -> tuple[File, BlockBody] | None:
        """The version of a block that runs."""
        version = self.inherited.version(name, level)
        if version is None or version.block >= len(self._bodies[version.template]):
            return None
        return self.files[version.template], self._bodies[version.template][version.block]


class PageRendering:
    """One page of a site whose code is loaded."""

    def __init__(self, loading: Loading) -> None:
        self.site, self.machine = loading.site, loading.machine
        self.files = loading.files
        self._running: list[tuple[str, int]] = []
        """Blocks that run, the inner ones last."""
        self._plain = self.files.render
        self.files.render = self._render

    def page(self, template: Supply) -> None:
        """Render the template of a page."""
        self.files.template(template, {})

    def _render(self, supply: Supply, handed: dict[object, object]) -> None:
        """Render one template with what it extends."""
        rule = self.site.platform.rule_of(supply.path)
        if rule is not None and LANGUAGES[rule.language].extends:
            self._extending(supply)
        else:
            self._plain(supply, handed)

    def _extending(self, supply: Supply) -> None:
        """The last template that is extended runs, each block as the nearest has it."""
        found = chains(self.site.resolver, supply, self._extended_template)
        chain = found[0]
        files = [self.files.file(link.supply.theme, link.supply.path, link.rule) for link in chain]
        self.machine.state.shown += [(link.supply.theme.slug, link.supply.path) for link in chain]
        certain = len(found) == 1 and all(isinstance(n, Lit | Items) for file in files for n in file.code.extends)
        page, rule = Extending(chain, files), chain[0].rule
        before = dict(self.machine.lookups)
        self.machine.lookups |= {
            "block": lambda name, level: self._block(page, name, level),
            "super": lambda: self._super(page),
            "include": lambda names, ignore=False: self._include(names, rule),
        }
        env = Env(self.files.variables())
        if certain:
            self.machine.run_file(files[-1], env)
        else:
            why = "which template it extends can't be known"
            self.machine.control.perhaps(why, lambda: self.machine.run_file(files[-1], env))
        self.machine.lookups = before

    def _extended_template(self, reference: Reference, link: Link) -> Supply | None:
        """The template that a name of a template means: the first of its names that is there."""
        resolver, theme = self.site.resolver, link.supply.theme
        named = (resolver.supply_named(name, theme, link.rule) for name in reference.names)
        return next((supply for supply in named if supply is not None), None)

    def _block(self, page: Extending, name: str, level: int) -> str:
        """Run one version of a block; what it prints is printed, so that its value is empty."""
        version = page.version(name, level)
        if version is None or len(self._running) > BLOCKS_DEEP:
            return ""
        file, block = version
        self._running.append((name, level))
        self.machine.frames.append(Frame(file, Env(self.files.variables()), line=block.line))
        self.machine.block(block.body, self.machine.frames[-1])
        self.machine.frames.pop()
        self._running.pop()
        return ""

    def _super(self, page: Extending) -> str:
        name, level = self._running[-1] if self._running else ("", 0)
        return self._block(page, name, level + 1)

    def _include(self, names: object, rule: FileRule) -> None:
        theme = next(t for t in self.site.lineage.themes if t.slug == self.machine.frames[-1].file.theme)
        names = names.value if isinstance(names, Box) else names
        for name in names if isinstance(names, list | tuple) else [names]:
            if isinstance(name, str):
                found = self.site.resolver.supply_named(name, theme, rule)
                if found is not None:
                    self.files.template(found, {})
                    return
            else:
                self.machine.note_blind("includes a template whose name is made at run time")
                return


def _blocks(body: tuple[Node, ...]) -> Iterator[BlockBody]:
    """Every block of a template, in the order in which they begin."""
    for node in body:
        if isinstance(node, BlockBody):
            yield node
            yield from _blocks(node.body)
        elif isinstance(node, If):
            yield from _blocks((*node.then, *node.other))
        elif isinstance(node, Each):
            yield from _blocks((*node.body, *node.other))
