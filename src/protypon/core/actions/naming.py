"""What a new theme is called, and what its manifest is given: checked as they were typed."""

from __future__ import annotations

import re
from collections.abc import Mapping

from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform
from protypon.core.platform.schema import nearest
from protypon.core.themes.bench import Bench


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
    for name, value in fields.items():
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
