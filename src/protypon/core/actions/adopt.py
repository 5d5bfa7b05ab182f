"""Adopt: records for the overrides of a child made by hand, each with the kept release whose text is nearest."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple, TypeGuard

from protypon.core.actions.keep import keep_into
from protypon.core.actions.origins import KeptText, choose, same_everywhere
from protypon.core.actions.records import choose as choose_unit
from protypon.core.actions.records import remember, write_ledger
from protypon.core.check.bench_findings import wrong_parent_name
from protypon.core.check.examine import world_of
from protypon.core.merge.likeness import alike
from protypon.core.model.actions import Keep, Mend, Survey
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.evidence import Evidence, Subject, Supplied, Unreached, own_of, text_of
from protypon.core.model.nouns import Plan, Record, Release, Theme, Unit
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.registry import Texts, is_in_code, kinds, row_of, texts_of
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class Adopted:
    """What became of one override."""

    unit: Unit
    record: Record | None
    """None: what it was made from can't be told, and it is left without a record."""
    alike: float
    runner_up: str = ""
    """The next best release with another text, and how alike that is."""
    later: bool = False
    """It comes from a release that is later than the one in the bench."""
    here: str = ""
    """The release in the bench, of one without a record."""


class Wanted(NamedTuple):
    """What a person says: which overrides, and from which release they are; empty: all without a record, and as is found."""

    units: tuple[str, ...] = ()
    release: str | None = None


EVERYTHING = Wanted()


def plan_adopt(bench: Bench, child: Theme, wanted: Wanted = EVERYTHING) -> tuple[Plan, list[Adopted], list[Unreached]]:
    """Plan records for overrides without one; also tells those that were left, being copies nobody looks at.

    Raises ProtyponError where a child has no parent here, UnknownName for a unit or release that there is not.
    """
    world = world_of(bench, child, Snapshot.of_bench(bench), {})
    wrong = bench.misnamed_parent(child)
    if wrong:
        code, because = wrong_parent_name(bench, child, wrong)
        raise ProtyponError(f"{child.slug}: {because}", ("mend that first: ", Mend(code, child.slug)))
    if not world.ancestors:
        raise ProtyponError(
            f"{child.slug} has no parent in this bench, so it overrides nothing",
            ("look at it with: ", Survey(child.folder)),
        )
    builder = PlanBuilder(bench.folder)
    keep_into(builder, bench, [t for t in world.ancestors if not t.maintained], "the bench")
    records, adopted, strays = with_adopted(bench, builder, world, wanted)
    write_ledger(builder, child, records)
    return builder.plan(f"adopt {child.slug}"), adopted, strays


def with_adopted(
    bench: Bench, builder: PlanBuilder, world: World, wanted: Wanted = EVERYTHING
) -> tuple[dict[Unit, Record], list[Adopted], list[Unreached]]:
    """The records of a child with those of overrides that had none; what became of each, and copies that nobody looks at."""
    found = {e.subject.unit: e for kind in kinds() for e in kind.find(world)}
    again = bool(wanted.units and wanted.release)
    loose = {unit: e for unit, e in found.items() if again or not e.subject.listed}
    if wanted.units:
        loose = {unit: loose[unit] for unit in (choose_unit(text, sorted(loose)) for text in wanted.units)}
    strays = [e for e in loose.values() if _is_stray(e)]
    adopted = []
    for e in loose.values():
        if e in strays:
            continue
        result, data = _adopt_one(world, e, world.snapshot, wanted.release)
        if result is not None:
            adopted.append(result)
        if result is not None and result.record is not None:
            remember(builder, bench, result.record.digest, data)
    made = [_beside(world.records.get(a.unit), a.record) for a in adopted if a.record is not None]
    return ledger.change_records(world.records, made), adopted, strays


def _beside(known: Record | None, record: Record) -> Record:
    """A record with what an earlier one of the same unit says besides."""
    if known is None:
        return record
    return replace(known, source=record.source, release=record.release, digest=record.digest, sure=record.sure)


def _is_stray(e: Evidence) -> TypeGuard[Unreached]:
    """Whether it is a copy that nobody looks at."""
    is_file = not is_in_code(e.subject.unit)
    return is_file and isinstance(e, Unreached) and e.subject.file != e.subject.unit.path


def _adopt_one(world: World, e: Evidence, snapshot: Snapshot, said: str | None) -> tuple[Adopted | None, bytes]:
    """What becomes of one, and the text that its record names."""
    o = e.subject
    in_code = is_in_code(o.unit)
    if o.inside and not in_code:
        return _behind_the_head(e)
    texts = texts_of(o.unit.kind) if in_code else None
    if texts is not None:
        record = Record(o.unit, o.how, o.origin or "", o.now, content(text_of(e)).digest, written=o.written)
        ours = texts.own(Draft(world), record)
        found = _kept_in_code(world, o, texts)
    elif in_code:
        record = Record(
            o.unit, o.how, o.origin or "", o.now, content(text_of(e)).digest, sure="likely", written=o.written
        )
        return Adopted(o.unit, record, 1.0), text_of(e)
    else:
        ours, found = snapshot.read(world.child, o.file), _kept_texts(world, o, snapshot)
    if said is not None:
        found = [c for c in found if c.release.label == said or c.release.name == said]
        if not found:
            raise UnknownName(
                f"{o.unit.address}: no release {said} that has it is kept", ("keep it with: ", Keep("PATH", said))
            )
    return _from(world, e, ours or b"", found, said is not None) if found else _present(world, e, ours or b"", snapshot)


def _from(world: World, e: Evidence, ours: bytes, found: list[KeptText], said: bool) -> tuple[Adopted, bytes]:
    """A record from the one of some kept texts that is nearest."""
    from protypon.core.store.git import hunks

    o = e.subject
    here = _release_here(world, found[0].release.theme)
    chosen = same_everywhere(found, here) if row_of(o.unit).alone else choose(ours, found, here, hunks)
    if chosen.candidate is None:
        return Adopted(o.unit, None, chosen.alike, chosen.runner_up, here=(here or found[-1].release).name), b""
    release, text = chosen.candidate
    sure = "" if said and chosen.sure != "exact" else chosen.sure
    record = Record(o.unit, o.how, release.theme, release.label, content(text).digest, sure=sure, written=o.written)
    return Adopted(o.unit, record, chosen.alike, chosen.runner_up, chosen.later), text


def _release_here(world: World, slug: str) -> Release | None:
    """The kept release that stands in the bench."""
    theme = world.ancestor(slug)
    return next((r for r in world.releases if theme and (r.theme, r.identity) == (slug, theme.identity)), None)


def _behind_the_head(e: Evidence) -> tuple[Adopted, bytes]:
    """What stands behind the manifest of the child, held against what the parent has there today."""
    o, own = e.subject, own_of(e)
    assert own is not None and own.part is not None
    score = alike(own.part.ours, own.part.theirs)
    record = Record(o.unit, o.how, o.now_from or "", o.now, content(text_of(e)).digest)
    return Adopted(o.unit, replace(record, sure="exact" if score == 1.0 else "guess"), score), text_of(e)


def _kept_texts(world: World, o: Subject, snapshot: Snapshot) -> list[KeptText]:
    """The file in every kept release of the nearest ancestor that ever had it."""
    for theme in world.ancestors:
        found = []
        for release in world.releases:
            digest = snapshot.files_of(release).get(o.unit.path, (0, ""))[1] if release.theme == theme.slug else ""
            if digest:
                found.append(KeptText(release, snapshot.blob(digest) or b""))
        if found:
            return found
    return []


def _kept_in_code(world: World, o: Subject, texts: Texts) -> list[KeptText]:
    """The same of a unit inside code."""
    for theme in [o.now_from] if o.now_from else [t.slug for t in world.ancestors]:
        kept = [r for r in world.releases if r.theme == theme]
        found = [KeptText(r, text) for r in kept if (text := texts.in_release(world, r, o.unit)) is not None]
        if found:
            return found
    return []


def _present(world: World, e: Evidence, ours: bytes, snapshot: Snapshot) -> tuple[Adopted | None, bytes]:
    """No release is kept that has it: what the lineage has today is all there is to go by."""
    o = e.subject
    theme = world.ancestor(o.now_from)
    if theme is None or not isinstance(e.source, Supplied):
        return None, b""
    text = e.source.text or _present_text(theme, o, snapshot)
    score = alike(ours, text)
    sure = "exact" if score == 1.0 else "guess"
    record = Record(o.unit, o.how, theme.slug, theme.release, e.source.digest, sure=sure, written=o.written)
    return Adopted(o.unit, record, score), text


def _present_text(theme: Theme, o: Subject, snapshot: Snapshot) -> bytes:
    return snapshot.read(theme, o.unit.path) if o.unit.path in theme.files else b""
