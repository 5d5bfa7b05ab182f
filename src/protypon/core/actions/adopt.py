"""Adopt: records for the overrides of a child made by hand, each with the kept release whose text is nearest."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace

from protypon.core.actions.drop import overrides_of
from protypon.core.actions.keep import keep_into
from protypon.core.actions.records import remember, write_ledger
from protypon.core.check.examine import world_of
from protypon.core.merge.likeness import TIE, alike
from protypon.core.model.actions import Survey
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, Subject, Supplied, Unreached, own_of, text_of
from protypon.core.model.nouns import Plan, Record, Release, Theme
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.registry import is_in_code, texts_of
from protypon.core.units.world import World

LIKELY = 0.8
"""From here on, and with no other text as near, an origin is likely and not a guess."""


@dataclass(frozen=True, slots=True)
class Adopted:
    record: Record
    alike: float
    runner_up: str = ""
    """The next best release with another text, and how alike that is."""


@dataclass(frozen=True, slots=True)
class _Origin:
    """A text that an override may have been made from."""

    release: Release
    digest: str
    alike: float


def plan_adopt(bench: Bench, child: Theme) -> tuple[Plan, list[Adopted], list[Unreached]]:
    """Plan records for every override without one; also tells those that were left, being copies nobody looks at.

    Raises ProtyponError where a child has no parent here.
    """
    world = world_of(bench, child, Snapshot.of_bench(bench), {})
    if not world.ancestors:
        raise ProtyponError(
            f"{child.slug} has no parent in this bench, so it overrides nothing",
            ("look at it with: ", Survey(child.folder)),
        )
    builder = PlanBuilder(bench.folder)
    snapshot = Snapshot.of_bench(bench)
    keep_into(builder, bench, [t for t in world.ancestors if not t.maintained], "the bench")
    found = [e for e in overrides_of(bench, child, snapshot).values() if not e.subject.listed]
    in_code = [e for e in found if is_in_code(e.subject.unit.kind)]
    files = [e for e in found if not is_in_code(e.subject.unit.kind)]
    strays = [e for e in files if isinstance(e, Unreached) and e.subject.file != e.subject.unit.path]
    wanted = [e for e in files if e not in strays]
    origins = {e.subject.unit: _origins(world, e.subject, snapshot) for e in wanted if not e.subject.inside}
    favourite = _favourites(origins.values())
    adopted = []
    for e in wanted:
        if e.subject.inside:
            adopted.append(_behind_the_head(e))
            remember(builder, bench, adopted[-1].record.digest, text_of(e))
            continue
        near = origins[e.subject.unit]
        result = _choose(e.subject, near, favourite) if near else _present(world, e, snapshot)
        if result is not None:
            adopted.append(result)
            data = snapshot.blob(result.record.digest) or _present_text(world, e.subject, snapshot)
            remember(builder, bench, result.record.digest, data)
    for e in in_code:
        result, data = _in_code(world, e)
        adopted.append(result)
        remember(builder, bench, result.record.digest, data)
    write_ledger(builder, child, ledger.changed(bench.records(child), [a.record for a in adopted]))
    return builder.plan(f"adopt {child.slug}"), adopted, strays


def _behind_the_head(e: Evidence) -> Adopted:
    """What stands behind the manifest of the child, held against what the parent has there today."""
    o, own = e.subject, own_of(e)
    assert own is not None and own.part is not None
    score = alike(own.part.ours, own.part.theirs)
    record = Record(o.unit, o.how, o.now_from or "", o.now, content(text_of(e)).digest)
    return Adopted(replace(record, sure="exact" if score == 1.0 else "guess"), score)


def _in_code(world: World, e: Evidence) -> tuple[Adopted, bytes]:
    """A unit inside code: of a copy the kept text that is nearest, of all else what the parents do today."""
    o, today, texts = e.subject, text_of(e), texts_of(e.subject.unit.kind)
    record = Record(o.unit, o.how, o.origin or "", o.now, content(today).digest, sure="guess", written=o.written)
    if texts is None or o.now_from is None:
        return Adopted(replace(record, sure="likely"), 1.0), today
    ours = texts.own(Draft(world), record)
    found = [
        (1.0 if text == ours else alike(ours or b"", text), release, text)
        for release in world.releases
        if release.theme == o.now_from and (text := texts.in_release(world, release, o.unit)) is not None
    ]
    if not found:
        return Adopted(record, alike(ours or b"", today)), today
    best = max(score for score, _, _ in found)
    score, release, text = next(row for row in reversed(found) if row[0] == best)
    others = [row for row in found if row[2] != text]
    second = max(others, key=lambda row: row[0], default=None)
    clear = second is None or best - second[0] >= TIE / 5
    sure = "exact" if score == 1.0 else ("likely" if score >= LIKELY and clear else "guess")
    made = replace(record, release=release.label, digest=content(text).digest, sure=sure)
    return Adopted(made, score, f"{second[1].name} ({second[0]:.0%})" if second else ""), text


def _origins(world: World, o: Subject, snapshot: Snapshot) -> list[_Origin]:
    """Every kept release, of the nearest ancestor that ever had the file, with how alike its text is."""
    ours, digest_of_ours = snapshot.read(world.child, o.file), world.child.files[o.file].digest
    for theme in world.ancestors:
        found = []
        for release in world.releases:
            digest = snapshot.files_of(release).get(o.unit.path, (0, ""))[1] if release.theme == theme.slug else ""
            if digest:
                text = snapshot.blob(digest)
                found.append(_Origin(release, digest, 1.0 if digest == digest_of_ours else alike(ours, text or b"")))
        if found:
            return found
    return []


def _favourites(origins: Iterable[list[_Origin]]) -> dict[str, str]:
    """For each ancestor the release that is nearest over the whole child; of equals, the newest."""
    scores: dict[str, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for found in origins:
        for origin in found:
            scores[origin.release.theme][origin.release.name] += origin.alike
    return {theme: max(reversed(list(by_name)), key=lambda name: by_name[name]) for theme, by_name in scores.items()}


def _choose(override: Subject, origins: list[_Origin], favourite: dict[str, str]) -> Adopted:
    best = max(o.alike for o in origins)
    texts = {o.digest for o in origins if o.alike == best}
    near = [o for o in origins if o.digest in texts]
    if best < 1.0:
        near = [o for o in origins if o.alike > best - TIE / 5] or near
    chosen = next((o for o in near if o.release.name == favourite.get(o.release.theme)), near[-1])
    others = [o for o in origins if o.digest != chosen.digest]
    second = max(others, key=lambda o: o.alike, default=None)
    release = chosen.release
    record = Record(
        override.unit, override.how, release.theme, release.label, chosen.digest, sure=_sure(chosen, second)
    )
    runner_up = f"{second.release.name} ({second.alike:.0%})" if second else ""
    return Adopted(record, chosen.alike, runner_up)


def _sure(chosen: _Origin, second: _Origin | None) -> str:
    if chosen.alike == 1.0:
        return "exact"
    clear = second is None or chosen.alike - second.alike >= TIE / 5
    return "likely" if chosen.alike >= LIKELY and clear else "guess"


def _present(world: World, e: Evidence, snapshot: Snapshot) -> Adopted | None:
    """No release is kept that has it: what the lineage has today is all there is to go by."""
    o = e.subject
    theme = world.ancestor(o.now_from)
    if theme is None or not isinstance(e.source, Supplied):
        return None
    score = alike(snapshot.read(world.child, o.file), _present_text(world, o, snapshot))
    sure = "exact" if score == 1.0 else "guess"
    return Adopted(Record(o.unit, o.how, theme.slug, theme.release, e.source.digest, sure=sure), score)


def _present_text(world: World, o: Subject, snapshot: Snapshot) -> bytes:
    theme = world.ancestor(o.now_from)
    return snapshot.read(theme, o.unit.path) if theme is not None and o.unit.path in theme.files else b""
