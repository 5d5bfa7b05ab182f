"""Whether what an ancestor has under an address came with its present release: then the child's own was there before, and hides it unawares."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from protypon.core.model.evidence import Evidence, Present
from protypon.core.model.nouns import Release, Theme, Unit
from protypon.core.platform.meanings import meant_calls
from protypon.core.units.past_release import codes_of
from protypon.core.units.registry import is_in_code, supplied_by, texts_of
from protypon.core.units.world import World


def with_newcomers(world: World, found: Iterable[Evidence]) -> list[Evidence]:
    """The evidence with a note of each override without a record that hides something which no earlier kept release had."""
    return [
        replace(e, newcomer=True) if isinstance(e, Present) and not e.subject.listed and _has_appeared(world, e) else e
        for e in found
    ]


def _has_appeared(world: World, e: Present) -> bool:
    theme = world.ancestor(e.subject.now_from)
    if theme is None or e.same or e.subject.how == "detach":
        return False
    earlier = [r for r in world.releases if r.theme in world.lineage.slugs and not _is_present(world, r)]
    same_theme = [r for r in earlier if r.theme == theme.slug]
    return bool(same_theme) and not any(_had(world, release, e.subject.unit) for release in earlier)


def _is_present(world: World, release: Release) -> bool:
    theme: Theme | None = world.ancestor(release.theme)
    return theme is None or release.identity == theme.identity or release.edited_from is not None


def _had(world: World, release: Release, unit: Unit) -> bool:
    """Whether a kept release supplied a unit."""
    if not is_in_code(unit):
        return unit.path in world.snapshot.files_of(release)
    texts = texts_of(unit.kind)
    if texts is not None:
        return texts.in_release(world, release, unit) is not None
    does = supplied_by(unit.kind)
    return not does or (does, unit.name or unit.path) in _named_in(world, release)


def _named_in(world: World, release: Release) -> set[tuple[str, str]]:
    """What the calls of a kept release did to something of a name."""
    key = ("named in", release.tree)
    if key not in world.snapshot.worked_out:
        codes = codes_of(world, release)
        world.snapshot.worked_out[key] = {
            (each.meaning.does, each.name)
            for code in codes
            for each in meant_calls(code, world.platform.code)
            if each.name
        }
    found: set[tuple[str, str]] = world.snapshot.worked_out[key]
    return found
