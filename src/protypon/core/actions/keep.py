"""Keep releases: of every theme found in a folder or archive."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, replace

from protypon.core.files.archives import Intake
from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput
from protypon.core.model.nouns import Content, NewRelease, Plan, Release, Theme
from protypon.core.model.paths import FOLDER, quote_path
from protypon.core.store import edits
from protypon.core.store.plan_builder import PlanBuilder, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.intake import chosen_theme, themes_of


@dataclass(frozen=True, slots=True)
class Kept:
    """What became of one theme's state: ``new``, ``same`` (was kept before), ``other`` (same number, other contents) or ``edited``."""

    theme: str
    label: str | None
    state: str
    known_as: str | None = None
    """The name of the earlier release with the same contents, with the same number, or that was edited."""
    patch: str = ""
    """Where the edits lie as a patch."""
    called: str = ""
    """What its folder is called, where that is not the theme's name."""


def theme_release(theme: Theme, label: str | None, origin: str, line: str = "releases") -> NewRelease:
    """A theme's present state, to be kept."""
    folder = Folder(theme.folder)
    files = {path: from_disk(folder, entry) for path, entry in theme.files.items() if entry.mode != FOLDER}
    return NewRelease(theme.slug, label, theme.identity, origin, files, line)


def keep_into(
    builder: PlanBuilder, bench: Bench, themes: Iterable[Theme], origin: str, label: str | None = None
) -> list[Kept]:
    """Plan to keep each theme as one release; the same content twice is one release.

    A theme of the bench that was edited in its own folder is kept as that, with a patch, unless a ``label`` says that it is a release.
    """
    told = []
    for theme in themes:
        edited = edits.edited_release(theme, bench.releases) if label is None and _stands_here(bench, theme) else None
        if edited is not None:
            told.append(keep_edit(builder, bench, theme, edited, origin))
            continue
        name = label or theme.release
        same = next((r for r in bench.releases if r.theme == theme.slug and r.identity == theme.identity), None)
        if same is not None and (same.label is not None or label is None):
            told.append(Kept(theme.slug, same.label, "same", same.name))
            continue
        number = next((r for r in bench.releases if r.theme == theme.slug and r.label == name and name), None)
        told.append(Kept(theme.slug, name, "other" if number else "new", number.name if number else None))
        builder.keep(theme_release(theme, label=name, origin=origin))
    return told


def _stands_here(bench: Bench, theme: Theme) -> bool:
    here = bench.themes.get(theme.slug)
    return here is not None and os.path.realpath(here.folder) == os.path.realpath(theme.folder)


def keep_edit(builder: PlanBuilder, bench: Bench, theme: Theme, edited: Release, origin: str, why: str = "") -> Kept:
    """Plan to keep what a theme was edited to, and a patch of it; with ``why``, it is settled."""
    from protypon.core.store.git import patch_text

    known = next((r for r in bench.edits if (r.theme, r.identity) == (theme.slug, theme.identity)), None)
    path = edits.patch_path(theme, edited)
    if known is None or (why and why != known.why):
        state = theme_release(theme, None, origin)
        builder.keep(replace(state, edited_from=edited.name, why=why or (known.why if known else "")))
    if known is None and builder.entry(path) is None:
        folder = Folder(theme.folder)
        files = bench.store.files(edited)
        builder.write(path, edits.patch_of(theme, edited, files, bench.store.blob, folder.read, patch_text))
    return Kept(theme.slug, theme.release, "edited", edited.name, path)


def keep_state(builder: PlanBuilder, bench: Bench, state: Release, why: str) -> None:
    """Plan to say of an edited state that is kept already what became of it."""
    files = {
        path: Content(digest, mode, bench.store.blob(digest) or b"")
        for path, (mode, digest) in bench.store.files(state).items()
    }
    kept = NewRelease(state.theme, state.label, state.identity, state.origin, files, edited_from=state.edited_from)
    builder.keep(replace(kept, why=why))


def plan_keep(bench: Bench, intake: Intake, release: str | None, slug: str | None = None) -> tuple[Plan, list[Kept]]:
    """Keep every theme in a folder or archive: each under its own name, those that state no release as that of the archive.

    ``slug`` says whose release it is, where the folder is called otherwise. Raises BadInput where there is no theme, or where
    ``release`` or ``slug`` can't be meant.
    """
    builder = PlanBuilder(bench.folder)
    themes = themes_of(intake, bench.platform)
    if slug is not None:
        themes = [chosen_theme(intake, bench.platform, themes, slug)]
    stated = [t for t in themes if t.release not in (None, release)] if len(themes) > 1 else []
    if release is not None and stated:
        raise BadInput(
            f"{quote_path(intake.origin)}: holds several themes, and {stated[0].slug} says itself that it is {stated[0].release}",
            "name one theme's folder, or leave --release out",
        )
    told = []
    for theme in themes:
        own = _under_bench_name(bench, theme) if len(themes) == 1 and slug is None else theme
        label = release or (intake.release if theme.release is None else None)
        called = theme.slug if own.slug != theme.slug else ""
        told += [replace(kept, called=called) for kept in keep_into(builder, bench, [own], intake.origin, label)]
    return builder.plan(f"keep {quote_path(intake.origin)}"), told


ALIKE = 0.5
"""From this share of common paths on, a folder of an unknown name is a release of the theme that has them."""


def _under_bench_name(bench: Bench, theme: Theme) -> Theme:
    """A theme under the name that the bench has for it: where only folders tell names, one can be called anything."""
    known = {*bench.themes, *(r.theme for r in bench.releases)}
    if bench.platform.slug_from != "folder" or theme.slug in known or _stands_below(bench, theme):
        return theme
    shares = {other.slug: _common(theme, other) for other in bench.themes.values()}
    alike = [slug for slug, share in shares.items() if share >= ALIKE]
    return replace(theme, slug=alike[0]) if len(alike) == 1 else theme


def _stands_below(bench: Bench, theme: Theme) -> bool:
    """Whether a theme lies where the platform finds it, so that its folder's name is its own."""
    return os.path.realpath(theme.folder).startswith(os.path.realpath(bench.themes_folder) + os.sep)


def _common(one: Theme, other: Theme) -> float:
    paths = one.files.keys() | other.files.keys()
    return len(one.files.keys() & other.files.keys()) / len(paths) if paths else 0.0
