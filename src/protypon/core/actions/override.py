"""Override: copy a file of an ancestor, byte for byte, to the place where the platform will look, and record it."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable
from dataclasses import dataclass, replace

from protypon.core import ledger
from protypon.core.actions.records import find_unit, remember, write_ledger
from protypon.core.bench import Bench
from protypon.core.errors import ProtyponError, Unknown
from protypon.core.examine import world_of
from protypon.core.findings import broken_addresses
from protypon.core.model import Content, Lineage, Plan, Record, Theme, Unit
from protypon.core.overlay import Overlay
from protypon.core.paths import quote_path
from protypon.core.platform import FileRule
from protypon.core.sources import BenchSources
from protypon.core.world import World


@dataclass(frozen=True, slots=True)
class Taken:
    """One override that was begun."""

    unit: Unit
    source: Theme
    file: str
    notes: tuple[tuple[str, str], ...] = ()
    """What there is to know, each with the command that helps, if one does."""


def plan_override(
    bench: Bench, child: Theme, texts: Iterable[str], source: str | None = None, why: str = ""
) -> tuple[Plan, list[Taken]]:
    """Plan copies for what was typed.

    Raises Unknown for a name that stands for nothing or an ancestor that is none; ProtyponError where the child has
    the file already, or where a copy would not take the original's place.
    """
    overlay = Overlay(str(bench.root))
    sources = BenchSources(bench, overlay)
    world = world_of(bench, child, sources, {})
    origins = _origins(world, source)
    records = dict(world.records)
    taken = []
    for text in texts:
        _refuse_others(world, text, origins)
        unit = find_unit(text, world, origins)
        rule = bench.platform.rule_of(unit.path) or FileRule(unit.kind, ())
        origin = _origin(unit, origins)
        path = _free(child, origin, unit, overlay)
        found = origin.files[unit.path]
        data = sources.read(origin, unit.path)
        overlay.write(os.path.join(child.folder, path), Content(found.digest, found.mode, data))
        remember(overlay, bench, found.digest, data)
        records = ledger.changed(
            records, [Record(unit, "copy", origin.slug, origin.release, found.digest, why, source is not None)]
        )
        taken.append(Taken(unit, origin, path, tuple(_notes(world, unit, rule, origin, source is not None))))
    write_ledger(overlay, child, records)
    names = " ".join(shlex.quote(t.unit.address) for t in taken)
    return overlay.plan(f"override {names} --child {child.slug}"), taken


def _origins(world: World, source: str | None) -> tuple[Theme, ...]:
    if source is None:
        return world.ancestors
    theme = world.ancestor(source)
    if theme is None:
        names = ", ".join(t.slug for t in world.ancestors) or "none"
        raise Unknown(f"{source!r} is no ancestor of {world.child.slug}", f"its ancestors here are: {names}")
    return (theme,)


def _refuse_others(world: World, text: str, origins: tuple[Theme, ...]) -> None:
    """Say why a file that an ancestor has can't be overridden by a copy, where that is so."""
    path = text.partition(":")[2] or text
    theme = next((t for t in origins if path in t.files), None)
    if theme is None:
        if world.resolver.root_supplies(path):
            root = world.lineage.root
            raise ProtyponError(
                f"{text}: comes with the platform's {root}, which is not in this bench",
                f"put a copy of {root} into themes/",
            )
        return
    rule = world.platform.rule_of(path)
    title = world.platform.title
    if path == theme.manifest:
        raise ProtyponError(f"{text}: is the manifest of {theme.slug}; {world.child.slug} has its own", "edit that one")
    if not world.platform.is_inherited(path):
        raise ProtyponError(
            f"{text}: is not inherited on {title}, so there is nothing to override", "put a file of your own there"
        )
    if rule is not None and rule.combine == "load":
        why = f"{title} loads such a file of every theme, so a copy would run beside the original, not in its place"
        raise ProtyponError(f"{text}: {why}", "write what you add into a file of another name")
    if rule is None:
        raise ProtyponError(
            f"{text}: {title} does not look for it in a child",
            "see what can be overridden with: protypon survey --units",
        )


def _origin(unit: Unit, origins: tuple[Theme, ...]) -> Theme:
    """The ancestor whose file the platform uses now; nothing below it counts."""
    return next(t for t in origins if unit.path in t.files)


def _free(child: Theme, origin: Theme, unit: Unit, overlay: Overlay) -> str:
    standing = overlay.entry(os.path.join(child.folder, unit.path))
    if standing is not None:
        raise ProtyponError(
            f"{child.slug} has {quote_path(unit.path)} already; nothing was overwritten",
            f"see how it stands with: protypon check {child.slug}",
        )
    return unit.path


def _notes(world: World, unit: Unit, rule: FileRule, origin: Theme, pinned: bool) -> Iterable[tuple[str, str]]:
    nearer = next((t.slug for t in world.ancestors if unit.path in t.files), origin.slug)
    if pinned and nearer != origin.slug:
        yield f"{nearer}, which is nearer, overrides it too; yours will be compared with the one of {origin.slug}", ""
    if rule.combine == "overlay":
        yield f"{world.platform.title} lays it key by key over the parent's: keep only the keys you change", ""
    for target, line in _broken_in_copy(world, unit, rule, origin):
        holder = next((t for t in world.ancestors if target in t.files), None)
        other = world.platform.rule_of(target)
        address = shlex.quote(f"{other.kind}:{quote_path(target)}") if holder and other else ""
        step = f"protypon override {address} --child {world.child.slug}" if address else ""
        yield f"line {line} asks for {quote_path(target)}, which is not there beside the copy", step


def _broken_in_copy(world: World, unit: Unit, rule: FileRule, origin: Theme) -> list[tuple[str, int]]:
    """Relative addresses that the copy will not find from where it stands."""
    if rule.kind not in ("style", "script"):
        return []
    with_copy = replace(world.child, files={**world.child.files, unit.path: origin.files[unit.path]})
    lineage = Lineage((with_copy, *world.lineage.themes[1:]), root=world.lineage.root)
    copied = World(world.platform, lineage, world.records, world.releases, world.sources)
    return broken_addresses(copied, unit.path, rule)
