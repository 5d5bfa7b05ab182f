"""A whole site: the code of a lineage loaded as the platform loads it, and its pages rendered, all without running theme code."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from protypon.core.analysis import outside
from protypon.core.analysis.loading import Loading, SiteSetting
from protypon.core.analysis.pages import PageRendering
from protypon.core.analysis.state import State
from protypon.core.languages.values import Unknown, foreign
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.page_kinds import PageKind, pages_of, template_of


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

    def _begun(self, page: PageKind) -> Loading:
        """A run with all code loaded, for a page of a kind; loaded anew only where that hung on the kind."""
        run = Loading(self)
        run.machine.page_kind = foreign("the kind of page") if page.any_other else page.kind
        return run.go_on_from(self.loaded) if self.loaded.can_be_copied else run.load()

    @cached_property
    def page_kinds(self) -> dict[str, PageKind]:
        """Every kind of page of the platform by name, whether the lineage has a template for it or not."""
        return {page.kind: page for page in pages_of(self.platform, self.lineage.themes)}

    def render(self, name: str) -> PageRun:
        """The state after a page of a kind."""
        return self.render_page(self.page_kinds[name])

    def render_page(self, kind: PageKind) -> PageRun:
        """The same of one that the platform has, whether a theme has a template of its own for it or not."""
        run = self._begun(kind)
        before = run.machine.steps if self.loaded.can_be_copied else 0
        begins, shown = len(run.state.firings), len(run.state.shown)
        page = PageRendering(run)
        template = template_of(self.resolver, kind)
        if template is not None and run.state.stopped is None:
            with run.machine.memory.watching() as start:
                run.follow(lambda: page.page(template))
                run.follow(lambda: outside.again(run.machine))
                run.state.settle()
                run.machine.memory.take_back(start)
        self.budget.left -= run.machine.steps - before
        return PageRun(
            kind.kind, template, run.state, run.machine.out, begins, tuple(dict.fromkeys(run.state.shown[shown:]))
        )
