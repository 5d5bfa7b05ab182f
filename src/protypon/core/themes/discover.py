"""Files -> themes and lineages: which folders are themes, and who is whose parent."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from protypon.core.files.folder import Folder
from protypon.core.files.listing import Listing, combined_digest
from protypon.core.model.errors import BadInput, handling
from protypon.core.model.limits import MANIFEST_BYTES
from protypon.core.model.nouns import Lineage, Problem, Theme
from protypon.core.model.paths import FILE, FOLDER, LINK, RUNNABLE, Entry, is_name
from protypon.core.platform import manifest
from protypon.core.platform.patterns import patterns_of
from protypon.core.platform.platform import ManifestForm, Platform
from protypon.core.store.ledger import LEDGER


def theme_folders(listing: Listing, platform: Platform, top: str) -> dict[str, ManifestForm]:
    """Return every folder (relative to the listing) in which a manifest stands, with its form; the first form wins.

    ``top`` is the name of the listing's own folder.
    """
    tails = tuple(form.path.rpartition("{slug}")[2] for form in platform.manifests)
    found: dict[str, ManifestForm] = {}
    for path in listing.paths:
        if not path.endswith(tails):
            continue
        place = manifest.forms_at(platform, path, top)
        if place is not None:
            folder, form = place
            order = platform.manifests.index
            if folder not in found or order(form) < order(found[folder]):
                found[folder] = form
    return dict(sorted(found.items()))


def themes_in(listing: Listing, platform: Platform, folder_slug: str = "") -> list[Theme]:
    """Return every theme below a listing, outer ones first.

    ``folder_slug`` names the listing's own folder where its path does not.
    """
    folders = theme_folders(listing, platform, folder_slug or os.path.basename(listing.root))
    return [_theme(listing, platform, folder, form, folder_slug) for folder, form in folders.items()]


def _theme(listing: Listing, platform: Platform, folder: str, form: ManifestForm, folder_slug: str) -> Theme:
    prefix = folder + "/" if folder else ""
    entries = _below(listing, prefix)
    full = os.path.join(listing.root, folder) if folder else listing.root
    folder_name = folder.rpartition("/")[2] or folder_slug or os.path.basename(listing.root)
    rel = manifest.path_for(form, folder_name)
    values, problems = _manifest(Folder(full), entries[rel], form, platform)
    slug = folder_name if platform.slug_from == "folder" else str(values.get("slug") or folder_name)
    if not is_name(slug):
        problems.append(Problem(rel, f"the slug {slug[:80]!r} can't be the name of a folder"))
        slug = folder_name if is_name(folder_name) else "unnamed"
    own = own_files(platform, entries)
    identity = identity_of(own)
    return Theme(
        slug=slug,
        folder=full,
        files=own,
        values=values,
        manifest=rel,
        title=str(values.get("title", slug)),
        release=values.get("release"),
        parents=_parents(values, platform),
        identity=identity,
        found=listing.found if not folder else identity,
        maintained=LEDGER in entries,
        depth=folder.count("/") + 1 if folder else 0,
        problems=tuple(problems),
    )


def with_manifest(theme: Theme, data: bytes, platform: Platform) -> Theme:
    """A theme of the same folder and files whose manifest has other bytes; its slug stays."""
    place = manifest.forms_at(platform, theme.manifest, os.path.basename(theme.folder))
    if place is None:
        return theme
    values, problems = manifest.read(place[1], data, theme.manifest, manifest.separators(platform))
    return replace(
        theme,
        values=values,
        title=str(values.get("title", theme.slug)),
        release=values.get("release"),
        parents=_parents(values, platform),
        problems=tuple(problems),
    )


def _manifest(
    folder: Folder, entry: Entry, form: ManifestForm, platform: Platform
) -> tuple[dict[str, Any], list[Problem]]:
    """What a manifest says. A link is not followed: it is no manifest."""
    if entry.mode == LINK:
        return {}, [Problem(entry.path, "is a link, and is not followed")]
    try:
        data = folder.read(entry.path, MANIFEST_BYTES)
    except BadInput as error:
        return {}, [Problem(entry.path, error.message.partition(": ")[2])]
    with handling(entry.path):
        return manifest.read(form, data, entry.path, manifest.separators(platform))


def entries_of(listing: Listing, theme: Theme) -> dict[str, Entry]:
    """Everything that stands in a theme's folder, by its path there: junk and empty folders too."""
    rel = os.path.relpath(theme.folder, listing.root)
    return dict(_below(listing, "" if rel == "." else rel + "/"))


def _below(listing: Listing, prefix: str) -> dict[str, Entry]:
    """The entries of one theme, by their paths in it."""
    if not prefix:
        return listing.entries
    start = len(prefix)
    below = ((path[start:], entry) for path, entry in listing.entries.items() if path.startswith(prefix))
    return {path: entry._replace(path=path) for path, entry in below}


def own_files(platform: Platform, entries: Mapping[str, Entry]) -> dict[str, Entry]:
    """A theme's own files: without empty folders, ledger and junk."""
    is_junk = patterns_of(platform.junk).fits
    return {
        path: entry for path, entry in entries.items() if entry.mode != FOLDER and path != LEDGER and not is_junk(path)
    }


def identity_of(own: Mapping[str, Entry]) -> str:
    """The digest that makes a release: names and bytes. Run bits are left aside, for archives lose them."""
    return combined_digest([e._replace(mode=FILE) if e.mode == RUNNABLE else e for e in own.values()])


def _parents(values: Mapping[str, object], platform: Platform) -> tuple[str, ...]:
    found = values.get("parent")
    names = found if isinstance(found, list) else [found]
    return tuple(str(name) for name in names if name and name != platform.no_parent)


def lineage_of(theme: Theme, themes: Mapping[str, Theme], platform: Platform) -> Lineage:
    """Follow the parents from a theme: each theme once, nearest first."""
    chain: list[Theme] = []
    return _follow(theme, themes, platform, chain, ())


def _follow(
    theme: Theme, themes: Mapping[str, Theme], platform: Platform, chain: list[Theme], above: tuple[str, ...]
) -> Lineage:
    if theme.slug in above:
        return Lineage(tuple(chain), loop=(*above[above.index(theme.slug) :], theme.slug))
    if theme.slug not in {t.slug for t in chain}:
        chain.append(theme)
    if theme.problems and not theme.parents:
        return Lineage(tuple(chain), broken=theme.slug)
    root = None
    for parent in theme.parents:
        if parent not in themes:
            if parent == platform.root or parent in platform.root_themes:
                root = parent
                continue
            return Lineage(tuple(chain), missing=parent)
        result = _follow(themes[parent], themes, platform, chain, (*above, theme.slug))
        if result.cut:
            return result
        root = result.root or root
    return Lineage(tuple(chain), root=root)


def by_slug(themes: Iterable[Theme]) -> dict[str, Theme]:
    """Themes by slug; where two have the same, the one that lies less deep."""
    found: dict[str, Theme] = {}
    for theme in sorted(themes, key=lambda t: (t.depth, t.folder)):
        found.setdefault(theme.slug, theme)
    return found


def manifest_problems(theme: Theme, platform: Platform) -> list[Problem]:
    """What is wrong with a theme's manifest and slug by themselves."""
    problems = list(theme.problems)
    if not platform.slug_fits(theme.slug):
        words = f"the slug {theme.slug!r} is against the rule: {platform.slug_says}"
        problems.append(Problem(theme.manifest, words, code="slug-rule"))
    return problems
