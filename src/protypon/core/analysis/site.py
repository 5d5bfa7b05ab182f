"""A whole site: the code of a lineage loaded as the platform loads it, and its pages rendered, all without running theme code."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from protypon.core.analysis import outside
from protypon.core.analysis.loading import Loading, SiteSetting
from protypon.core.analysis.pages import PageRendering
from protypon.core.analysis.state import State
from protypon.core.languages.values import Unknown
from protypon.core.platform.meanings import PageKind
from protypon.core.platform.platform import Platform
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.resolve import Resolver


class PageRun(NamedTuple):
    """A page as it would come out."""

    kind: str
    template: Supply | None
    """Its template; None where no theme has one."""
    state: State
    out: list[str | Unknown]
    begins: int
    """How many firings there were before the page began."""
    used: tuple[tuple[str, str], ...] = ()
    """(theme, path) of every template that it comes to, in order."""


@dataclass(frozen=True)
class SiteRun(SiteSetting):
    """One lineage on its platform, run."""

    def load(self) -> State:
        """The state when all code has loaded and the platform's moments have passed."""
        return self.loaded.state

    @cached_property
    def loaded(self) -> Loading:
        """All code loaded."""
        run = Loading(self).load()
        self.budget.left -= run.machine.steps
        return run

    def _begun(self, kind: str) -> Loading:
        """A run with all code loaded, for a page of a kind; loaded anew only where that hung on the kind."""
        run = Loading(self)
        run.machine.page_kind = kind
        return run.go_on_from(self.loaded) if self.loaded.can_be_copied else run.load()

    def render(self, kind: str) -> PageRun:
        """The state after a page of a kind."""
        run = self._begun(kind)
        before = run.machine.steps if self.loaded.can_be_copied else 0
        begins = len(run.state.firings)
        page = PageRendering(run)
        template = page_template(self.resolver, self.platform, kind)
        if template is not None and run.state.stopped is None:
            with run.machine.memory.watched() as start:
                run.follow(lambda: page.page(template))
                run.follow(lambda: outside.again(run.machine))
                run.state.settle()
                run.machine.memory.take_back(start)
        self.budget.left -= run.machine.steps - before
        return PageRun(kind, template, run.state, run.machine.out, begins, tuple(dict.fromkeys(page.used)))


def page_template(resolver: Resolver, platform: Platform, kind: str) -> Supply | None:
    """The template of a kind of page: the first candidate that a theme has, or the nearest theme's first candidate."""
    found = [s for name in _candidates(platform, kind) if (s := resolver.winner_at(name)) is not None]
    if platform.code.nearest == "theme":
        slugs = resolver.lineage.slugs
        found.sort(key=lambda s: slugs.index(s.theme.slug))
    return found[0] if found else None


def _candidates(platform: Platform, kind: str) -> tuple[str, ...]:
    return next((p.templates for p in platform.code.pages if p.kind == kind), ())


def page_kinds(resolver: Resolver, platform: Platform) -> list[PageKind]:
    """The kinds of page that a lineage has a template for."""
    return [page for page in platform.code.pages if page_template(resolver, platform, page.kind) is not None]
