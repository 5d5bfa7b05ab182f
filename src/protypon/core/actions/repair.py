"""Repair a store: set aside what is damaged, make anew what can be made from the rest. Nothing is deleted."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from protypon.core.actions.keep import keep_into
from protypon.core.check import health
from protypon.core.files.lock import hold
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Release
from protypon.core.model.paths import Entry
from protypon.core.store import apply, moving
from protypon.core.store.plan_builder import PlanBuilder
from protypon.core.store.store import HIDDEN, LINES, list_bytes
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import identity_of

DAMAGED = f"{HIDDEN}/damaged"
RELEASES = f"{HIDDEN}/releases.json"


@dataclass
class Repaired:
    """What a repair did."""

    aside: list[tuple[str, str]] = field(default_factory=list)
    """What was set aside, and where it is now."""
    done: list[str] = field(default_factory=list)
    left: list[health.Trouble] = field(default_factory=list)
    """What nothing here can mend."""


def repair(bench: Bench) -> Repaired:
    """Repair the store of a bench under its lock. Raises BadInput where the disk refuses."""
    told = Repaired()
    work = _Repair(bench, told)
    with hold(bench.folder, "store repair"):
        work.run()
    bench.forget()
    told.left = health.troubles(bench)
    return told


class _Repair:
    def __init__(self, bench: Bench, told: Repaired) -> None:
        self.bench, self.told, self.folder = bench, told, bench.folder

    def run(self) -> None:
        codes = {trouble.code: trouble for trouble in health.troubles(self.bench)}
        if "unfinished" in codes:
            apply.recover(self.bench.store)
            self.told.done.append(codes["unfinished"].what + "; it is finished now")
        if "damaged-note" in codes:
            self._set_aside(moving.PENDING)
            self._set_aside(moving.STAGE)
        for trouble in health.troubles(self.bench):
            if trouble.code in ("damaged-journal", "damaged-proposals", "stale-lock"):
                self._set_aside(trouble.where)
        codes = {trouble.code: trouble for trouble in health.troubles(self.bench)}
        if "damaged-store" in codes:
            self._set_aside(health.STORE)
        self._renew_store()
        if "damaged-releases" in codes:
            self._set_aside(RELEASES)
            self._rebuild_releases()
        self._forget_incomplete()
        self._keep_present()
        self._align()

    def _set_aside(self, path: str) -> None:
        if self.folder.stat(path) is None:
            return
        self.folder.make(DAMAGED)
        number = len(self.folder.names(DAMAGED)) + 1
        place = f"{DAMAGED}/{number:03d}-{path.removeprefix(HIDDEN + '/').replace('/', '-')}"
        self.folder.move(path, place)
        self.told.aside.append((path, place))

    def _renew_store(self) -> None:
        self.bench.__dict__.pop("store", None)
        if not self.bench.store.begun and self.folder.stat(HIDDEN) is not None:
            assert self.bench.store.repository is not None
            self.told.done.append(f"{health.STORE} is there again")

    def _rebuild_releases(self) -> None:
        """``releases.json`` from the branches of the store, whose commits say the same."""
        repository = self.bench.store.repository
        lists: dict[str, list[Release]] = {line: [] for line in LINES}
        for line, prefix in (("releases", "refs/heads/"), ("packed", "refs/protypon/packed/")):
            for commit in repository.refs(prefix).values():
                lists[line] += self._chain(commit)
            lists[line].sort(key=lambda release: release.kept)
        self.folder.put(RELEASES, list_bytes(lists), sync=True)
        self.told.done.append(f"{RELEASES} is made anew: {sum(map(len, lists.values()))} states")

    def _chain(self, commit: str) -> list[Release]:
        repository = self.bench.store.repository
        found: list[Release] = []
        while (read := repository.commit(commit)) is not None:
            tree, parents, message, when = read
            release = _release_of(message, tree, commit, when, repository.files(tree))
            found += [release] if release is not None else []
            if not parents:
                break
            commit = parents[0]
        return found[::-1]

    def _forget_incomplete(self) -> None:
        """Take releases out of the list whose texts are gone: a list that promises them would be believed."""
        store = self.bench.store
        lists = {line: store.releases(line) for line in LINES}
        whole = {line: [r for r in rows if not health.missing(store, r.tree)] for line, rows in lists.items()}
        gone = [r for line in LINES for r in lists[line] if r not in whole[line]]
        if gone:
            self._set_aside(RELEASES)
            self.folder.put(RELEASES, list_bytes(whole), sync=True)
            names = ", ".join(f"{r.theme} {r.name}" for r in gone)
            self.told.done.append(f"no longer listed, for their texts are gone: {names}")

    def _keep_present(self) -> None:
        """Keep what lies in the bench now, so that there is something to compare with."""
        self.bench.forget()
        builder = PlanBuilder(self.folder)
        try:
            themes = [theme for theme in self.bench.themes.values() if not theme.maintained]
            told = keep_into(builder, self.bench, themes, "the bench, by store repair")
        except ProtyponError as error:
            self.told.done.append(f"themes were not kept: {error.message}")
            return
        apply.carry_out(builder.plan("store repair"), self.bench.store)
        self.told.done += [f"kept {k.theme} {k.label or ''}".rstrip() for k in told if k.state == "new"]

    def _align(self) -> None:
        refused = self.bench.store.align_refs()
        for name in refused:
            if name != "refs":
                self._set_aside(f"{health.STORE}/{name}")
        if refused:
            self.bench.__dict__.pop("store", None)
            self.bench.store.align_refs()


_TITLE = re.compile(r"(?P<theme>\S+) (?P<name>.+)")


def _release_of(message: str, tree: str, commit: str, when: int, files: dict[str, tuple[int, str]]) -> Release | None:
    """A release as the commit that keeps it says it."""
    from datetime import UTC, datetime

    lines = message.splitlines()
    title = _TITLE.fullmatch(lines[0]) if lines else None
    if title is None or not files:
        return None
    about = dict(line.split(": ", 1) for line in lines[1:] if ": " in line)
    origin = next((line[5:] for line in lines[1:] if line.startswith("from ")), "")
    entries = {path: Entry(path, mode, 0, digest) for path, (mode, digest) in files.items()}
    return Release(
        title["theme"],
        about.get("label"),
        title["name"],
        identity_of(entries),
        tree,
        commit,
        datetime.fromtimestamp(when, UTC).isoformat(),
        origin,
        about.get("edited-from"),
        about.get("why", ""),
    )
