"""Settle: "I have seen this and keep mine". What the parent has today becomes what the override is compared with."""

from __future__ import annotations

import shlex
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from protypon.core.actions.drop import meant_in, overrides_of
from protypon.core.actions.keep import keep_edit, keep_state
from protypon.core.actions.records import records_now, remember, write_ledger
from protypon.core.check.comparing import source_path
from protypon.core.check.examine import world_of
from protypon.core.model.actions import Adopt, Check, Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, Lost, Missing, Supplied, text_of
from protypon.core.model.nouns import Plan, Record, Theme, Unit
from protypon.core.store import edits, ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.proposals import path_of
from protypon.core.store.proposing import Proposals
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.file.headed import rest_of
from protypon.core.units.registry import is_in_code, is_part, texts_of
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class Settled:
    """One thing that is kept as it is: an override, or what was edited in a parent."""

    unit: Unit
    left: str = ""
    """A proposal that stays, because a person has edited it."""
    patch: str = ""
    """Where the edits of a parent lie as a patch."""
    child: str = ""


def plan_settle(
    bench: Bench, children: Callable[[], Sequence[Theme]], texts: Iterable[str], why: str, where: bool = False
) -> tuple[Plan, list[Settled]]:
    """Plan new records in each child, or with ``where`` in those that have the overrides; texts stay as they are.

    Raises ProtyponError where nothing is there to compare with. ``theme:SLUG`` settles the edits in a parent's own folder, until its
    contents change again; ``children`` are asked for only where an override is meant.
    """
    builder = PlanBuilder(bench.folder)
    typed = list(texts)
    themes = {text: slug for text in typed if (slug := _theme_meant(bench, text))}
    settled = [_settled_theme(bench, builder, slug, why) for slug in themes.values()]
    overrides = [text for text in typed if text not in themes]
    option = ""
    if overrides:
        chosen, waiting = children(), Proposals(builder)
        for child, units in meant_in(bench, chosen, overrides, where):
            settled += _settled_overrides(bench, child, builder, waiting, units, why)
        option = " --all-children" if where else "".join(f" --child {child.slug}" for child in chosen)
    names = dict.fromkeys(item.unit.address for item in settled)
    return builder.plan(f"settle {shlex.join(names)}{option}"), settled


def _theme_meant(bench: Bench, text: str) -> str:
    """The slug of ``theme:SLUG``, or of a theme that is named without ``theme:`` and was edited in its folder."""
    if text.startswith("theme:"):
        return text[6:]
    theme = bench.themes.get(text)
    if theme is None or theme.maintained:
        return ""
    touched = edits.edited_release(theme, bench.releases) or edits.wiped_out(theme, bench.releases, bench.edits)
    return theme.slug if touched is not None else ""


def _settled_theme(bench: Bench, builder: PlanBuilder, slug: str, why: str) -> Settled:
    theme = bench.theme(slug)
    release = edits.edited_release(theme, bench.releases)
    wiped = edits.wiped_out(theme, bench.releases, bench.edits)
    if release is None and wiped is not None:
        keep_state(builder, bench, wiped, why)
        return Settled(Unit("theme", slug))
    if release is None:
        raise ProtyponError(f"theme:{slug}: is not edited in its folder, so there is nothing to settle", Check())
    kept = keep_edit(builder, bench, theme, release, "the bench", why)
    return Settled(Unit("theme", slug), patch=kept.patch)


def _settled_overrides(
    bench: Bench, child: Theme, builder: PlanBuilder, waiting: Proposals, units: Iterable[Unit], why: str
) -> Iterator[Settled]:
    snapshot = Snapshot.of_bench(bench)
    found = overrides_of(bench, child, snapshot)
    records = records_now(builder, bench, world_of(bench, child, snapshot, {}))
    for unit in units:
        record = _settle_record(bench, child, found[unit], records.get(unit), why, snapshot, builder)
        records = ledger.change_records(records, [record])
        left = waiting.discard(child.slug, path_of(unit, found[unit].subject.file, is_part(unit)))
        yield Settled(unit, left, child=child.slug)
    write_ledger(builder, child, records)


def _settle_record(
    bench: Bench, child: Theme, e: Evidence, record: Record | None, why: str, snapshot: Snapshot, builder: PlanBuilder
) -> Record:
    unit = e.subject.unit
    if isinstance(e, Missing):
        raise ProtyponError(
            f"{unit.address}: the file is gone, so there is nothing to keep",
            ("forget it with: ", Drop(unit.address)),
        )
    world = world_of(bench, child, snapshot, {})
    if record is not None and isinstance(e.source, Lost) and e.source.referred:
        return replace(record, why=why, alone_since=world.label_now(record.source))
    if is_in_code(unit):
        return _settled_in_code(bench, world, e, record, why, builder)
    theme = world.supplier(e.subject.now_from)
    if theme is None or not isinstance(e.source, Supplied):
        raise _nothing_further_up(unit)
    data = snapshot.read(theme, source_path(world, e.subject))
    data = rest_of(data) if e.subject.inside else data
    digest = content(data).digest
    remember(builder, bench, digest, data)
    made = record or Record(unit, e.subject.how, theme.slug, None, digest)
    return replace(made.held_against(theme.slug, theme.release, digest), why=why, sure="")


def _nothing_further_up(unit: Unit) -> ProtyponError:
    because = f"{unit.address}: nothing in the lineage supplies it, so there is nothing to settle against"
    return ProtyponError(because, Drop(unit.address))


def _settled_in_code(
    bench: Bench, world: World, e: Evidence, record: Record | None, why: str, builder: PlanBuilder
) -> Record:
    """What the parents have today, function or claim, is what the override is held against."""
    unit, text = e.subject.unit, text_of(e)
    if record is None:
        raise ProtyponError(f"{unit.address}: has no record yet", ("begin one with: ", Adopt()))
    if not text:
        raise _nothing_further_up(unit)
    digest = content(text).digest
    remember(builder, bench, digest, text)
    texts, o = texts_of(unit.kind), e.subject
    seen = texts.settle_record(world, record) if texts is not None else record
    return replace(seen.held_against(o.now_from or record.source, o.now, digest), why=why, sure="")
