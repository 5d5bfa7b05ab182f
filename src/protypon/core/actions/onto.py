"""Onto another parent: a child whose parent is another theme from now on, its overrides carried over like by an update."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import replace

from protypon.core.actions.carried_rows import Row
from protypon.core.actions.carry import Carrying
from protypon.core.actions.carry_child import carry_child
from protypon.core.actions.keep import keep_into
from protypon.core.actions.update import Updated, descendants
from protypon.core.check.examine import as_released, world_of
from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Survey
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.model.nouns import Plan, Theme
from protypon.core.model.paths import Entry
from protypon.core.platform import manifest
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.proposing import Proposals
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot


def plan_onto(
    bench: Bench, slug: str, other: str, only: Iterable[str] = (), bring: bool = False
) -> tuple[Plan, Updated]:
    """Plan another parent for the children of one; ``bring``: what only the old one had and a child asks for becomes its own.

    Raises UnknownName for a theme that is not there, ProtyponError where the lineage would run in a circle.
    """
    old, new = bench.require_parent(slug), bench.theme(other)
    if old.slug == new.slug:
        raise Usage(f"{slug} is the parent already", "name another one with --onto")
    builder = PlanBuilder(bench.folder)
    snapshot = Snapshot.of_bench(bench)
    children = descendants(bench, old, list(only))
    direct = [child for child in children if slug in child.parents]
    if not direct:
        raise ProtyponError(f"no child of yours names {slug} as its parent", ("see the lineages with: ", Survey()))
    circle = next((child.slug for child in direct if child.slug in bench.lineage(new).slugs), "")
    if circle:
        raise ProtyponError(
            f"{other} is built on {circle}: the lineage would run in a circle", ("see the lineages with: ", Survey())
        )
    keep_into(
        builder,
        bench,
        [t for t in (*bench.lineage(old).themes, *bench.lineage(new).themes) if not t.maintained],
        "the bench",
    )
    waiting = Proposals(builder)
    planned = {t.slug: as_released(bench, snapshot, t) for t in bench.lineage(new).themes if not t.maintained}
    rows: dict[str, list[Row]] = {}
    lost: dict[str, list[tuple[str, str]]] = {}
    for child in children:
        turned = child
        if slug in child.parents:
            turned, snapshot = _with_other_parent(bench, builder, snapshot, child, slug, other)
        planned[child.slug] = turned
        if bring:
            turned, snapshot = _brought(bench, builder, snapshot, turned, old, planned)
            planned[child.slug] = turned
        carrying = Carrying(bench, builder, snapshot, turned, planned, len(bench.children) == 1, waiting)
        rows[child.slug] = carry_child(carrying)
        planned[child.slug], snapshot = carrying.planned_child(), carrying.snapshot
        lost[child.slug] = _only_old(bench, snapshot, planned[child.slug], old, planned)
    told = Updated(slug, old.release, new.release, 0, children=rows, onto=other, lost=lost)
    return builder.plan(f"update {slug} --onto {other}"), told


def _with_other_parent(
    bench: Bench, builder: PlanBuilder, snapshot: Snapshot, child: Theme, old: str, new: str
) -> tuple[Theme, Snapshot]:
    """A child whose manifest names another parent."""
    parents = [new if name == old else name for name in child.parents]
    folder = os.path.basename(child.folder)
    form = manifest.form_of(bench.platform, folder, child.manifest)
    text = builder.read(os.path.join(child.folder, child.manifest)).decode("utf-8")
    said = {"parent": parents if len(parents) > 1 else parents[0]}
    what = content(manifest.write(bench.platform, form, text, said).encode("utf-8"), child.files[child.manifest].mode)
    builder.write(os.path.join(child.folder, child.manifest), what)
    entry = Entry(child.manifest, what.mode, len(what.data or b""), what.digest)
    files = {**child.files, child.manifest: entry}
    turned = replace(
        child, files=files, values={**child.values, **said}, parents=tuple(parents), identity=_identity(files)
    )
    return turned, snapshot.with_texts([what])


def _identity(files: dict[str, Entry]) -> str:
    return blob_digest(repr(sorted((path, entry.digest) for path, entry in files.items())).encode())


def _only_old(
    bench: Bench, snapshot: Snapshot, child: Theme, old: Theme, planned: dict[str, Theme]
) -> list[tuple[str, str]]:
    """Files that only the old parents had, and that something of the child asks for: path, and who asks."""
    world = world_of(bench, child, snapshot, planned)
    had = {path for theme in bench.lineage(old).themes for path in theme.files}
    found: dict[str, str] = {}
    for named in world.resolver.templates.dangling:
        if named.site.theme == child.slug and named.name in had:
            found.setdefault(named.name, f"{named.site.path} line {named.site.line}")
    return sorted(found.items())


def _brought(
    bench: Bench, builder: PlanBuilder, snapshot: Snapshot, child: Theme, old: Theme, planned: dict[str, Theme]
) -> tuple[Theme, Snapshot]:
    """The child with what only its old parents had and it asks for, also by what was brought."""
    while lost := [
        path
        for path, _ in _only_old(bench, snapshot, child, old, {**planned, child.slug: child})
        if path not in child.files
    ]:
        files = dict(child.files)
        for path in lost:
            holder = next(theme for theme in bench.lineage(old).themes if path in theme.files)
            what = content(snapshot.read(holder, path), holder.files[path].mode)
            builder.write(os.path.join(child.folder, path), what)
            files[path] = Entry(path, what.mode, len(what.data or b""), what.digest)
            snapshot = snapshot.with_texts([what])
        child = replace(child, files=files, identity=_identity(files))
    return child, snapshot
