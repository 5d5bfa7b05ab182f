"""Which platform the themes in a folder are of, told from their manifests."""

from __future__ import annotations

import stat
from collections.abc import Callable, Iterable
from typing import NamedTuple

from protypon.core.files.folder import Folder
from protypon.core.model.errors import ProtyponError
from protypon.core.model.limits import MANIFEST_BYTES
from protypon.core.platform import manifest
from protypon.core.platform import platform as platforms
from protypon.core.platform.platform import Platform
from protypon.core.platform.shipped import shipped_platforms

DEEPEST = 4
MOST_NAMES = 5_000
"""Of a folder that nobody said to be a bench, so much is looked at."""


class Guess(NamedTuple):
    """One platform, and the folders of its themes."""

    platform: Platform
    folders: tuple[str, ...]


def guesses(paths: Iterable[str], read: Callable[[str], bytes], top: str) -> list[Guess]:
    """The shipped platforms of which a folder has themes with a manifest that can be read, the one with most first.

    ``paths`` are the files below the folder, ``top`` is its name.
    """
    every = list(paths)
    found = [Guess(each, tuple(_themes(every, read, top, each))) for each in map(platforms.load, shipped_platforms())]
    return sorted((guess for guess in found if guess.folders), key=lambda guess: -len(guess.folders))


def _themes(paths: list[str], read: Callable[[str], bytes], top: str, platform: Platform) -> Iterable[str]:
    tails = tuple(form.path.rpartition("{slug}")[2] for form in platform.manifests)
    known: set[str] = set()
    for path in paths:
        place = manifest.forms_at(platform, path, top) if path.endswith(tails) else None
        if place is None or place[0] in known:
            continue
        try:
            values, problems = manifest.read(place[1], read(path), path, manifest.separators(platform))
        except (OSError, ProtyponError):
            continue
        if values and not problems:
            known.add(place[0])
    return sorted(known)


def guess_here(folder: Folder, top: str) -> Guess | None:
    """The platform of which a folder has themes, if there is one; only its upper folders are looked into."""
    found = guesses(_names(folder), lambda path: folder.read(path, MANIFEST_BYTES), top)
    return found[0] if found and (len(found) == 1 or len(found[0].folders) > len(found[1].folders)) else None


def _names(folder: Folder) -> list[str]:
    found: list[str] = []
    waiting = [("", 0)]
    while waiting and len(found) < MOST_NAMES:
        rel, depth = waiting.pop()
        try:
            names = folder.names(rel)
        except (OSError, ProtyponError):
            continue
        for name in names:
            path = f"{rel}/{name}" if rel else name
            there = folder.stat(path)
            if there is None or name.startswith("."):
                continue
            if stat.S_ISDIR(there.st_mode):
                if depth < DEEPEST:
                    waiting.insert(0, (path, depth + 1))
            else:
                found.append(path)
    return found
