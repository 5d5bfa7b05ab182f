"""The bench: the folder in which a maintainer works. Finds it, reads it, and hands plans to :mod:`apply`.

What a check of unchanged themes does not need is imported where it is used: start-up is most of its time.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from protypon.core.errors import BadInput, ProtyponError, Unknown
from protypon.core.listing import Listing, Progress, look
from protypon.core.paths import quote_path

if TYPE_CHECKING:
    from protypon.core.facts import FactsCache
    from protypon.core.model import Lineage, Plan, Record, Release, Theme, Unit
    from protypon.core.platform import Platform
    from protypon.core.store import JournalEntry, Store

CONFIG = "protypon.toml"
FORMAT = "protypon.bench/1"
_EXAMPLE = {"format": FORMAT, "platform": "quayside", "themes": "themes"}


def find(start: Path) -> Path:
    """Return the nearest folder, from ``start`` up, that is a bench. Raises ProtyponError where there is none."""
    start = start.resolve()
    for folder in (start, *start.parents):
        if (folder / CONFIG).is_file():
            return folder
    raise Unknown(
        f"no bench here: no {CONFIG} in {start} or above", "start one with: protypon init --platform quayside"
    )


class Bench:
    """One bench, read as it is now. Everything is read when first asked for, and then kept."""

    def __init__(self, root: Path, config: Mapping[str, str] | None = None, progress: Progress | None = None) -> None:
        self.root, self.progress = root, progress
        if config is not None:
            self.__dict__["_config"] = config
        self.hidden = root / ".protypon"
        self.cache = self.hidden / "cache"

    @cached_property
    def store(self) -> Store:
        from protypon.core.store import Store

        return Store(self.hidden)

    @cached_property
    def _config(self) -> Mapping[str, str]:
        path = self.root / CONFIG
        try:
            data = tomllib.loads(path.read_text("utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, RecursionError) as error:
            raise BadInput(f"{CONFIG}: can't be read: {error}") from error
        for key in ("format", "platform", "themes"):
            if not isinstance(data.get(key, "themes" if key == "themes" else None), str):
                raise BadInput(
                    f"{CONFIG}: {key} is {data.get(key)!r}, wanted is a text", f'as in: {key} = "{_EXAMPLE[key]}"'
                )
        if data["format"] != FORMAT:
            raise BadInput(f'{CONFIG}: format is "{data["format"]}", allowed is "{FORMAT}"')
        folder = data.get("themes", "themes")
        if folder.startswith("/") or "\\" in folder or ".." in folder.split("/"):
            raise BadInput(f'{CONFIG}: themes is "{folder}", wanted is a folder of the bench')
        return data

    @cached_property
    def platform_text(self) -> tuple[str, str]:
        """The platform file's text and where it is from, not read yet."""
        from protypon.core.platform_files import text_of

        return text_of(self._config["platform"], self.root)

    @property
    def platform_asked(self) -> str:
        """The platform as ``protypon.toml`` names it, with the release if one is said."""
        return self._config["platform"]

    @property
    def platform_name(self) -> str:
        return str(tomllib.loads(self.platform_text[0]).get("name", ""))

    @cached_property
    def platform(self) -> Platform:
        from protypon.core import platform

        return platform.load(self._config["platform"], self.root)

    @property
    def themes_folder(self) -> Path:
        return self.root / self._config.get("themes", "themes")

    @cached_property
    def listings(self) -> dict[str, Listing]:
        """What stands in each folder below the themes folder, by the folder's name."""
        folder = self.themes_folder
        if not folder.is_dir():
            return {}
        try:
            names = sorted(e.name for e in os.scandir(folder) if e.is_dir() and not e.name.startswith("."))
        except OSError as error:
            raise BadInput(f"{folder}: can't be read: {error.strerror}") from error
        kept = self.cache if self.writable else None
        return {
            name: look(
                folder / name, kept / "listings" / f"{quote_path(name)}.listing" if kept else None, self.progress
            )
            for name in names
            if not (folder == self.root and name in ("proposals", "packages"))
        }

    @cached_property
    def writable(self) -> bool:
        return os.access(self.root, os.W_OK)

    @cached_property
    def all_themes(self) -> list[Theme]:
        """Every theme below the themes folder, at any depth."""
        from protypon.core.discover import themes_in

        found = [t for name, listing in self.listings.items() for t in themes_in(listing, self.platform, name)]
        return sorted((self._labelled(t) for t in found), key=lambda t: (t.depth, t.folder))

    def _labelled(self, theme: Theme) -> Theme:
        """Where a manifest says no release number: the label under which just these contents were kept."""
        if theme.release is not None:
            return theme
        kept = next((r for r in self.releases if r.theme == theme.slug and r.identity == theme.identity), None)
        return replace(theme, release=kept.name) if kept else theme

    @cached_property
    def themes(self) -> dict[str, Theme]:
        from protypon.core.discover import by_slug

        return by_slug(self.all_themes)

    @cached_property
    def releases(self) -> tuple[Release, ...]:
        return self.store.releases()

    @cached_property
    def facts(self) -> FactsCache:
        from protypon.core.facts import FactsCache

        return FactsCache(self.cache if self.writable else None, self.progress)

    def theme(self, slug: str) -> Theme:
        """The theme of a slug. Raises Unknown with the nearest one."""
        from protypon.core.schema import nearest

        if slug in self.themes:
            return self.themes[slug]
        near = nearest(slug, tuple(self.themes)) or next(
            (t.slug for t in self.themes.values() if slug.lower() in (t.title.lower(), t.slug.lower())), ""
        )
        hint = f"did you mean {near}?" if near else f"here are: {', '.join(sorted(self.themes)) or 'none'}"
        raise Unknown(f"no theme {slug!r} in this bench", hint)

    @cached_property
    def children(self) -> list[Theme]:
        """The maintainer's own themes: those with a ledger."""
        return sorted((t for t in self.themes.values() if t.maintained), key=lambda t: t.slug)

    def child(self, slug: str | None) -> Theme:
        """The child that a command means: the named one, or the only one there is."""
        if slug is not None:
            found = self.theme(slug)
            if not found.maintained:
                raise Unknown(
                    f"{slug} has no ledger, so it is not one of yours",
                    f"if it is, begin one with: protypon adopt {slug}",
                )
            return found
        if not self.children:
            raise Unknown("no child in this bench", "start one with: protypon new SLUG --parent SLUG")
        if len(self.children) > 1:
            names = ", ".join(t.slug for t in self.children)
            raise Unknown(f"which child: {names}?", f"add --child, as in --child {self.children[0].slug}")
        return self.children[0]

    def lineage(self, theme: Theme) -> Lineage:
        from protypon.core.discover import lineage_of

        return lineage_of(theme, self.themes, self.platform)

    def records(self, theme: Theme) -> dict[Unit, Record]:
        """The ledger of a theme. Raises BadInput where it is nonsense."""
        from protypon.core import ledger
        from protypon.core.discover import LEDGER

        path = Path(theme.folder, LEDGER)
        if not path.is_file():
            return {}
        return ledger.read(path.read_bytes(), os.path.relpath(path, self.root))

    @contextmanager
    def writing(self, command: str) -> Iterator[None]:
        """Hold the lock while a command reads, plans and writes."""
        from protypon.core import apply

        if not os.access(self.root, os.W_OK):
            raise BadInput(f"{self.root}: is read-only", "make the bench writable")
        with apply.locked(self.store, command):
            yield

    def settled(self) -> None:
        """Before reading: let what a killed command had begun be finished."""
        if (self.hidden / "pending.json").exists() and self.writable:
            from protypon.core import apply

            with apply.locked(self.store, "recovery"):
                pass

    def carry_out(self, plan: Plan) -> JournalEntry | None:
        """Do what a plan says; what was read before is forgotten."""
        from protypon.core import apply

        entry = apply.carry_out(plan, self.store)
        self.forget()
        return entry

    def forget(self) -> None:
        for name in ("listings", "all_themes", "themes", "children", "releases", "_config", "platform"):
            self.__dict__.pop(name, None)

    def require_parent(self, slug: str) -> Theme:
        """A theme that is to be a parent; the platform's own root themes have no folder."""
        if slug not in self.themes and slug in (self.platform.root, *self.platform.root_themes):
            raise ProtyponError(
                f"{slug} comes with the platform and is not in this bench",
                f"put a copy of it into {self.themes_folder.name}/{slug} to follow its releases",
            )
        return self.theme(slug)
