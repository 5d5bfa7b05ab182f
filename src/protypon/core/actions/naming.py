"""What a new theme is called, and what its manifest is given: checked as they were typed."""

from __future__ import annotations

import re
from collections.abc import Mapping

from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform
from protypon.core.platform.schema import nearest
from protypon.core.themes.bench import Bench

PURPOSES = {
    "title": "what people see it called",
    "summary": "one sentence: what it is for",
    "maker": "who makes it",
    "maker_link": "where its maker is found",
    "home": "where the theme itself is found",
    "licence": "under which licence others may use it",
    "tags": "words to find it by, with commas between",
    "release": "its release number, which goes up with each that is shipped",
    "needs": "the oldest release of the platform that it runs on",
    "tested": "the latest release of the platform that it was tried with",
    "edition": "which edition it is of several",
    "language_domain": "the name under which its texts are translated",
    "sheets": "style sheets that load, in their order, with commas between",
    "editor_sheets": "those that load in the editor",
    "print_sheets": "those that load in print",
    "scripts": "scripts that load, in their order",
    "regions": "places where a site puts boxes of its own",
    "templates": "templates that a page is made of",
    "detached": "callbacks of its parents that it takes off",
    "slug": "its short name, which stands in addresses",
    "parent": "the slug of the theme that it builds on",
}
"""What each meaning of a manifest's fields is for."""
ASKED = ("title", "summary", "maker", "maker_link", "home", "licence", "tags")
"""What a person at a terminal is asked for."""
OTHER_WORDS = {
    "author": "maker", "vendor": "maker", "creator": "maker", "by": "maker", "author_link": "maker_link", "author_url": "maker_link", "maker_url": "maker_link",
    "description": "summary", "about": "summary", "version": "release", "license": "licence", "url": "home", "link": "home", "website": "home",
    "homepage": "home", "keywords": "tags", "name": "title", "requires": "needs", "domain": "language_domain", "stylesheets": "sheets", "styles": "sheets",
    "base": "parent",
}  # fmt: skip
"""Usual other words for them."""


def field_rows(form: ManifestForm) -> list[tuple[str, str, str]]:
    """The fields that a manifest can have: meaning, where it stands, and what it is for."""
    return [(name, place, PURPOSES.get(name, "")) for name, place in form.fields.items()]


def meaning_of(form: ManifestForm, name: str) -> str:
    """The meaning of a field by what a person calls it; the name itself where it is none.

    >>> from protypon.core.platform import platform
    >>> meaning_of(platform.load("quayside").manifests[0], "Author")
    'maker'
    """
    plain = name.lower().replace(" ", "_").replace("-", "_")
    for known in (name, plain, OTHER_WORDS.get(plain, "")):
        if known in form.fields:
            return known
    return name


def fitting_slug(text: str, platform: Platform) -> str:
    """A slug that fits the platform's rule and is as near to a text as can be; empty where none is found."""
    for join in ("-", "_", ""):
        for low in (text.lower(), text):
            words = re.sub(r"[^A-Za-z0-9]+", join, low).strip("-_")
            for slug in (words, words.lstrip("0123456789-_"), "theme" + join + words):
                if slug and platform.slug_fits(slug):
                    return slug
    return ""


def check_slug(bench: Bench, slug: str) -> None:
    """Raises Usage for a slug against the platform's rule, ProtyponError for one that is taken."""
    if not bench.platform.slug_fits(slug):
        better = fitting_slug(slug, bench.platform)
        raise Usage(
            f"the slug {slug!r} is against the rule of {bench.platform.title}: {bench.platform.slug_says}",
            f"a slug that fits: {better}" if better else "",
        )
    if slug in bench.themes or slug in (bench.platform.root, *bench.platform.root_themes):
        raise ProtyponError(f"a theme {slug!r} is there already", "choose another slug")


def manifest_fields(form: ManifestForm, fields: Mapping[str, str]) -> dict[str, object]:
    """``--set`` values, lists split at commas. A field is named by its meaning, or by its dotted place in the manifest."""
    values: dict[str, object] = {}
    for typed, value in fields.items():
        name = meaning_of(form, typed)
        if name not in form.fields and "." not in name:
            near = nearest(name, tuple(form.fields))
            known = ", ".join(form.fields)
            raise Usage(
                f"the manifest has no field {name!r}",
                f"did you mean {near}?" if near else f"fields are: {known}; or write its place, as in header.{name}",
            )
        is_list = name in manifest.LISTS or name in {form.fields.get(meaning) for meaning in manifest.LISTS}
        values[name] = [part.strip() for part in value.split(",") if part.strip()] if is_list else value
    return values
