"""The check: for each child, what every override claims and what the platform will really do."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from protypon import __version__
from protypon.core.bench import Bench
from protypon.core.discover import lineage_of
from protypon.core.findings import findings
from protypon.core.judge import Steps, judge
from protypon.core.kinds import kinds
from protypon.core.listing import write_beside
from protypon.core.model import Facts, Lineage, Theme, Verdict
from protypon.core.proposals import waiting
from protypon.core.report import Report, child_report
from protypon.core.sources import BenchSources, Three
from protypon.core.world import World

OF_THE_FOLDER = (
    "folder-above",
    "folder-name",
    "inside-parent",
    "edited-parent",
    "changed-since-kept",
    "updated-elsewhere",
)
"""Findings on where and how a theme stands in the bench: a release that is only looked at has none."""


@dataclass(frozen=True, slots=True)
class Against:
    """A release that is not in the bench, to be looked at as if it were."""

    theme: Theme
    path: str
    """As it was typed."""


def check(bench: Bench, slugs: Iterable[str] = (), against: Against | None = None) -> list[Report]:
    """Check the named children, or all; nothing but caches is written.

    Raises Unknown for a name that is no child, BadInput for a ledger that can't be read.
    """
    kept = _Kept(bench, against)
    wanted = list(slugs)
    children = kept.children()
    if children is None or not set(wanted) <= set(children):
        children = {t.slug: kept.lineage_folders(t) for t in bench.children}
        for slug in wanted:
            bench.child(slug)
        kept.put_children(children)
    sources = BenchSources(bench)
    reports = []
    for slug in wanted or sorted(children):
        report = kept.report(slug, children[slug], len(children))
        if report is None:
            report = check_child(bench, bench.theme(slug), sources, against, len(children) == 1)
            kept.put_report(slug, children[slug], len(children), report)
        reports.append(report)
    sources.save()
    return reports


def check_child(bench: Bench, child: Theme, sources: BenchSources, against: Against | None, only: bool) -> Report:
    """Check one child afresh."""
    replaced = {against.theme.slug: against.theme} if against else {}
    world = world_of(bench, child, sources, replaced)
    steps = Steps(
        child.slug,
        only,
        against.path if against else None,
        against.theme.slug if against else None,
        frozenset(waiting(bench.root, child.slug)),
    )
    verdicts = verdicts_of(world, sources, steps)
    told = list(findings(world, bench.all_themes, bench.store.releases("packed"), verdicts, steps))
    if against:
        told = [f for f in told if f.code not in OF_THE_FOLDER or f.theme != against.theme.slug]
        now = findings(world_of(bench, child, sources, {}), bench.all_themes, (), [], steps)
        told += [f for f in now if f.code in OF_THE_FOLDER and f.theme == against.theme.slug]
    order = {f"{r.theme} {r.label}": n for n, r in enumerate(bench.releases)}
    return child_report(world.lineage, verdicts, told, order)


def world_of(bench: Bench, child: Theme, sources: BenchSources, replaced: Mapping[str, Theme]) -> World:
    """A child as a check sees it, with some themes of the bench replaced by others."""
    themes = {**bench.themes, **replaced}
    lineage: Lineage = lineage_of(themes[child.slug], themes, bench.platform)
    return World(bench.platform, lineage, bench.records(child), bench.releases, sources)


def verdicts_of(world: World, sources: BenchSources, steps: Steps) -> list[Verdict]:
    """Judge every override of a world."""
    found = [facts for kind in kinds() for facts in kind.find(world)]
    return [judge(facts, steps) for facts in compared(world, found, sources)]


def compared(world: World, found: list[Facts], sources: BenchSources) -> list[Facts]:
    """Fill in, for all overrides at once, what B, O and T say of each other."""
    wanted = {number: three for number, facts in enumerate(found) if (three := three_of(world, facts)) is not None}
    results = sources.compare(wanted.values())
    return [
        replace(facts, comparison=results.get(wanted[number].key)) if number in wanted else facts
        for number, facts in enumerate(found)
    ]


def three_of(world: World, f: Facts) -> Three | None:
    """The texts of an override that are to be merged, if they are."""
    if not f.listed or f.ours is None or f.base is None or not f.base_here or f.how != "copy":
        return None
    if f.theirs is None and len(f.moved) == 1:
        theme, path = world.ancestor(f.moved[0].theme), f.moved[0].path
    elif f.theirs not in (None, "?", f.base, f.ours):
        theme, path = world.ancestor(f.now_from), source_path(world, f)
    else:
        return None
    if theme is None or path not in theme.files:
        return None
    rule = world.platform.rule_of(f.unit.path)
    other = (theme.folder, path)
    return Three(
        f.base,
        f.ours,
        theme.files[path].digest,
        (world.child.folder, f.file),
        other,
        rule.language if rule else "plain",
    )


def source_path(world: World, f: Facts) -> str:
    """Where T lies in its theme: the unit's path, or for look-up by name the file of that name."""
    theme = world.ancestor(f.now_from)
    if theme is None or f.unit.path in theme.files:
        return f.unit.path
    rule = world.platform.rule_of(f.unit.path)
    found = [s for s in world.resolver.ranking(f.unit.path, rule) if s.theme is theme] if rule else []
    return found[0].path if found else f.unit.path


class _Kept:
    """Reports of earlier runs, found by the digests of all that bears on them."""

    def __init__(self, bench: Bench, against: Against | None) -> None:
        self.bench, self.against = bench, against
        self.folder = bench.cache / "reports"
        found = {name: listing.found for name, listing in bench.listings.items()}
        try:
            releases = bench.store.releases_file.read_bytes()
        except OSError:
            releases = b""
        self.found = found
        self.common = _digest(
            __version__, bench.platform.digest, releases, against.path if against else "", against.theme.identity if against else "",
            *sorted(found), str(bench.themes_folder),
        )  # fmt: skip

    def children(self) -> dict[str, list[str]] | None:
        """Every child with the folders of its lineage."""
        rows = self._load("bench-" + _digest(self.common, *self.found.values()))
        return rows if isinstance(rows, dict) else None

    def put_children(self, children: dict[str, list[str]]) -> None:
        self._save("bench-" + _digest(self.common, *self.found.values()), children)

    def lineage_folders(self, child: Theme) -> list[str]:
        top = str(self.bench.themes_folder) + "/"
        return [t.folder[len(top) :].split("/")[0] for t in self.bench.lineage(child).themes]

    def report(self, slug: str, folders: list[str], children: int) -> Report | None:
        found = self._load(self._key(slug, folders, children))
        return found if isinstance(found, dict) else None

    def put_report(self, slug: str, folders: list[str], children: int, report: Report) -> None:
        self._save(self._key(slug, folders, children), report)

    def _key(self, slug: str, folders: list[str], children: int) -> str:
        proposals = ",".join(sorted(waiting(self.bench.root, slug)))
        return "child-" + _digest(
            self.common, slug, str(children > 1), proposals, *(self.found[name] for name in folders)
        )

    def _load(self, key: str) -> Any:
        try:
            return json.loads((self.folder / f"{key}.json").read_bytes())
        except (OSError, ValueError):
            return None

    def _save(self, key: str, body: object) -> None:
        if self.bench.writable:
            write_beside(self.folder / f"{key}.json", json.dumps(body, separators=(",", ":")).encode())


def _digest(*parts: str | bytes) -> str:
    hasher = hashlib.sha1(usedforsecurity=False)
    for part in parts:
        data = part.encode("utf-8", "surrogateescape") if isinstance(part, str) else part
        hasher.update(b"%d:" % len(data) + data)
    return hasher.hexdigest()
