"""Settle: "I have seen this and keep mine". What the parent has today becomes what the override is compared with."""

from __future__ import annotations

import shlex
from collections.abc import Iterable
from dataclasses import replace

from protypon.core import ledger, proposals
from protypon.core.actions.discard import discard
from protypon.core.actions.drop import overrides_of
from protypon.core.actions.records import choose, remember, write_ledger
from protypon.core.bench import Bench
from protypon.core.errors import ProtyponError
from protypon.core.examine import source_path, world_of
from protypon.core.kinds import IN_CODE
from protypon.core.model import Facts, Plan, Record, Theme, Unit
from protypon.core.origins import attachments, origin_of
from protypon.core.overlay import Overlay, content
from protypon.core.sources import BenchSources
from protypon.core.world import World


def plan_settle(bench: Bench, child: Theme, texts: Iterable[str], why: str) -> tuple[Plan, list[Unit]]:
    """Plan new records; the child's texts stay as they are. Raises ProtyponError where nothing is there to compare with."""
    overlay = Overlay(str(bench.root))
    sources = BenchSources(bench, overlay)
    facts = overrides_of(bench, child, sources)
    records = bench.records(child)
    units = [choose(text, sorted(facts)) for text in texts]
    index = proposals.read(bench.root)
    for unit in units:
        record = _settled(bench, child, facts[unit], records.get(unit), why, sources, overlay)
        records = ledger.changed(records, [record])
        discard(index, overlay, bench, child.slug, proposals.path_of(unit, facts[unit].file))
    write_ledger(overlay, child, records)
    names = " ".join(shlex.quote(u.address) for u in units)
    return overlay.plan(f"settle {names} --child {child.slug}"), units


def _settled(
    bench: Bench, child: Theme, f: Facts, record: Record | None, why: str, sources: BenchSources, overlay: Overlay
) -> Record:
    if f.ours is None:
        raise ProtyponError(
            f"{f.unit.address}: the file is gone, so there is nothing to keep",
            f"forget it with: protypon drop {shlex.quote(f.unit.address)}",
        )
    if f.unit.kind in IN_CODE:
        return _settled_in_code(bench, world_of(bench, child, sources, {}), f, record, why, overlay)
    world = world_of(bench, child, sources, {})
    theme = world.ancestor(f.now_from)
    if theme is None or f.theirs in (None, "?"):
        if record is None or f.referred == "":
            raise ProtyponError(
                f"{f.unit.address}: nothing in the lineage supplies it, so there is nothing to settle against",
                f"protypon drop {shlex.quote(f.unit.address)}",
            )
        return replace(record, why=why)
    data = sources.read(theme, source_path(world, f))
    digest = content(data).digest
    remember(overlay, bench, digest, data)
    how = f.how if record is None else record.how
    return Record(f.unit, how, theme.slug, theme.release, digest, why, record.pinned if record else False)


def _settled_in_code(bench: Bench, world: World, f: Facts, record: Record | None, why: str, overlay: Overlay) -> Record:
    """What the parents have today, function or claim, is what the override is held against."""
    if record is None:
        raise ProtyponError(f"{f.unit.address}: has no record yet", "begin one with: protypon adopt")
    if f.theirs in (None, "?") or not f.text:
        raise ProtyponError(
            f"{f.unit.address}: nothing in the lineage supplies it, so there is nothing to settle against",
            f"protypon drop {shlex.quote(f.unit.address)}",
        )
    digest = content(f.text).digest
    remember(overlay, bench, digest, f.text)
    written = record.written
    parents, origin = world.behaviour.parents, origin_of(world, f.unit.path) if f.unit.kind == "function" else None
    if written.at and parents is not None and origin is not None:
        now = {c.point for c in attachments(parents, origin)}
        written = replace(written, at=tuple(at for at in written.at if at.rpartition(" ")[0] in now))
    return replace(
        record, written=written, digest=digest, source=f.now_from or record.source, release=f.now, why=why, sure=""
    )
