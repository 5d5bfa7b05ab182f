"""Themes in a folder or archive that is not the bench: which there are, and which one is meant."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.files.archives import Intake
from protypon.core.files.caches import CacheRow
from protypon.core.files.listing import Listing, look
from protypon.core.model.actions import Survey
from protypon.core.model.errors import BadInput
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Platform
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import by_slug, themes_in


def listing_of(intake: Intake, cache: CacheRow | None = None) -> Listing:
    """What a folder or archive holds; an archive is unpacked to another place each time, so that no cache helps."""
    return look(intake.folder, None if intake.archive else cache)


def themes_of(intake: Intake, platform: Platform, listing: Listing | None = None) -> list[Theme]:
    """The themes of a folder or archive, one a slug. Raises BadInput where there is none."""
    found = by_slug(themes_in(listing or listing_of(intake), platform, intake.name))
    if not found:
        wanted = " or ".join(f.path for f in platform.manifests)
        raise BadInput(
            f"{quote_path(intake.origin)}: holds no theme of {platform.title}: there is no {wanted} in it",
            ("look at it with: ", Survey(intake.origin)),
        )
    return list(found.values())


def chosen_theme(intake: Intake, platform: Platform, themes: list[Theme], slug: str) -> Theme:
    """The theme of that slug; where only folders tell slugs, a theme that is alone is it, whatever its folder is called."""
    alone = len(themes) == 1 and (platform.slug_from == "folder" or themes[0].problems)
    fitting = [replace(themes[0], slug=slug)] if alone else [t for t in themes if t.slug == slug]
    if not fitting:
        raise BadInput(
            f"{quote_path(intake.origin)}: holds {', '.join(t.slug for t in themes)}, and none is {slug}",
            "name the folder of the one you mean",
        )
    return fitting[0] if fitting[0].release is not None else replace(fitting[0], release=intake.release)


def against_theme(bench: Bench, intake: Intake, listing: Listing) -> Theme:
    """The theme in a folder or archive that stands for one of the bench: the only one, or the one that is a parent here."""
    themes = themes_of(intake, bench.platform, listing)
    parents = {slug for child in bench.children for slug in bench.lineage(child).slugs[1:]}
    named = [t.slug for t in themes if t.slug in parents]
    if len(named) == 1 or (len(themes) == 1 and len(parents) == 1):
        return chosen_theme(intake, bench.platform, themes, next(iter(named or parents)))
    found = ", ".join(t.slug for t in themes)
    raise BadInput(
        f"{quote_path(intake.origin)}: holds {found}, and the parents here are {', '.join(sorted(parents)) or 'none'}",
        "name the folder of the one you mean",
    )
