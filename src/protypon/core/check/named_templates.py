"""Templates that manifests name, and that a release took away: an option or a list that still asks for what was there."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.model.actions import Survey
from protypon.core.model.nouns import Finding, Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.manifest import path_for
from protypon.core.platform.manifests.registry import syntax
from protypon.core.units.world import World

_BETWEEN = re.compile(r"[\s,;]+")
_KEYED = frozenset({"toml", "json", "ini", "yaml"})
"""Syntaxes of which every value can be read, whatever its key."""


def of_manifests(world: World) -> Iterator[Finding]:
    """Names in manifests that mean a template of an earlier release, and nothing now."""
    for theme in world.lineage.themes if world.former_paths else ():
        text = world.snapshot.read(theme, theme.manifest).decode("utf-8-sig", "replace")
        for name in dict.fromkeys(_names(world, theme, text)):
            had = "" if _is_there(world, name) else _had(world, name)
            if had:
                line = text.count("\n", 0, text.find(name)) + 1
                place = f"{theme.slug}/{quote_path(theme.manifest)} line {line}"
                because = f"{place} names {name!r}, which {had} had and nothing in the lineage has now: pages that use it fail"
                step = Survey(f"themes/{theme.slug}")
                yield Finding("broken-reference", "error", theme.slug, theme.manifest, because, step, line)


def _is_there(world: World, name: str) -> bool:
    """Whether any theme has a file that a name can mean."""
    files = (path for theme in world.lineage.themes for path in theme.files)
    return (
        any(name in theme.files for theme in world.lineage.themes)
        or world.resolver.root_supplies(name)
        or any(_means(world, name, path) for path in files)
    )


def _had(world: World, name: str) -> str:
    """The latest kept release that has a template which a name can mean; empty where none has."""
    slugs = {theme.slug for theme in world.ancestors}
    for release in reversed(world.releases):
        for path in world.snapshot.files_of(release) if release.theme in slugs else ():
            rule = world.platform.rule_of(path) if path == name or _means(world, name, path) else None
            if rule is not None and rule.kind == "template":
                return f"{release.theme} {release.name}"
    return ""


def _means(world: World, name: str, path: str) -> bool:
    """Whether a name is that of a file in a folder that can be searched."""
    folders = world.platform.templates.folders
    return path.endswith(f"/{name}") and ("*" in folders or path[: -len(name) - 1] in folders)


def _names(world: World, theme: Theme, text: str) -> Iterator[str]:
    """The words of every value in a manifest."""
    form = next((f for f in world.platform.manifests if path_for(f, theme.slug) == theme.manifest), None)
    if form is None or form.syntax not in _KEYED:
        return
    try:
        tables = syntax(form.syntax).read(text)
    except (NotRead, ValueError, RecursionError):
        return
    for value in _texts(tables):
        yield from (word for word in _BETWEEN.split(value) if "." in word)


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping):
        for each in value.values():
            yield from _texts(each)
    elif isinstance(value, list):
        for each in value:
            yield from _texts(each)
