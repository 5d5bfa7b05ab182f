"""Start a bench: in an empty folder, or around themes that are there already."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

from protypon.core.actions.keep import Kept, keep_into
from protypon.core.files.folder import Folder
from protypon.core.files.listing import look
from protypon.core.model.actions import Check
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Plan
from protypon.core.platform import platform as platforms
from protypon.core.platform.platform import Platform
from protypon.core.platform.shipped import shipped_platforms, split_release
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import CONFIG, FORMAT, Bench
from protypon.core.themes.discover import theme_folders


def plan_init(root: Path, platform_name: str, here: Path | None = None) -> tuple[Plan, Bench, list[Kept]]:
    """Plan the bench's own file, and to keep the present release of every theme found; ``here``: where a platform file is looked for.

    Raises ProtyponError where a bench is already.
    """
    if Folder(str(root)).stat(CONFIG) is not None:
        raise ProtyponError(f"{root / CONFIG}: there is a bench already", ("look at it with: ", Check()))
    bare, release = split_release(platform_name)
    if bare not in shipped_platforms():
        platforms.load(platform_name, here)
        file = os.path.realpath((here or Path()) / bare)
        platform_name = os.path.relpath(file, os.path.realpath(root)) + (f"@{release}" if release else "")
    platform = platforms.load(platform_name, root)
    config = {"format": FORMAT, "platform": platform_name, "themes": _themes_folder(root, platform)}
    bench = Bench(root, config)
    builder = PlanBuilder(bench.folder)
    builder.write(CONFIG, content(_config_text(config)))
    told = keep_into(builder, bench, bench.themes.values(), "the bench")
    return builder.plan("init"), bench, told


def _config_text(config: Mapping[str, str]) -> bytes:
    from tomlkit import document, dumps

    table = document()
    table.update(config)
    return dumps(table).encode()


def _themes_folder(root: Path, platform: Platform) -> str:
    """``themes``, or the folder in which themes lie already."""
    if Folder(str(root)).is_folder("themes"):
        return "themes"
    direct = {folder for folder in theme_folders(look(root), platform, root.name) if folder and "/" not in folder}
    return "." if direct else "themes"
