"""Quayside, running: renders a page of a site through a lineage of themes.

    python -m protypon.standin.quayside THEMES SLUG [PAGE]

Theme files are somebody else's: templates run in Jinja's sandbox, code runs only when asked to, and the program limits
its own time and memory.
"""

from __future__ import annotations

import json
import sys
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jinja2 import BaseLoader, TemplateNotFound
from jinja2.sandbox import SandboxedEnvironment
from markupsafe import Markup

from protypon.standin.apart import limit
from protypon.standin.quay import Quay


class NotLoaded(Exception):
    """The theme does not load: the site shows nothing but this."""


@dataclass(frozen=True)
class ThemeFolder:
    """One theme as quayside sees it."""

    slug: str
    folder: Path
    manifest: Mapping[str, Any]


@dataclass
class RenderedPage:
    """A rendered page, and which file of which theme made it."""

    html: str = ""
    used: list[tuple[str, str]] = field(default_factory=list)
    sheets: list[str] = field(default_factory=list)


def load_lineage(themes: Path, slug: str) -> list[ThemeFolder]:
    """Follow the parents: each is looked up by the name of its folder, letter by letter."""
    found: list[ThemeFolder] = []
    while slug:
        if slug in {t.slug for t in found}:
            raise NotLoaded(f"{slug} is its own ancestor")
        if not themes.is_dir() or slug not in {p.name for p in themes.iterdir()}:
            raise NotLoaded(f"there is no theme {slug}")
        try:
            manifest = tomllib.loads((themes / slug / "quay.toml").read_text("utf-8"))
            head = manifest["theme"]
            if not all(isinstance(head[key], str) for key in ("slug", "title", "release")):
                raise NotLoaded(f"{slug}: its manifest lacks slug, title or release")
            if head["slug"] != slug:
                raise NotLoaded(f"{slug}: its manifest says {head['slug']}")
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise NotLoaded(f"{slug}: its manifest can't be read: {error}") from error
        found.append(ThemeFolder(slug, themes / slug, manifest))
        slug = head.get("parent", "")
    return found


class QuaysideSite:
    """A site with one active theme."""

    def __init__(self, themes: Path, active: str) -> None:
        self.lineage = load_lineage(themes, active)
        self.settings = self._overlaid("settings.json")
        self.texts = self._overlaid("lang/en.json")
        self.quay = Quay()
        self._compile_code()

    def run_code(self, kind: str = "") -> QuaysideSite:
        """Run every theme's code, ancestors' first, and let the site come to the moment before a page."""
        self.quay.kind = kind
        for theme, file in self._code_files():
            self.quay.run(file, f"{theme.slug}/{file.relative_to(theme.folder)}")
        for moment in ("docked", "open"):
            self.quay.ring(moment)
        return self

    def _code_files(self) -> list[tuple[ThemeFolder, Path]]:
        return [(t, f) for t in reversed(self.lineage) for f in sorted((t.folder / "code").rglob("*.py"), key=str)]

    def _overlaid(self, path: str) -> dict[str, Any]:
        """A structured file, key by key: the nearest theme's keys win."""
        result: dict[str, Any] = {}
        for theme in reversed(self.lineage):
            file = theme.folder / path
            if file.is_file():
                try:
                    _overlay(result, json.loads(file.read_text("utf-8")))
                except ValueError as error:
                    raise NotLoaded(f"{theme.slug}/{path}: {error}") from error
        return result

    def _compile_code(self) -> None:
        """Code files are compiled, ancestors' first; one that does not parse stops the site."""
        for theme, file in self._code_files():
            try:
                compile(file.read_bytes(), str(file), "exec", dont_inherit=True)
            except (SyntaxError, ValueError) as error:
                raise NotLoaded(f"{theme.slug}/{file.name}: {error}") from error

    def find(self, path: str, lineage: list[ThemeFolder] | None = None) -> tuple[ThemeFolder, Path] | None:
        """The first theme from the active one on that has a file of just this name."""
        for theme in lineage if lineage is not None else self.lineage:
            file = theme.folder / path
            if file.is_file() and _exact(theme.folder, path):
                return theme, file
        return None

    def sheets(self, surface: str = "site") -> list[str]:
        """The sheets registered for the site or the editor, in the order of loading: the root's first, each path once, each from the nearest theme."""
        names: list[str] = []
        for theme in reversed(self.lineage):
            for name in theme.manifest.get("sheets", {}).get(surface, []):
                if name not in names:
                    names.append(name)
        return [f"/themes/{found[0].slug}/{name}" for name in names if (found := self.find(name))]

    def _region(self, name: str) -> Markup:
        """What the site put into a region, if the theme has declared it."""
        declared = {n for t in self.lineage for n in t.manifest.get("regions", {}).get("list", [])}
        return Markup(f'<div class="region" id="{name}"></div>') if name in declared else Markup("")

    def asset(self, path: str) -> str:
        found = self.find(path)
        return f"/themes/{found[0].slug}/{path}" if found else f"/missing/{path}"

    def render(self, page: str, context: Mapping[str, Any] | None = None) -> RenderedPage:
        """Render a page template. Raises jinja2.TemplateError where one of its templates fails."""
        result = RenderedPage(sheets=self.sheets())
        environment = SandboxedEnvironment(
            loader=_Loader(self, result.used), autoescape=True, keep_trailing_newline=True
        )
        values = {
            **EXAMPLE,
            "sheets": result.sheets,
            "settings": self.settings,
            "asset": self.asset,
            "text": lambda key: self.texts.get(key, key),
            "ring": self.quay.ring,
            "pass_on": self.quay.pass_on,
            "call": self.quay.call,
            "value": self.quay.value,
            "region": self._region,
            **self.quay.given,
            **(context or {}),
        }
        environment.globals.update(values)
        result.html = environment.get_template(page).render()
        return result


def _overlay(target: dict[str, Any], new: dict[str, Any]) -> None:
    for key, value in new.items():
        if isinstance(value, dict) and isinstance(target.get(key), dict):
            _overlay(target[key], value)
        else:
            target[key] = value


def _exact(folder: Path, path: str) -> bool:
    """Whether letter case is just so, on any file system."""
    for part in path.split("/"):
        if part not in {p.name for p in folder.iterdir()}:
            return False
        folder = folder / part
    return True


class _Loader(BaseLoader):
    """``path`` from the active theme on; ``parent:path`` from the parent of the theme that asks; ``slug:path`` exactly there.

    Which theme asks is known through the full name that a template gets once it is found: ``slug:path``.
    """

    def __init__(self, site: QuaysideSite, used: list[tuple[str, str]]) -> None:
        self.site, self.used = site, used

    def get_source(self, environment: Any, template: str) -> tuple[str, str, Callable[[], bool]]:
        found = self._find(template)
        if found is None:
            raise TemplateNotFound(template)
        theme, file = found
        used = (theme.slug, str(file.relative_to(theme.folder)))
        if used not in self.used:
            self.used.append(used)
        return self._anchor_parents(file.read_text("utf-8"), theme), str(file), lambda: True

    def _find(self, name: str) -> tuple[ThemeFolder, Path] | None:
        slug, colon, path = name.partition(":")
        if not colon:
            return self.site.find(name)
        if slug.startswith("above "):
            names = [t.slug for t in self.site.lineage]
            return self.site.find(path, self.site.lineage[names.index(slug[6:]) + 1 :])
        return self.site.find(path, [t for t in self.site.lineage if t.slug == slug])

    @staticmethod
    def _anchor_parents(source: str, theme: ThemeFolder) -> str:
        """``parent:`` means something else in every theme, so it is made absolute when a file is read."""
        for quote in "\"'":
            source = source.replace(f"{quote}parent:", f"{quote}above {theme.slug}:")
        return source


EXAMPLE: dict[str, Any] = {
    "site": {
        "name": "Lantern Rock Museum",
        "place": "Lantern Rock",
        "language": "en",
        "greeting": "A lighthouse, two boats and four hundred years of weather.",
        "access": "On foot at low tide; by ferry at high tide.",
    },
    "page": {
        "kind": "home",
        "title": "Welcome",
        "body": "The lamp room is open again.",
        "maker": "J. Marrow",
        "year": "1891",
        "inventory": "LR-0042",
        "pictures": [{"src": "/pictures/lamp.jpg", "alt": "The lamp"}],
        "caption": "The lamp, first order",
        "language": "en",
    },
    "exhibits": [
        {
            "href": "/lamp",
            "picture": "/pictures/lamp.jpg",
            "title": "The lamp",
            "teaser": "Eleven prisms are older than the tower.",
        }
    ],
    "menu": [{"href": "/", "label": "Home", "here": True}, {"href": "/visit", "label": "Visit"}],
    "hours": [{"name": "Saturday", "open": "10:00", "close": "17:00"}],
    "tides": [{"time": "06:12", "height": "4.4"}, {"time": "12:31", "height": "0.9"}],
    "guestbook": [{"words": "Windy.", "name": "Ada"}],
    "notices": ["The causeway is under water"],
    "trail": [{"href": "/", "label": "Home"}, {"href": "/lamp", "label": "The lamp"}],
}
"""What a site would hand to its templates."""


def main(arguments: list[str]) -> int:
    limit()
    if not 2 <= len(arguments) <= 3:
        print(__doc__, file=sys.stderr)
        return 2
    try:
        page = (
            QuaysideSite(Path(arguments[0]), arguments[1])
            .run_code()
            .render(arguments[2] if len(arguments) > 2 else "pages/home.html")
        )
    except Exception as error:  # whatever a theme does wrong ends here, as it would on a site
        print(f"quayside: {error}", file=sys.stderr)
        return 1
    print(page.html)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
