"""One child examined afresh: its world, every verdict, every finding."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import partial
from itertools import groupby
from typing import NamedTuple

from protypon.core.check.against import Against
from protypon.core.check.bench_findings import of_bench, standing
from protypon.core.check.comparing import with_comparisons
from protypon.core.check.file_findings import copied_whole, light_copies
from protypon.core.check.findings import findings
from protypon.core.check.judge import judge
from protypon.core.check.report import Report, child_report, finding_rows
from protypon.core.files.notes import note
from protypon.core.files.processes import in_processes
from protypon.core.model.actions import OpenInEditor, RepairStore, Update
from protypon.core.model.evidence import Evidence, Present, Sentence, Stops, Unreached, Verdict
from protypon.core.model.nouns import Finding, Lineage, Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.store import edits, proposals
from protypon.core.themes.alike import alike
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import lineage_of, with_manifest
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.appearing import with_newcomers
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.registry import behind_of, in_code, is_followed, is_in_code, kinds, kinds_in_code
from protypon.core.units.world import World

ALONE = 0.5
"""Seconds that one process works before others join it."""


class Examined(NamedTuple):
    """A report made afresh, with what it hangs on."""

    slug: str
    report: Report
    findings: list[Report]
    """Those that are no findings of how themes stand in the bench."""
    texts: set[tuple[str, str]]
    """Files of ancestors whose text or digest was looked at as they lie there, as (theme, path)."""
    own: set[tuple[str, str]]
    """The same of those that only the override of that path has looked at."""
    released: set[tuple[str, str]]
    """The same of ancestors as they were released, where that is another world."""
    as_released: list[str]
    """The ancestors that are another thing there, because they were edited in their folder."""
    code: set[tuple[str, str]]
    """Files of which somebody asked what they do."""
    edited: dict[str, bool]
    """Themes of which it mattered whether they were edited in their folder, and whether they were."""
    light: list[str]
    """Copies that lighter overrides could say."""


def check_children(
    bench: Bench, slugs: list[str], against: Against | None, only: bool, jobs: int = 1
) -> tuple[list[Examined], bool]:
    """Check several children, sharing what they read; and whether all that was read is in the cache now.

    With ``jobs`` over one, what is left after a while is done by so many processes.
    """
    snapshot = Snapshot.of_bench(bench)

    def examine_share(share: list[str]) -> tuple[list[Examined], bool]:
        found = [check_child(bench, bench.theme(slug), snapshot, against, only) for slug in share]
        snapshot.save()
        return found, bench.facts.kept

    begun, done = time.monotonic(), 0
    made: list[Examined] = []
    while done < len(slugs) and (jobs == 1 or len(slugs) - done == 1 or time.monotonic() - begun < ALONE):
        made += examine_share(slugs[done : done + 1])[0]
        done += 1
    kept = bench.facts.kept
    left = [share for number in range(jobs) if (share := slugs[done + number :: jobs])]
    bench.cache.close()
    for share, result in zip(left, in_processes([partial(examine_share, share) for share in left]), strict=True):
        found, also = result or examine_share(share)
        made += found
        kept = kept and also
    return made, kept


def check_child(bench: Bench, child: Theme, snapshot: Snapshot, against: Against | None, only: bool) -> Examined:
    """Check one child afresh."""
    note("check", "%s: examined afresh", child.slug)
    replaced = {against.theme.slug: against.theme} if against else {}
    world = world_of(bench, child, snapshot, replaced)
    present = present_world(bench, child, snapshot, replaced, world)
    standing_in_bench = list(of_bench(present, bench.all_themes))
    snapshot.trace.begin(child.slug)
    waiting = proposals.standing(bench.folder, child.slug)
    steps = NextSteps(
        child.slug,
        only,
        against.path if against else None,
        against.theme.slug if against else None,
        {name: bench.folder.path(each.to_finish) if each.to_finish else "" for name, each in waiting.items()},
    )
    verdicts = verdicts_of(world, steps)
    light = light_copies(world, verdicts)
    noted = snapshot.trace.take()
    if present is not world:
        released = noted.shared | noted.own
        verdicts = _as_it_runs(verdicts, in_vain_of(present, steps))
        noted = snapshot.trace.take()
    else:
        released = set()
    in_vain = {v.subject.unit.path for v in verdicts if isinstance(v.evidence, Stops | Unreached)}
    texts = noted.shared | {(slug, path) for slug, path in noted.own if path in in_vain}
    own = noted.own - texts if present is world else set()
    before = world_of(bench, child, snapshot, {}) if against else present
    told = list(findings(present, bench.store.releases("packed"), verdicts, steps, before))
    told += copied_whole(child.slug, light)
    told += _store_gone(child, bench)
    said = {proposals.path_of(v.unit, v.subject.file, v.subject.inside) for v in verdicts if v.verdict == "conflicted"}
    told += _proposals_that_wait(child, waiting, said, bench)
    if against and against.theme.slug in world.lineage.slugs and against.theme.slug in bench.themes:
        told += standing(present, bench.themes[against.theme.slug], bench.all_themes)
    order = {f"{r.theme} {r.label}": n for n, r in enumerate(bench.releases)}
    report = child_report(world.lineage, verdicts, [*standing_in_bench, *told], order)
    edited = {t.slug: bool(t.stored) for t in world.ancestors if t.slug in snapshot.trace.edited}
    texts = texts.union(*snapshot.trace.take(), snapshot.trace.lying)
    as_released = [t.slug for t in world.ancestors if t.stored]
    return Examined(
        child.slug,
        report,
        finding_rows(told),
        texts,
        own - texts,
        released,
        as_released,
        set(snapshot.trace.code),
        edited,
        light,
    )


def _as_it_runs(verdicts: list[Verdict], in_vain: list[Verdict]) -> list[Verdict]:
    """Beside an edited parent: what stops the site, or is never used, as things stand, is said whatever the release has."""
    seen = {v.unit: v for v in in_vain}
    return [seen.get(v.unit, v) for v in verdicts]


def _store_gone(child: Theme, bench: Bench) -> Iterator[Finding]:
    """The store's texts are not there: said once, whatever hangs on it."""
    if not bench.store.begun and (bench.states or bench.records(child)):
        because = (
            ".protypon/store is gone, and with it the texts of kept releases and former contents: overrides can't be merged, "
            "nothing earlier can be taken back; themes and ledgers are as they were"
        )
        yield Finding("store-gone", "error", child.slug, "", because, RepairStore())


def _proposals_that_wait(
    child: Theme, waiting: Mapping[str, proposals.Waiting], said: set[str], bench: Bench
) -> Iterator[Finding]:
    """Each proposal, and how far it is; of one that is not begun the verdict beside it says all there is."""
    rows = proposals.read(bench.folder).get(child.slug, {})
    for file, each in sorted(waiting.items()):
        if each.state == proposals.FRESH and file in said:
            continue
        where = proposals.place(child.slug, file)
        because = f"{quote_path(where)} waits for you: {each.state}"
        update = Update(rows[file].parent) if rows[file].parent else None
        step = OpenInEditor(bench.folder.path(each.to_finish)) if each.to_finish else update
        yield Finding("proposal-waits", "note", child.slug, file, because, step)


def world_of(bench: Bench, child: Theme, snapshot: Snapshot, replaced: Mapping[str, Theme]) -> World:
    """A child as it is judged, with some themes of the bench replaced by others; a parent that was edited in place counts as released."""
    others = (theme for theme in bench.themes.values() if theme.slug != child.slug)
    released = {t.slug: t for t in map(partial(as_released, bench, snapshot), others)}
    return _world(bench, child, snapshot, {**bench.themes, **released, **replaced}, replaced)


def present_world(
    bench: Bench, child: Theme, snapshot: Snapshot, replaced: Mapping[str, Theme], released: World | None = None
) -> World:
    """A child as the platform runs it now, edited parents and all; where none was edited, the ``released`` world itself."""
    found = _world(bench, child, snapshot, {**bench.themes, **replaced}, replaced)
    if released is None or released.lineage == found.lineage:
        return released or found
    if released.lineage.slugs != found.lineage.slugs:
        return found
    pairs = zip(released.lineage.themes, found.lineage.themes, strict=True)
    both = [alike(snapshot, bench.platform, one, other) for one, other in pairs]
    if not all(a.reach for a in both):
        return found
    return replace(found, alike=released, runs_alike=all(a.code for a in both))


def as_released(bench: Bench, snapshot: Snapshot, theme: Theme) -> Theme:
    """A theme as its maker released it, if it was edited in the bench; else as it is. Asked once for all children."""
    key = ("released", theme.folder, theme.identity)
    known, made = snapshot.worked_out.get(key, (None, theme))
    if known is not theme:
        made = _as_released(bench, snapshot, theme)
        snapshot.worked_out[key] = theme, made
    assert isinstance(made, Theme)
    return made


def _as_released(bench: Bench, snapshot: Snapshot, theme: Theme) -> Theme:
    release = edits.edited_release(theme, bench.releases)
    if release is None or not edits.is_numbered(theme):
        return theme
    files = snapshot.files_of(release)
    seen = edits.as_released(theme, release, files)
    if not files or not all(bench.store.has(seen.files[path].digest) for path in seen.stored):
        return theme
    if theme.manifest in seen.stored:
        return with_manifest(seen, snapshot.read(seen, theme.manifest), bench.platform)
    return seen


def _world(
    bench: Bench, child: Theme, snapshot: Snapshot, themes: Mapping[str, Theme], replaced: Mapping[str, Theme]
) -> World:
    found: Lineage = lineage_of(themes[child.slug], themes, bench.platform)
    lineage = replace(found, themes=(found.child, *map(snapshot.with_trace, found.themes[1:])))
    standing_at = {t.slug: t.folder for t in bench.themes.values()}
    looked_at = tuple(t for t in replaced.values() if t.folder != standing_at.get(t.slug))
    return World(bench.platform, lineage, bench.records(child), bench.releases, snapshot, looked_at, bench.edits)


def verdicts_of(world: World, steps: NextSteps) -> list[Verdict]:
    """Judge every override of a world."""
    found = [_beside_edits(world, e) for e in with_newcomers(world, evidence_of(world))]
    return [judge(e, steps) for e in with_comparisons(world, found)]


def in_vain_of(world: World, steps: NextSteps) -> list[Verdict]:
    """Judge the overrides of a world that stop the site, or are never used."""
    found: list[Evidence] = [e for e in evidence_of(world) if isinstance(e, Stops | Unreached)]
    return [judge(e, steps) for e in with_comparisons(world, found)]


def evidence_of(world: World) -> list[Evidence]:
    """The evidence of every override; where one stops the site, the others as they come out once that one is mended."""
    found: list[Evidence] = [evidence for kind in kinds() for evidence in kind.find(world)]
    return _behind(world, found) if any(_stops_in_code(e) for e in found) else found


def _beside_edits(world: World, e: Evidence) -> Evidence:
    """A copy inside code that says what an edited parent's release says: to drop it would bring the edits in."""
    theme = world.ancestor(e.subject.now_from) if is_in_code(e.subject.unit) else None
    if theme is None or not isinstance(e, Present) or not e.same:
        return e
    world.snapshot.trace.edited.add(theme.slug)
    if not theme.stored:
        return e
    return replace(e, needed=f"{theme.slug} was edited in its own folder, and what stands there would be used instead")


MOST_STOPS = 5
"""Overrides that stop the site, of which so many are looked behind."""


def _stops_in_code(e: Evidence) -> bool:
    return isinstance(e, Stops) and is_in_code(e.subject.unit)


def _behind(world: World, found: list[Evidence]) -> list[Evidence]:
    """What the other overrides inside code come to once those that stop the site are mended, or out: else nothing could be told."""
    stopping: dict[Unit, Evidence] = {}
    now = world
    for _ in range(MOST_STOPS):
        new = [e.subject.unit for e in found if _stops_in_code(e) and e.subject.unit not in stopping]
        if not new:
            break
        stopping |= {e.subject.unit: e for e in found if e.subject.unit in new}
        for kind, units in groupby(sorted(new), lambda unit: unit.kind):
            behind = behind_of(kind)
            records = [world.records[unit] for unit in units if unit in world.records]
            now = behind.out_of_the_way(now, records) if behind is not None else now
        found = [e for e in found if not is_followed(e.subject.unit.kind)]
        found += [e for kind in kinds_in_code() if is_followed(kind) for e in in_code(kind).find(now)]
    names = " and ".join(unit.address for unit in stopping)
    left = [e for e in found if e.subject.unit not in stopping and not any(_is_doing(unit, e) for unit in stopping)]
    return [*stopping.values(), *(_once(e, names) if is_followed(e.subject.unit.kind) else e for e in left)]


def _is_doing(stopping: Unit, other: Evidence) -> bool:
    behind = behind_of(stopping.kind)
    return behind is not None and behind.is_its_doing(stopping, other)


def _once(e: Evidence, names: str) -> Evidence:
    """The same evidence, with what must happen before said first."""
    prefix = f"once {names} is mended: "
    told = {verdict: replace(t, because=_after(prefix, t.because)) for verdict, t in e.subject.told.items()}
    return replace(e, subject=replace(e.subject, told=told))


def _after(prefix: str, because: Sentence) -> Sentence:
    return prefix + because if isinstance(because, str) else (prefix, *because)
