"""Update: a new release of a parent comes in, and every override further down is carried over. Nothing is lost.

The old release is kept, the new one brought in; then child after child, nearest to the parent first, over *planned*
contents: drifted overrides are merged, moved ones followed, for conflicted ones a proposal is written, and what needs
no hand is recorded anew. No override is deleted.
"""

from __future__ import annotations

import shlex
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from protypon.core.actions.carried_rows import Row
from protypon.core.actions.carry import Carrying
from protypon.core.actions.carry_child import carry_child
from protypon.core.actions.keep import keep_into, theme_release
from protypon.core.check.examine import as_released
from protypon.core.files.archives import Intake
from protypon.core.files.folder import Folder
from protypon.core.model.actions import Update
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.model.nouns import Content, Plan, Theme
from protypon.core.model.paths import quote_path
from protypon.core.store import edits
from protypon.core.store.plan_builder import PlanBuilder, from_disk
from protypon.core.store.proposing import Proposals
from protypon.core.store.store import now
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import entries_of
from protypon.core.themes.intake import chosen_theme, listing_of, themes_of
from protypon.core.themes.snapshot import Snapshot


@dataclass(frozen=True, slots=True)
class Updated:
    """What an update does, or would do."""

    parent: str
    old: str | None
    new: str | None
    changed: int
    """Files of the parent that change, come or go."""
    wiped: tuple[str, ...] = ()
    """Files edited in the parent's own folder since ``edited_from``, which the new release replaces; they are kept."""
    edited_from: str | None = None
    children: dict[str, list[Row]] = field(default_factory=dict)
    onto: str = ""
    """Another parent, which takes its place."""
    lost: dict[str, list[tuple[str, str]]] = field(default_factory=dict)
    """By child: files that only the old parent had, with who asks for each."""


def plan_update(bench: Bench, slug: str, intake: Intake | None, only: Iterable[str] = ()) -> tuple[Plan, Updated]:
    """Plan an update. Raises UnknownName for a theme that is not there, BadInput for a release that can't be read."""
    parent = bench.require_parent(slug)
    builder = PlanBuilder(bench.folder)
    snapshot = Snapshot.of_bench(bench)
    new, coming = as_released(bench, snapshot, parent), list[Content]()
    if intake is not None:
        new, coming = _brought_in(bench, builder, parent, intake)
    wiped, edited_from = _edits(bench, snapshot, parent) if intake is not None else ((), None)
    children = descendants(bench, parent, list(only))
    old = _old_label(bench, parent, children)
    changed = _changes(parent, new) if intake is not None else 0
    if not parent.maintained:
        keep_into(builder, bench, [parent], "the bench", _label_of_new(parent, intake))
    planned, snapshot = {slug: new}, snapshot.with_texts(coming)
    waiting = Proposals(builder)
    rows: dict[str, list[Row]] = {}
    for child in children:
        carrying = Carrying(bench, builder, snapshot, child, planned, len(bench.children) == 1, waiting)
        rows[child.slug] = carry_child(carrying)
        planned[child.slug], snapshot = carrying.planned_child(), carrying.snapshot
    told = Updated(slug, parent.release if intake else old, new.release, changed, wiped, edited_from, rows)
    return builder.plan(f"update {slug}" + (f" --to {shlex.quote(intake.origin)}" if intake else "")), told


def _label_of_new(parent: Theme, intake: Intake | None) -> str | None:
    """A parent without a number that is said to be updated already is a release of this day."""
    return None if intake is not None or edits.is_numbered(parent) else now().strftime("%Y-%m-%d")


def _brought_in(bench: Bench, builder: PlanBuilder, parent: Theme, intake: Intake) -> tuple[Theme, list[Content]]:
    """Plan the parent's folder to be the new release, in every file, and to keep that; returns the parent as it will be, and its texts."""
    if parent.maintained:
        raise Usage(
            f"{parent.slug} has a ledger, so it is yours, and --to would replace it",
            ("carry its changes down with: ", Update(parent.slug)),
        )
    listing = listing_of(intake, bench.cache.row("listing of another", "looked at"))
    found = chosen_theme(intake, bench.platform, themes_of(intake, bench.platform, listing), parent.slug)
    if found.problems:
        raise ProtyponError(
            f"{quote_path(intake.origin)}: {found.problems[0]}: the new release is broken; nothing was changed",
            "ask its maker, or fetch it again",
        )
    folder = Folder(found.folder)
    coming = {path: from_disk(folder, entry) for path, entry in entries_of(listing, found).items()}
    builder.replace_folder(parent.folder, bench.entries(parent), coming)
    if not any(r.theme == parent.slug and r.identity == found.identity for r in bench.releases):
        files = {path: coming[path] for path in found.files}
        state = theme_release(parent, found.release, intake.origin)
        builder.keep(replace(state, identity=found.identity, files=files))
    return replace(found, folder=parent.folder, slug=parent.slug), list(coming.values())


def _edits(bench: Bench, snapshot: Snapshot, parent: Theme) -> tuple[tuple[str, ...], str | None]:
    """Files edited in place in a parent that is about to be replaced, and the release that they were edited from."""
    release = edits.edited_release(parent, bench.releases)
    if release is None:
        return (), None
    return tuple(edits.changed_files(parent, snapshot.files_of(release))), release.name


def descendants(bench: Bench, parent: Theme, only: list[str]) -> list[Theme]:
    """The maintainer's themes below a parent, nearest first."""
    below = [(len(bench.lineage(t).themes), t) for t in bench.children if parent.slug in bench.lineage(t).slugs[1:]]
    known = {t.slug for _, t in below}
    for slug in only:
        if slug not in known:
            bench.child(slug)
            raise Usage(
                f"{slug} is no child of {parent.slug}", f"its children here are: {', '.join(sorted(known)) or 'none'}"
            )
    chosen = [(depth, t) for depth, t in below if not only or t.slug in only]
    return [t for _, t in sorted(chosen, key=lambda pair: (pair[0], pair[1].slug))]


def _old_label(bench: Bench, parent: Theme, children: list[Theme]) -> str | None:
    """Where someone else has replaced the parent: the release that the ledgers know."""
    labels = [r.release for child in children for r in bench.records(child).values() if r.source == parent.slug]
    return labels[0] if labels else parent.release


def _changes(old: Theme, new: Theme) -> int:
    before = {p: e.digest for p, e in old.files.items()}
    after = {p: e.digest for p, e in new.files.items()}
    return sum(before.get(p) != after.get(p) for p in before.keys() | after.keys())
