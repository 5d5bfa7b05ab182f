"""The bench: the folder in which a maintainer works. Finds it, reads it, and hands plans to :mod:`apply`.

What a check of unchanged themes does not need is imported where it is used: start-up is most of its time.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from protypon.core.files.caches import Cache
from protypon.core.files.folder import Folder
from protypon.core.files.listing import Listing, Progress, look
from protypon.core.files.notes import note
from protypon.core.files.structured import NotRead, toml_table
from protypon.core.model.actions import Adopt, Check, Init, ListPlatforms, New, Words
from protypon.core.model.errors import BadInput, ProtyponError, UnknownName
from protypon.core.model.limits import CONFIG_BYTES, LEDGER_BYTES
from protypon.core.model.paths import quote_path, why_unsafe

if TYPE_CHECKING:
    from protypon.core.languages.facts import FactsCache
    from protypon.core.model.nouns import Lineage, Plan, Record, Release, Theme, Unit
    from protypon.core.model.paths import Entry
    from protypon.core.platform.platform import Platform
    from protypon.core.store.store import JournalEntry, Store

CONFIG = "protypon.toml"
FORMAT = "protypon.bench/1"
OWN = ("proposals", "packages")
"""Folders of a bench that are not themes, where themes lie in the bench itself."""
_EXAMPLE = {"format": FORMAT, "platform": "quayside", "themes": "themes"}
_AS_IN = f'a bench begins with: format = "{FORMAT}"'


def find(start: Path) -> Path:
    """Return the nearest folder, from ``start`` up, that is a bench. Raises ProtyponError where there is none."""
    start = start.resolve()
    for folder in (start, *start.parents):
        with suppress(OSError):
            if Folder(str(folder)).stat(CONFIG) is not None:
                note("bench", "the bench is %s", folder)
                return folder
    raise UnknownName(f"no bench here: no {CONFIG} in {start} or above", _how_to_start(start))


def _how_to_start(folder: Path) -> Words:
    """What starts a bench in a folder: where themes lie in it, around them."""
    from protypon.core.themes.guess import guess_here

    guess = guess_here(Folder(str(folder)), folder.name)
    if guess is None:
        return ("start one with: ", Init("quayside"), "; the platforms are: ", ListPlatforms())
    number = len(guess.folders)
    themes = f"{number} themes" if number > 1 else "a theme"
    return (
        f"{themes} of {guess.platform.title} {'lie' if number > 1 else 'lies'} here; start one around them with: ",
        Init(""),
    )


class Bench:
    """One bench, read as it is now. Everything is read when first asked for, and then kept."""

    def __init__(self, root: Path, config: Mapping[str, str] | None = None, progress: Progress | None = None) -> None:
        self.root, self.progress = root, progress
        self.folder = Folder(str(root), self._is_door)
        if config is not None:
            self.__dict__["_config"] = config

    def _is_door(self, rel: str) -> bool:
        """Whether a link to a folder may stand at a path: only in the place of a theme's folder."""
        themes = self._config.get("themes", "themes")
        above, _, name = rel.rpartition("/")
        return above == ("" if themes == "." else themes) and not name.startswith(".") and name not in OWN

    @cached_property
    def store(self) -> Store:
        """Releases, texts and the journal."""
        from protypon.core.store.store import Store

        return Store(self.folder)

    @cached_property
    def _config(self) -> Mapping[str, str]:
        try:
            data = toml_table(self.folder.read(CONFIG, CONFIG_BYTES).decode("utf-8"))
        except (OSError, UnicodeDecodeError, NotRead) as error:
            raise BadInput(f"{CONFIG}: can't be read: {error}", _AS_IN) from error
        for key in ("format", "platform", "themes"):
            if not isinstance(data.get(key, "themes" if key == "themes" else None), str):
                raise BadInput(
                    f"{CONFIG}: {key} is {data.get(key)!r}, wanted is a text", f'as in: {key} = "{_EXAMPLE[key]}"'
                )
        if data["format"] != FORMAT:
            raise BadInput(f'{CONFIG}: format is "{data["format"]}", allowed is "{FORMAT}"')
        folder = data.get("themes", "themes")
        if folder != "." and (why_unsafe(folder) or "\\" in folder):
            raise BadInput(
                f'{CONFIG}: themes is "{folder}", wanted is a folder of the bench', 'as in: themes = "themes"'
            )
        return data

    @cached_property
    def platform_text(self) -> tuple[str, str]:
        """The platform file's text and where it is from, not read yet."""
        from protypon.core.platform.shipped import text_of

        return text_of(self._config["platform"], self.root)

    @property
    def platform_asked(self) -> str:
        """The platform as ``protypon.toml`` names it, with the release if one is said."""
        return self._config["platform"]

    @cached_property
    def platform(self) -> Platform:
        """The platform that ``protypon.toml`` names. Raises BadInput where its file can't be read."""
        from protypon.core.platform import platform

        return platform.load(self._config["platform"], self.root)

    @property
    def themes_folder(self) -> Path:
        """Where the themes lie."""
        return self.root / self._config.get("themes", "themes")

    @cached_property
    def listings(self) -> dict[str, Listing]:
        """What stands in each folder below the themes folder, by the folder's name."""
        top = self._config.get("themes", "themes")
        rel = "" if top == "." else top
        try:
            names = [n for n in self.folder.names(rel) if not n.startswith(".") and not (top == "." and n in OWN)]
            places = {name: f"{rel}/{name}" if rel else name for name in names}
            folders = [name for name, place in places.items() if self.folder.is_folder(place)]
        except OSError as error:
            raise BadInput(f"{self.themes_folder}: can't be read: {error.strerror}") from error
        return {
            name: look(self.themes_folder / name, self.cache.row("listing", quote_path(name)), self.progress)
            for name in folders
        }

    @cached_property
    def writable(self) -> bool:
        """Whether this process may write into it."""
        return self.folder.writable

    @cached_property
    def cache(self) -> Cache:
        """What is remembered between commands."""
        return Cache(self.folder, ".protypon/cache", self.writable)

    def close(self) -> None:
        """Keep what was learnt of sources, and give back what is open; it is opened again where it is wanted."""
        if "facts" in self.__dict__:
            self.facts.save()
        if "cache" in self.__dict__:
            self.cache.close()

    @cached_property
    def all_themes(self) -> list[Theme]:
        """Every theme below the themes folder, at any depth."""
        from protypon.core.themes.discover import themes_in

        found = [t for name, listing in self.listings.items() for t in themes_in(listing, self.platform, name)]
        return sorted((self._with_label(t) for t in found), key=lambda t: (t.depth, t.folder))

    def _with_label(self, theme: Theme) -> Theme:
        """Where a manifest says no release number: the label under which just these contents were kept."""
        if theme.release is not None:
            return theme
        kept = next((r for r in self.releases if r.theme == theme.slug and r.identity == theme.identity), None)
        return replace(theme, release=kept.name) if kept else theme

    @cached_property
    def themes(self) -> dict[str, Theme]:
        """Every theme by its slug."""
        from protypon.core.themes.discover import by_slug

        return by_slug(self.all_themes)

    @cached_property
    def releases(self) -> tuple[Release, ...]:
        """Every kept release, as its maker made it."""
        return tuple(r for r in self.states if r.edited_from is None)

    @cached_property
    def edits(self) -> tuple[Release, ...]:
        """Every kept state of a theme that was edited in its folder."""
        return tuple(r for r in self.states if r.edited_from is not None)

    @cached_property
    def states(self) -> tuple[Release, ...]:
        """Every state that was kept, releases and edited ones."""
        return self.store.releases()

    @cached_property
    def facts(self) -> FactsCache:
        """What readers say of files, remembered by their contents."""
        from protypon.core.languages.facts import FactsCache

        return FactsCache(self.cache, self.progress)

    def entries(self, theme: Theme) -> dict[str, Entry]:
        """Everything that stands in the folder of a theme of the bench, by its path there."""
        from protypon.core.themes.discover import entries_of

        name = os.path.relpath(theme.folder, self.themes_folder).split("/")[0]
        return entries_of(self.listings[name], theme)

    def theme(self, slug: str) -> Theme:
        """The theme of a slug. Raises UnknownName with the nearest one."""
        from protypon.core.platform.schema import nearest

        if slug in self.themes:
            return self.themes[slug]
        near = nearest(slug, tuple(self.themes)) or next(
            (t.slug for t in self.themes.values() if slug.lower() in (t.title.lower(), t.slug.lower())), ""
        )
        hint = f"did you mean {near}?" if near else f"here are: {', '.join(sorted(self.themes)) or 'none'}"
        raise UnknownName(f"no theme {slug!r} in this bench", hint)

    @cached_property
    def children(self) -> list[Theme]:
        """The maintainer's own themes: those with a ledger."""
        return sorted((t for t in self.themes.values() if t.maintained), key=lambda t: t.slug)

    @property
    def without_ledger(self) -> list[Theme]:
        """Themes that have a parent here, are nobody's parent and have no ledger: children that somebody made by hand."""
        meant = {theme.slug: [self.meant_by(name) for name in theme.parents] for theme in self.themes.values()}
        parents = {slug for names in meant.values() for slug in names}
        loose = [t for t in self.themes.values() if t.slug not in parents and not t.maintained]
        return sorted((t for t in loose if any(meant[t.slug])), key=lambda t: t.slug)

    def meant_by(self, name: str) -> str:
        """The slug of the theme that a manifest names: also by its title, or in another letter case; empty where there is none."""
        if name in self.themes:
            return name
        near = (t.slug for t in self.themes.values() if name.casefold() in (t.slug.casefold(), t.title.casefold()))
        return next(near, "")

    def misnamed_parent(self, theme: Theme) -> str:
        """A parent that a theme names by its title, or in another letter case; empty where all are named rightly."""
        return next((name for name in theme.parents if name not in self.themes and self.meant_by(name)), "")

    def child(self, slug: str | None) -> Theme:
        """The child that a command means: the named one, or the only one there is."""
        if slug is not None:
            found = self.theme(slug)
            if not found.maintained:
                raise UnknownName(
                    f"{slug} has no ledger, so it is not one of yours",
                    ("if it is, begin one with: ", Adopt(slug)),
                )
            return found
        if not self.children and self.without_ledger:
            first = self.without_ledger[0]
            if self.misnamed_parent(first):
                raise UnknownName(f"{first.slug} has no ledger yet, and names its parent wrongly", Check())
            raise UnknownName(f"{first.slug} has no ledger yet", ("begin one with: ", Adopt(first.slug)))
        if not self.children:
            raise UnknownName("no child in this bench", ("start one with: ", New()))
        if len(self.children) > 1:
            names = ", ".join(t.slug for t in self.children)
            raise UnknownName(f"which child: {names}?", f"add --child, as in --child {self.children[0].slug}")
        return self.children[0]

    def lineage(self, theme: Theme) -> Lineage:
        """A theme with its parents, nearest first."""
        from protypon.core.themes.discover import lineage_of

        return lineage_of(theme, self.themes, self.platform)

    def records(self, theme: Theme) -> dict[Unit, Record]:
        """The ledger of a theme. Raises BadInput where it is nonsense."""
        from protypon.core.store import ledger
        from protypon.core.store.ledger import LEDGER

        path = os.path.relpath(os.path.join(theme.folder, LEDGER), self.root)
        if path not in self._ledgers:
            there = self.folder.stat(path) is not None
            data = self.folder.read(path, LEDGER_BYTES) if there else b""
            self._ledgers[path] = ledger.read_cached(data, path, self.cache) if there else {}
        return dict(self._ledgers[path])

    @contextmanager
    def writing(self, command: str) -> Iterator[None]:
        """Hold the lock while a command reads, plans and writes."""
        from protypon.core.store import apply

        if not self.writable:
            raise BadInput(f"{self.root}: is read-only", "make the bench writable")
        with apply.hold_lock(self.store, command):
            yield

    def finish_pending(self) -> None:
        """Before reading: let what a killed command had begun be finished."""
        if self.folder.stat(".protypon/pending.json") is not None and self.writable:
            from protypon.core.store import apply

            with apply.hold_lock(self.store, "recovery"):
                pass

    def carry_out(self, plan: Plan) -> JournalEntry | None:
        """Do what a plan says; what was read before is forgotten."""
        from protypon.core.store import apply

        entry = apply.carry_out(plan, self.store)
        self.forget()
        return entry

    @cached_property
    def _ledgers(self) -> dict[str, dict[Unit, Record]]:
        """Ledgers by their paths, as they were read."""
        return {}

    def forget(self) -> None:
        """Read what lies in the bench anew when it is next asked for; no command changes what the bench itself is."""
        for name in ("listings", "all_themes", "themes", "children", "releases", "edits", "states", "_ledgers"):
            self.__dict__.pop(name, None)

    def require_parent(self, slug: str) -> Theme:
        """A theme that is to be a parent; the platform's own root themes have no folder."""
        if slug not in self.themes and slug in (self.platform.root, *self.platform.root_themes):
            raise ProtyponError(
                f"{slug} comes with the platform and is not in this bench",
                f"put a copy of it into {self.themes_folder.name}/{slug} to follow its releases",
            )
        return self.theme(slug)
