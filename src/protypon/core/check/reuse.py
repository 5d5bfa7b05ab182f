"""Reports that still hold though a parent changed: what changed says the same to every reader, and nobody had read its text.

With each report that is made afresh goes what it hangs on. Later the files of the lineage are compared with what they were then:
the same paths, and of each that changed the same facts, code and problems; none of them among those whose text was looked at,
but by the override of that very path, which is judged again. How themes stand in the bench is told afresh.
"""

from __future__ import annotations

import json
from functools import cached_property
from typing import Any

from protypon.core.check.bench_findings import of_bench
from protypon.core.check.comparing import with_comparisons
from protypon.core.check.examine import Examined, world_of
from protypon.core.check.file_findings import MOST_COPIES, is_light
from protypon.core.check.judge import judge
from protypon.core.check.report import Report, finding_rows, heaviest_first, override_row, with_rows
from protypon.core.check.report_cache import ReportCache
from protypon.core.files.notes import note
from protypon.core.model.evidence import Present
from protypon.core.model.nouns import Theme
from protypon.core.platform.format import KINDS as FILE_KINDS
from protypon.core.store import edits, proposals
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.themes.trace import Noted
from protypon.core.units.file.find import compared_again
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.world import World

STATE = "state"
MOST = 100
"""States of folders that are kept; the oldest go."""
State = dict[str, tuple[int, str]]
"""Path -> mode and digest."""
Files = set[tuple[str, str]]
"""As (theme, path)."""
PLAIN = ("needless", "holds", "drifted", "conflicted", "unknown")
"""Verdicts on which nothing hangs but the row of the override."""


class Reuse:
    """Reports of one bench that were made afresh, with what they hang on."""

    def __init__(self, bench: Bench, reports: ReportCache, children: int) -> None:
        self.bench, self.reports, self.children = bench, reports, children
        self._changes: dict[tuple[str, str], list[str] | None] = {}
        self._same: dict[tuple[str, str, str, bool], bool] = {}
        self._states: dict[str, State | None] = {}

    @cached_property
    def _snapshot(self) -> Snapshot:
        return Snapshot.of_bench(self.bench)

    def put(self, made: Examined, folders: list[str]) -> None:
        """Remember a report that was made afresh."""
        row = {
            "lineage": self._lineage(made.slug),
            "found": {name: self.reports.found[name] for name in folders},
            "texts": sorted(made.texts),
            "own": sorted(made.own),
            "released": sorted(made.released),
            "as_released": made.as_released,
            "code": sorted(made.code),
            "edited": made.edited,
            "light": made.light,
            "evicted": self.bench.facts.evictions,
            "report": made.report,
            "findings": made.findings,
        }
        self.reports.save(self._key(made.slug), row)
        for name in folders:
            self._put_state(name)

    def report(self, slug: str, folders: list[str]) -> Report | None:
        """The child's report as it is now, if what was found before still holds."""
        row = self.reports.load(self._key(slug))
        try:
            found = self._report(slug, folders, row) if isinstance(row, dict) else None
        except (KeyError, TypeError, ValueError, AttributeError):  # no row of ours
            found = None
        if found is not None:
            note("check", "%s: what changed since it was last examined does not bear on it", slug)
            self.reports.put_report(slug, folders, self.children, found)
        return found

    def _report(self, slug: str, folders: list[str], row: dict[str, Any]) -> Report | None:
        if row["lineage"] != self._lineage(slug) or row["evicted"] != self.bench.facts.evictions:
            return None
        if row["found"].keys() != set(folders) or row["found"][folders[0]] != self.reports.found[folders[0]]:
            return None
        if any(self._is_edited(self.bench.themes[other]) != was for other, was in row["edited"].items()):
            return None
        texts = {(theme, path) for theme, path in row["texts"]}
        texts |= {(theme, path) for theme, path in row["released"] if theme not in row["as_released"]}
        if not all(self._is_edited(self.bench.themes[slug]) for slug in row["as_released"]):
            return None
        noted = Noted(texts, {(theme, path) for theme, path in row["own"]})
        code = {(theme, path) for theme, path in row["code"]}
        ancestors = self.bench.lineage(self.bench.theme(slug)).themes[1:]
        again: set[str] = set()
        for theme, folder in zip(ancestors, folders[1:], strict=True):
            touched = self._overrides_touched(theme, folder, row["found"][folder], noted, code)
            if touched is None:
                return None
            again |= touched
        bench = self.bench
        lineage = bench.lineage(bench.theme(slug))
        world = World(bench.platform, lineage, {}, bench.releases, self._snapshot, (), bench.edits)
        told = finding_rows(of_bench(world, bench.all_themes))
        report: Report | None = (
            row["report"] if not again else self._judged_again(slug, row["report"], again, row["light"])
        )
        return report and {**report, "findings": heaviest_first([*told, *row["findings"]])}

    def _judged_again(self, slug: str, report: Report, paths: set[str], light: list[str]) -> Report | None:
        """The report with the overrides of some paths judged again; None where more may hang on them."""
        bench = self.bench
        child = bench.theme(slug)
        rows = {row["unit"]: row for row in report["overrides"]}
        world = world_of(bench, child, self._snapshot, {})
        records = [record for record in world.records.values() if record.unit.path in paths]
        old = [rows[record.unit.address] for record in records]
        usual = all(row["reach"] == "yes" and row["verdict"] in PLAIN for row in old)
        if len(records) != len(paths) or not usual or proposals.standing(bench.folder, slug):
            return None
        if any(t.stored for t in world.ancestors) or not all(r.unit.kind in FILE_KINDS for r in records):
            return None
        steps = NextSteps(slug, self.children == 1)
        found = [compared_again(world, record) for record in records]
        verdicts = [judge(e, steps) for e in with_comparisons(world, found)]
        if not all(v.verdict in PLAIN and isinstance(v.evidence, Present) for v in verdicts):
            return None
        others = any((v.verdict == "holds") != (rows[v.unit.address]["verdict"] == "holds") for v in verdicts)
        if others and len(rows) > MOST_COPIES:  # other copies would be looked at
            return None
        if any(is_light(world, v) != (v.subject.file in light) for v in verdicts):
            return None
        note("check", "%s: %s overrides judged again", slug, len(verdicts))
        return with_rows(report, map(override_row, verdicts))

    def _key(self, slug: str) -> str:
        return "examined-" + self.reports.about(slug, self.children)

    def _lineage(self, slug: str) -> list[list[Any]]:
        lineage = self.bench.lineage(self.bench.theme(slug))
        rows: list[list[Any]] = [[t.slug, t.folder, t.release, t.maintained] for t in lineage.themes]
        return [*rows, [lineage.cut, lineage.root]]

    def _is_edited(self, theme: Theme) -> bool:
        return edits.is_numbered(theme) and edits.edited_release(theme, self.bench.releases) is not None

    # What changed

    def _overrides_touched(self, theme: Theme, folder: str, before: str, noted: Noted, code: Files) -> set[str] | None:
        """The paths of overrides that must be judged again because of what changed in an ancestor since a state; None where all must."""
        if before == self.reports.found[folder]:
            return set()
        if theme.folder != self.bench.listings[folder].root:
            return None
        key = (folder, before)
        if key not in self._changes:
            self._changes[key] = self._changed_files(folder, before)
        changed, state = self._changes[key], self._state(before) or {}
        if changed is None or theme.manifest in changed:
            return None
        for path in changed:
            place = (theme.slug, path)
            if place in noted.shared or not self._reads_the_same(theme, path, state[path][1], place in code):
                return None
        return {path for path in changed if (theme.slug, path) in noted.own}

    def _changed_files(self, name: str, before: str) -> list[str] | None:
        """The files whose bytes changed; None where more than that did."""
        old, new = self._state(before), self.bench.listings[name].entries
        if old is None or old.keys() != new.keys() or any(entry.mode != old[path][0] for path, entry in new.items()):
            return None
        return [path for path, entry in new.items() if entry.digest != old[path][1]]

    def _reads_the_same(self, theme: Theme, path: str, before: str, code: bool) -> bool:
        """Whether every reader says of a file what it said of it before; of its ``code`` only where somebody asked for it."""
        rule = self.bench.platform.rule_of(path)
        if rule is None or path not in theme.files:
            return True
        now = theme.files[path].digest
        key = (rule.language, before, now, code)
        if key not in self._same:
            self._same[key] = self.bench.facts.read_the_same(
                rule.language, before, now, path, lambda: self._snapshot.read(theme, path), code
            )
        return self._same[key]

    # States of folders

    def _put_state(self, name: str) -> None:
        listing = self.bench.listings[name]
        if self.bench.cache.load(STATE, listing.found) is None:
            rows = [(path, entry.mode, entry.digest) for path, entry in listing.entries.items()]
            self.bench.cache.save(STATE, {listing.found: json.dumps(rows, separators=(",", ":")).encode()})
            self.bench.cache.keep_newest(STATE, MOST)

    def _state(self, found: str) -> State | None:
        if found not in self._states:
            data = self.bench.cache.load(STATE, found)
            self._states[found] = (
                {p: (mode, digest) for p, mode, digest in json.loads(data)} if data is not None else None
            )
        return self._states[found]
