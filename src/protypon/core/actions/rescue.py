"""Rescue: what was edited in a parent's own folder, said by overrides of a child, and the parent put back as it was released."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from protypon.core.actions.keep import keep_edit, keep_state
from protypon.core.actions.lightest import Edit, Lightest, lightest
from protypon.core.actions.naming import check_slug, fitting_slug
from protypon.core.actions.new import Begun, begin
from protypon.core.actions.records import remember
from protypon.core.check.examine import present_world
from protypon.core.files.archives import Intake
from protypon.core.files.folder import Folder
from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Check, Keep, Survey
from protypon.core.model.errors import BadInput, ProtyponError, UnknownName, Usage
from protypon.core.model.nouns import Content, Plan, Record, Release, Theme, Unit
from protypon.core.model.paths import FILE, Entry, quote_path
from protypon.core.store import edits, ledger
from protypon.core.store.ledger import LEDGER
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import lineage_of
from protypon.core.themes.intake import chosen_theme, themes_of
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.world import World

LEAST_COMMON = 0.5
"""Of the files of two states of one theme, so many have the same path."""


class Two(NamedTuple):
    """A parent as it was released, and as it was edited."""

    pristine: Theme
    edited: Theme
    release: Release | None
    """The kept release that it was; None for one that lies elsewhere."""
    wiped: Release | None
    """The kept state that an update has wiped out; None: the edits stand in the bench."""
    texts: tuple[Content, ...]
    """The bytes of both that do not lie in the bench."""


@dataclass(frozen=True)
class Rescued:
    """What became of the edits for one child."""

    child: str
    begun: bool
    """The child is new."""
    rows: tuple[Lightest, ...]


@dataclass(frozen=True)
class RescueTold:
    """What became of all of them."""

    parent: str
    label: str
    children: tuple[Rescued, ...]
    back: tuple[str, ...]
    """Files of the parent that are as they were released then."""
    stays: tuple[Lightest, ...]
    """Edits that stay in the parent's folder."""
    wiped: bool


def plan_rescue(
    bench: Bench, slug: str, pristine: Intake | None = None, into: Sequence[str] = ()
) -> tuple[Plan, RescueTold]:
    """Plan overrides for what was edited in a parent, in every child of it.

    Raises ProtyponError where nothing was edited, BadInput for a pristine theme that is no relative, Usage where a child would lose the edits.
    """
    theme = bench.theme(slug)
    if theme.maintained:
        raise ProtyponError(f"{slug} has a ledger: it is one of yours, and edited as you like", Check(slug))
    two = _two(bench, theme, pristine)
    builder = PlanBuilder(bench.folder)
    snapshot = Snapshot.of_bench(bench).with_texts(two.texts)
    children = [_Child(bench, child, begun, two) for child, begun in _children(bench, theme, into)]
    changes = [_edit(snapshot, two, path) for path in edits.changed_files(two.edited, _files(two.pristine))]
    left: dict[str, Lightest] = {}
    while True:
        rows = {
            child.theme.slug: child.rows(snapshot, [e for e in changes if e.path not in left]) for child in children
        }
        stays = {row.edit.path: row for found in rows.values() for row in found if row.state is None}
        if not stays:
            break
        left |= stays
    for child in children:
        child.write(builder)
    back = [e.path for e in changes if e.path not in left]
    if two.wiped is None:
        _put_back(builder, two, back, snapshot)
        if not left and two.release is not None:
            keep_edit(builder, bench, theme, two.release, "the bench", why="rescued")
        elif two.release is not None:
            keep_edit(builder, bench, theme, two.release, "the bench")
    elif not left:
        keep_state(builder, bench, two.wiped, why="rescued")
    told = tuple(Rescued(c.theme.slug, c.begun is not None, tuple(rows[c.theme.slug])) for c in children)
    label = two.pristine.label
    rescue = RescueTold(
        slug, label, told, tuple(back) if two.wiped is None else (), tuple(left.values()), two.wiped is not None
    )
    return builder.plan(f"rescue {slug}"), rescue


def _files(theme: Theme) -> dict[str, tuple[int, str]]:
    return {path: (entry.mode, entry.digest) for path, entry in theme.files.items()}


# Which two states


def _two(bench: Bench, theme: Theme, pristine: Intake | None) -> Two:
    if pristine is not None:
        return _elsewhere(bench, theme, pristine)
    release = edits.edited_release(theme, bench.releases)
    if release is not None:
        released = edits.as_released(theme, release, bench.store.files(release))
        return Two(released, theme, release, None, _stored_states(bench, released))
    wiped = edits.wiped_out(theme, bench.releases, bench.edits)
    if wiped is None:
        known = [r for r in bench.releases if r.theme == theme.slug]
        if not known:
            raise ProtyponError(
                f"no release of {theme.slug} is kept, so what was edited in it can't be told",
                ("name its maker's archive with --pristine PATH, or keep that: ", Keep("PATH")),
            )
        raise ProtyponError(f"{theme.label} is as it was kept: nothing was edited in its folder", Check())
    was = next(r for r in bench.releases if (r.theme, r.name) == (wiped.theme, wiped.edited_from))
    released = edits.as_released(theme, was, bench.store.files(was))
    edited = edits.as_released(theme, wiped, bench.store.files(wiped))
    texts = _stored_states(bench, released, edited)
    return Two(replace(released, release=was.label), replace(edited, release=was.label), was, wiped, texts)


def _elsewhere(bench: Bench, theme: Theme, intake: Intake) -> Two:
    found = chosen_theme(intake, bench.platform, themes_of(intake, bench.platform), theme.slug)
    paths = found.files.keys() | theme.files.keys()
    common = len(found.files.keys() & theme.files.keys()) / len(paths) if paths else 0.0
    if common < LEAST_COMMON:
        raise BadInput(
            f"{quote_path(intake.origin)}: has {common:.0%} of its files in common with {theme.slug}, so it is no release of that",
            ("look at it with: ", Survey(intake.origin)),
        )
    if found.release != theme.release and theme.release is not None:
        raise BadInput(
            f"{quote_path(intake.origin)}: is {found.label}, and {theme.slug} here is an edited {theme.release}",
            "name the archive of that very release",
        )
    folder = Folder(found.folder)
    texts = [
        from_disk(folder, e)
        for p, e in found.files.items()
        if theme.files.get(p, e).digest != e.digest or p not in theme.files
    ]
    held = tuple(content(text.read(), text.mode) for text in texts)
    return Two(
        replace(theme, files=found.files, identity=found.identity, release=found.release), theme, None, None, held
    )


def _stored_states(bench: Bench, *states: Theme) -> tuple[Content, ...]:
    """The bytes of states that lie in the store."""
    found: list[Content] = []
    for state in states:
        for path in state.stored:
            entry = state.files[path]
            data = bench.store.blob(entry.digest)
            if data is None:
                raise BadInput(f"{quote_path(path)} of {state.label} is not in the store any more", Survey())
            found.append(Content(entry.digest, entry.mode, data))
    return tuple(found)


def _edit(snapshot: Snapshot, two: Two, path: str) -> Edit:
    def read(theme: Theme) -> bytes | None:
        return snapshot.read(replace(theme, stored=frozenset()), path) if path in theme.files else None

    return Edit(path, read(two.pristine), read(two.edited))


# The children


def _children(bench: Bench, theme: Theme, into: Sequence[str]) -> list[tuple[Theme, Begun | None]]:
    """Every child that has the edits today; a new one where there is none."""
    below = [c for c in bench.children if theme.slug in bench.lineage(c).slugs[1:]]
    named = list(dict.fromkeys(into))
    left = [c.slug for c in below if named and c.slug not in named]
    if left:
        raise Usage(
            f"{', '.join(left)} {'has' if len(left) == 1 else 'have'} the edits of {theme.slug} too, and would lose them",
            f"add {' '.join(f'--into {slug}' for slug in left)}, or leave --into out for all",
        )
    strange = [slug for slug in named if slug in bench.themes and slug not in {c.slug for c in below}]
    if strange:
        raise UnknownName(f"{strange[0]} is no child of {theme.slug}", ("see the lineages with: ", Survey()))
    new = [slug for slug in named if slug not in bench.themes]
    if below:
        if new:
            raise UnknownName(
                f"no theme {new[0]!r} in this bench", f"children of {theme.slug}: {', '.join(c.slug for c in below)}"
            )
        return [(c, None) for c in below]
    slug = new[0] if new else fitting_slug(f"{theme.slug} own", bench.platform)
    check_slug(bench, slug)
    begun = begin(bench, slug, theme.slug)
    return [(begun.theme, begun)]


class _Child:
    """One child on its way."""

    def __init__(self, bench: Bench, theme: Theme, begun: Begun | None, two: Two) -> None:
        self.bench, self.theme, self.begun, self.two = bench, theme, begun, two
        self.files: Mapping[str, bytes | None] = {}
        self.records: list[Record] = []
        self.texts: list[bytes] = []

    def _world(self, snapshot: Snapshot, parent: Theme) -> World:
        if self.begun is not None:
            snapshot = snapshot.with_texts(self.begun.files.values())
            themes = {**self.bench.themes, self.theme.slug: self.theme, parent.slug: parent}
            lineage = lineage_of(self.theme, themes, self.bench.platform)
            return World(self.bench.platform, lineage, {}, self.bench.releases, snapshot)
        return replace(present_world(self.bench, self.theme, snapshot, {parent.slug: parent}), unplaced=())

    def rows(self, snapshot: Snapshot, changes: Iterable[Edit]) -> list[Lightest]:
        """Carry one edit after the other into the child, each held against the state before it."""
        rows: list[Lightest] = []
        back: set[str] = set()
        files, values = dict[str, bytes | None](), dict[str, object]()
        self.records, self.texts = [], []
        for edit in changes:
            before = Draft(self._world(snapshot, partly(self.two, back)), files, values)
            base = Draft(self._world(snapshot, partly(self.two, back | {edit.path})), files, values)
            row = lightest(before.world, base, self.two.pristine, edit, True)
            rows.append(row)
            if row.state is not None:
                back.add(edit.path)
                files, values = dict(row.state.draft.files), dict(row.state.draft.values)
                self.records += row.state.records
                self.texts += [text for _, text in row.state.texts]
        self.files = files
        return rows

    def write(self, builder: PlanBuilder) -> None:
        """Plan the child's files and its ledger."""
        folder = self.theme.folder
        for path, what in (self.begun.files if self.begun is not None else {}).items():
            builder.write(os.path.join(folder, path), what)
        for path, data in self.files.items():
            full = os.path.join(folder, path)
            if data is None:
                builder.remove(full)
            else:
                standing = self.theme.files.get(path)
                builder.write(full, content(data, standing.mode if standing is not None else FILE))
        for text in self.texts:
            remember(builder, self.bench, blob_digest(text), text)
        self._write_ledger(builder)

    def _write_ledger(self, builder: PlanBuilder) -> None:
        path = os.path.join(self.theme.folder, LEDGER)
        text = builder.read(path).decode("utf-8") if builder.entry(path) is not None else ""
        known: Mapping[Unit, Record] = {} if self.begun is not None else self.bench.records(self.theme)
        said = f"edited in {self.two.pristine.label}"
        records = ledger.change_records(
            known, [replace(r, why=r.why or said, release=self.two.pristine.release) for r in self.records]
        )
        builder.write(path, content(ledger.write(text, records).encode("utf-8")))


def partly(two: Two, back: set[str]) -> Theme:
    """The edited parent, of which some files are as they were released."""
    files: dict[str, Entry] = dict(two.edited.files)
    for path in back:
        files.pop(path, None)
        if path in two.pristine.files:
            files[path] = two.pristine.files[path]
    identity = blob_digest(repr(sorted((p, e.digest) for p, e in files.items())).encode())
    return replace(two.edited, files=files, identity=identity, stored=frozenset())


def _put_back(builder: PlanBuilder, two: Two, paths: Iterable[str], snapshot: Snapshot) -> None:
    """Plan the parent's files as they were released."""
    for path in paths:
        full = os.path.join(two.edited.folder, path)
        if path not in two.pristine.files:
            builder.remove(full)
            continue
        entry = two.pristine.files[path]
        builder.write(full, content(snapshot.read(replace(two.pristine, stored=frozenset()), path), entry.mode))
