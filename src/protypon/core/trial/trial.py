"""A trial: the code of a lineage run by the real interpreter, and what ran held against what was worked out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.languages.registry import coded_language, is_coded
from protypon.core.model.actions import ShowPlatform
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.platform.schema import nearest
from protypon.core.themes.page_kinds import PageKind, page_named, template_of
from protypon.core.trial.difference import Difference, differences
from protypon.core.trial.recorded import differences as recorded
from protypon.core.trial.recorded import read, recordings_in
from protypon.core.trial.running import interpreter, laid_out, run
from protypon.core.trial.spec import language_of, spec_of
from protypon.core.units.past_release import former_in
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class Trial:
    """One page of a lineage, run; or its code alone."""

    page: str
    """The kind of page; empty: no page."""
    differences: tuple[Difference, ...] = ()
    untried: str = ""
    """Why nothing can be held against what was worked out; empty where something was."""
    answers: int = 0
    """How many things were held against the run."""
    warnings: tuple[tuple[str, str, int], ...] = ()
    """What the interpreter warned of: words, file and line."""


def try_out(world: World, kinds: tuple[str, ...], unconfined: bool) -> list[Trial]:
    """Run a child's lineage on the kinds of page that are named, or on all that it has a template for.

    Raises ProtyponError where there is nothing to run it with; UnknownName for a kind of page that the platform has not.
    """
    behaviour = world.behaviour
    language = language_of(world.platform)
    if not behaviour.speaks or not language:
        raise ProtyponError(
            f"{world.platform.title}: its platform file names no code of PHP or Python, so there is nothing to run",
            ShowPlatform(),
        )
    if world.lineage.cut:
        raise ProtyponError(f"{world.child.slug}: {world.lineage.cut}", "put what is missing into themes/")
    by = interpreter(unconfined, language)
    pages = _pages(world, kinds)
    supplied = frozenset(_names_ever_declared(world))
    with laid_out(world.lineage, world.snapshot, unconfined) as laid:
        found = []
        for page in pages:
            report, why = run(laid, spec_of(behaviour, page, laid.themes, supplied), by)
            found.append(_trial_of(behaviour, page, report, why))
    return found


def held_against(world: World, paths: Iterable[Path], kinds: tuple[str, ...]) -> list[Trial]:
    """Hold recordings of a test site against what was worked out for the kind of page that each names, or else the one that is asked for.

    Raises BadInput for a file that is no recording, UnknownName for a kind of page that the platform has not.
    """
    asked = _pages(world, kinds) if kinds else [None]
    site, found = world.behaviour.site, []
    for path in recordings_in(paths):
        recording = read(path)
        page = page_named(world.platform, world.lineage.themes, recording.page) if recording.page else asked[0]
        rendered = site.render_page(page) if page is not None else None
        state = rendered.state if rendered is not None else world.behaviour.state
        told, untried = recorded(world.lineage, world.platform, state, rendered, recording)
        answers = len(state.functions) + len(state.classes) + len(state.loaded)
        name = f"{page.kind}, {Path(path).name}" if page is not None else Path(path).name
        found.append(Trial(name, tuple(told), untried, answers))
    return found


def _trial_of(behaviour: Behaviour, page: PageKind | None, report: dict[str, Any] | None, why: str) -> Trial:
    name = page.kind if page is not None else ""
    if report is None:
        return Trial(name, (), why)
    rendered = behaviour.site.render_page(page) if page is not None else None
    state = rendered.state if rendered is not None else behaviour.state
    told, untried = differences(state, rendered, report, behaviour.platform.code.numbers == "descending")
    answers = len(state.functions) + len(state.classes) + len(state.callbacks) + len(state.items) + len(state.values)
    warnings = tuple((str(words), str(file), int(line)) for words, file, line in report["warnings"])
    return Trial(name, tuple(told), f"not tried further: {untried}" if untried else "", answers, warnings)


def _pages(world: World, kinds: tuple[str, ...]) -> list[PageKind | None]:
    themes = world.lineage.themes
    if not kinds:
        found: list[PageKind | None] = [
            p for p in world.behaviour.page_kinds if template_of(world.resolver, p) is not None
        ]
        return found or [None]
    chosen: list[PageKind | None] = []
    for kind in kinds:
        page = page_named(world.platform, themes, kind)
        if page is None:
            known = tuple(p.kind for p in world.behaviour.page_kinds)
            near = nearest(kind, known)
            hint = f"did you mean {near}?" if near else f"kinds of page are: {', '.join(known) or 'none'}"
            raise UnknownName(f"no kind of page is called {kind!r}", hint)
        chosen.append(page)
    return chosen


def _names_ever_declared(world: World) -> Iterator[tuple[str, str]]:
    """Functions and classes that any kept release of a theme of the lineage declared: what was there once is never made up."""
    slugs = set(world.lineage.slugs)
    for release in world.releases:
        if release.theme in slugs:
            former = former_in(world, release)
            yield from (("function", name.lower()) for name in former.declared["function"])
            yield from (("class", name.lower()) for name in former.declared["class"])
    for theme in world.lineage.themes:
        for path, rule in world.platform.ruled(theme.files).rows:
            if rule.kind == "code" and is_coded(rule.language):
                code = coded_language(rule.language).code(world.snapshot.read(theme, path))
                yield from (("function", f.name.lower()) for f in code.functions if f.name and "::" not in f.name)
                yield from (("class", c.name.lower()) for c in code.classes)
