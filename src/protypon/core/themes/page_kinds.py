"""The kinds of page of a site: the templates that each can have, in order, and which one it has."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from functools import lru_cache
from typing import NamedTuple, Protocol

from protypon.core.model.nouns import Theme
from protypon.core.platform.meanings import PagePattern
from protypon.core.platform.platform import Platform
from protypon.core.themes.inheritance import Lookup, Supply

OTHER = "*"
"""Stands in the name of a kind of page for whatever no theme has a template of its own for."""
_HOLE = re.compile(r"\{([a-z]\w*)\}")


class PageKind(NamedTuple):
    """One kind of page, with the names that its templates are called after."""

    kind: str
    templates: tuple[str, ...]
    """Paths in a theme, the most special first."""

    @property
    def any_other(self) -> bool:
        """Whether it stands for every page that no theme has a template of its own for."""
        return OTHER in self.kind


def pages_of(platform: Platform, themes: Iterable[Theme]) -> list[PageKind]:
    """Every kind of page that a platform has: of those that are called after something, one for each name that a theme has a template for,
    or that the platform file lists; and, where it does not list them all, one for every other name."""
    found: dict[str, PageKind] = {}
    for page in platform.code.pages:
        for names in _names(page, platform, themes):
            made = PageKind(_fill_holes(page.kind, names, OTHER), tuple(_templates(page, names)))
            found.setdefault(made.kind, made)
    return list(found.values())


def _names(page: PagePattern, platform: Platform, themes: Iterable[Theme]) -> Iterator[dict[str, str]]:
    holes = {name for text in (page.kind, *page.templates) for name in _HOLE.findall(text)}
    if not holes:
        yield {}
        return
    closed = {hole: page.names[hole] for hole in holes if hole in page.names}
    seen: list[dict[str, str]] = [{}]
    for hole, words in closed.items():
        seen = [{**names, hole: word} for names in seen for word in words]
    if holes == closed.keys():
        yield from seen
        return
    every = list(themes)
    for template in page.templates:
        for theme in every:
            for groups in platform.ruled(theme.files).names_in(_expression(template)):
                if all(groups[hole] in words for hole, words in closed.items() if hole in groups):
                    yield from ({**names, **groups} for names in seen)
    yield from seen


def _templates(page: PagePattern, names: dict[str, str]) -> Iterator[str]:
    for template in page.templates:
        if all(hole in names for hole in _HOLE.findall(template)):
            yield _fill_holes(template, names, "")


def _fill_holes(text: str, names: dict[str, str], other: str) -> str:
    return _HOLE.sub(lambda hole: names.get(hole[1], other), text)


@lru_cache(maxsize=256)
def _expression(template: str) -> re.Pattern[str]:
    """Paths that a pattern makes; a name has no slash in it."""
    parts = _HOLE.split(template)
    seen: set[str] = set()
    text = ""
    for number, part in enumerate(parts):
        if number % 2 == 0:
            text += re.escape(part)
        elif part in seen:
            text += f"(?P={part})"
        else:
            seen.add(part)
            text += f"(?P<{part}>[^/]+?)"
    return re.compile(text)


def candidates(lookup: Lookup, page: PageKind) -> list[Supply]:
    """Every template of the lineage that a page could have, the one that it has first."""
    themes, platform = lookup.lineage.themes, lookup.platform
    paths = page.templates
    if platform.code.nearest == "theme":
        return [Supply(theme, path) for theme in themes for path in paths if path in theme.files]
    return [supply for path in paths if (rule := platform.rule_of(path)) for supply in lookup.ranking(path, rule)]


def template_of(lookup: Lookup, page: PageKind) -> Supply | None:
    """The template that a page has; None where no theme has one for it."""
    return next(iter(candidates(lookup, page)), None)


def page_named(platform: Platform, themes: Iterable[Theme], kind: str) -> PageKind | None:
    """The kind of page of a name, also one that no theme has a template of its own for; None where the platform has none."""
    known = next((page for page in pages_of(platform, themes) if page.kind == kind), None)
    if known is not None or OTHER in kind:
        return known
    for page in platform.code.pages:
        match = _expression(page.kind).fullmatch(kind)
        names = match.groupdict() if match is not None else {}
        if match is not None and all(names[hole] in words for hole, words in page.names.items() if hole in names):
            return PageKind(kind, tuple(_templates(page, names)))
    return None


class Paged(Lookup, Protocol):
    """A look-up that remembers which kinds of page ask for which templates."""

    @property
    def pages_by_path(self) -> Mapping[str, list[PageKind]]:
        """The kinds of page that may ask for a template, by its path."""


def by_path(platform: Platform, themes: Iterable[Theme]) -> dict[str, list[PageKind]]:
    """The kinds of page by the path of each template that they ask for."""
    found: dict[str, list[PageKind]] = {}
    for page in pages_of(platform, themes):
        for path in dict.fromkeys(page.templates):
            found.setdefault(path, []).append(page)
    return found


def pages_with(lookup: Paged, path: str) -> list[PageKind]:
    """The kinds of page that ask for a template of this path."""
    return lookup.pages_by_path.get(path, [])


def without(lookup: Paged, theme: Theme, path: str) -> Supply | None:
    """What a page would have that has a theme's template now, if that were taken away: of the first kind of page that has it."""
    for page in pages_with(lookup, path):
        found = candidates(lookup, page)
        if found and (found[0].theme.slug, found[0].path) == (theme.slug, path):
            return found[1] if len(found) > 1 else None
    return None
