"""A theme as it would stand in the bench, made of what is planned for its folder."""

from __future__ import annotations

import os
from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from protypon.core.model.nouns import Content, Theme
from protypon.core.model.paths import FOLDER, Entry
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform
from protypon.core.store.ledger import LEDGER
from protypon.core.themes.discover import identity_of

NO_SIZES: Mapping[str, int] = MappingProxyType({})


def planned_theme(
    platform: Platform,
    form: ManifestForm,
    slug: str,
    folder: str,
    files: Mapping[str, Content],
    sizes: Mapping[str, int] = NO_SIZES,
) -> Theme:
    """A theme of the maintainer's own; ``sizes`` are those of files whose bytes lie elsewhere."""
    entries = {
        path: Entry(path, what.mode, sizes.get(path, len(what.data or b"")), what.digest)
        for path, what in files.items()
        if path != LEDGER and what.mode != FOLDER
    }
    path = manifest.path_for(form, os.path.basename(folder))
    values, problems = manifest.read(form, files[path].read(), path, manifest.separators(platform))
    identity = identity_of(entries)
    return Theme(
        slug=slug, folder=folder, files=entries, values=values, manifest=path, title=str(values.get("title", slug)), release=values.get("release"),
        parents=parents_in(values), identity=identity, found=identity, maintained=True, problems=tuple(problems),
    )  # fmt: skip


def parents_in(values: Mapping[str, Any]) -> tuple[str, ...]:
    """The parents that a manifest names."""
    said = values.get("parent") or ()
    return (said,) if isinstance(said, str) else tuple(map(str, said))
