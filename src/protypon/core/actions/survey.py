"""Survey: which folders are themes, who is whose parent, what each is for, and what looks wrong. No bench needed."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any

from protypon.core.check.findings import of_units
from protypon.core.files.archives import ENDINGS, Intake
from protypon.core.files.caches import CacheRow
from protypon.core.files.folder import Folder
from protypon.core.files.listing import Listing
from protypon.core.languages.facts import FactsCache
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import LINK, quote_path
from protypon.core.platform.platform import Platform
from protypon.core.themes.discover import by_slug, lineage_of, manifest_problems, themes_in
from protypon.core.themes.intake import listing_of
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.file.headed import is_headed
from protypon.core.units.keyed_files import keyed_rule
from protypon.core.units.registry import keys_of, kinds_in_code, offerings
from protypon.core.units.world import World

FORMAT = "protypon.survey/1"
ROLES = (
    ("starter", r"\b(?:starter|boilerplate|skeleton|blank|sample child|copy this theme|make it yours)\b"),
    ("lighter edition", r"\b(?:lite|light|lighter|slim|minimal)\b"),
    ("base", r"\b(?:base theme|parent theme|not (?:meant )?to be activated|framework|core theme)\b"),
)
"""Words by which makers call a theme's role, in its slug, title, summary, tags or readme."""
README = re.compile(r"(?i)readme(\.\w+)?")
Table = dict[str, Any]


def survey(
    intake: Intake,
    platform: Platform,
    units: bool = False,
    shelf: bool = False,
    known_facts: FactsCache | None = None,
    cache: CacheRow | None = None,
) -> Table:
    """Describe everything below a folder or in an archive, as the table that ``--format json`` prints.

    With ``units``, each theme lists the address of every file a child can override. A ``shelf`` is the folder in which a
    bench has its themes, so that nobody takes it for one. What was read of the same contents before is taken from
    ``known_facts`` and ``cache``, which are of the bench that one stands in.
    """
    listing = listing_of(intake, cache)
    themes = themes_in(listing, platform, intake.name)
    known = by_slug(themes)
    parents = Counter(parent for theme in themes for parent in theme.parents)
    snapshot = Snapshot.of_folders(known_facts)
    worlds = {id(theme): _world(theme, known, platform, snapshot) for theme in themes}
    rows = [_theme(theme, listing, platform, known, parents, units) | _offers(worlds[id(theme)]) for theme in themes]
    if len(themes) == 1 and rows[0]["release"] is None:
        rows[0]["release"] = intake.release
    for theme, row in zip(themes, rows, strict=True) if units else ():
        row["addresses"] += [unit.address for unit in keys_of(worlds[id(theme)], theme)]
        kinds = [(kind, found.LABEL) for kind, found in offerings().items() if kind in kinds_in_code()]
        row["addresses"] += [f"{kind}:{name}" for kind, label in kinds for name in row["offers"].get(label, ())]
    findings = [f for theme in themes for f in _findings(theme, listing, platform, themes, known)]
    findings += [f for theme in themes for f in _of_units(worlds[id(theme)], listing)]
    return {
        "format": FORMAT,
        "path": intake.origin,
        "platform": platform.name,
        "themes": rows,
        "findings": [*findings, *_around(listing, themes, platform, intake, shelf)],
    }


def _world(theme: Theme, known: Mapping[str, Theme], platform: Platform, snapshot: Snapshot) -> World:
    """A theme as the child of its lineage."""
    return World(platform, lineage_of(theme, known, platform), {}, (), snapshot)


def _offers(world: World) -> Table:
    """What a theme's own code offers, by the kind of unit."""
    found = {each.LABEL: each.names(world) for each in offerings().values()} if world.behaviour.speaks else {}
    return {"offers": {label: names for label, names in found.items() if names}}


def _of_units(world: World, listing: Listing) -> Iterator[Table]:
    """What the code of a theme would do wrong, in the lineage as it lies here; what a base offers need not be used by itself."""
    place = _place(world.child, listing)
    for found in of_units(world):
        offered = found.weight == "note" and not world.child.parents
        if found.theme == world.child.slug and not offered:
            yield _finding(
                found.code, found.weight, found.theme, os.path.join(place, found.file), found.because, found.line
            )


def _place(theme: Theme, listing: Listing) -> str:
    rel = os.path.relpath(theme.folder, listing.root)
    return "" if rel == "." else rel


def _theme(
    theme: Theme, listing: Listing, platform: Platform, known: Mapping[str, Theme], parents: Counter[str], units: bool
) -> Table:
    lineage = lineage_of(theme, known, platform)
    kinds: Counter[str] = Counter()
    addresses = []
    for path in sorted(theme.files):
        rule = platform.rule_of(path)
        if rule is not None and (path != theme.manifest or is_headed(platform, theme, path)):
            kinds[rule.kind] += 1
            if keyed_rule(platform, path) is None:
                addresses.append(f"{rule.kind}:{quote_path(path)}")
    row = {
        "slug": theme.slug,
        "title": theme.title,
        "release": theme.release,
        "folder": _place(theme, listing),
        "depth": theme.depth,
        "parents": list(theme.parents),
        "lineage": [*lineage.slugs, *([lineage.root] if lineage.root else [])],
        "missing": lineage.missing,
        "roles": _roles(theme, parents),
        "yours": theme.maintained,
        "summary": theme.values.get("summary"),
        "units": dict(sorted(kinds.items())),
        "files": len(theme.files),
    }
    return {**row, "addresses": addresses} if units else row


def _roles(theme: Theme, parents: Counter[str]) -> list[Table]:
    """What a theme seems to be for, each with the reason; an edition in the manifest is the maker's word."""
    roles: list[Table] = []
    if theme.values.get("edition"):
        roles.append({"role": theme.values["edition"], "because": "its manifest says so"})
    if not theme.parents and parents[theme.slug] and not roles:
        roles.append({"role": "base", "because": f"parent of {parents[theme.slug]} here, and has none itself"})
    texts = {
        "slug": re.sub(r"[-_]", " ", theme.slug),
        "title": theme.title,
        "summary": str(theme.values.get("summary", "")),
    }
    texts["tags"] = " ".join(theme.values.get("tags", ()))
    texts["readme"] = _readme(theme)
    for role, words in ROLES:
        for where, text in texts.items():
            found = re.search(words, text, re.IGNORECASE)
            if found and role not in {r["role"] for r in roles}:
                roles.append({"role": role, "because": f"its {where} says {found[0]!r}"})
    return roles


def _readme(theme: Theme) -> str:
    """The beginning of a theme's readme: what follows is for other matters."""
    for path in sorted(theme.files):
        if README.fullmatch(path) and theme.files[path].mode != LINK:
            with Folder(theme.folder).reading(path) as stream:
                return stream.read(2000).decode("utf-8", "replace")
    return ""


def _finding(code: str, weight: str, theme: str, file: str, because: str, line: int | None = None) -> Table:
    return {"code": code, "weight": weight, "theme": theme, "file": file, "line": line, "because": because}


def _findings(
    theme: Theme, listing: Listing, platform: Platform, themes: list[Theme], known: Mapping[str, Theme]
) -> Iterator[Table]:
    place = _place(theme, listing)
    for problem in manifest_problems(theme, platform):
        code = problem.code or "manifest-broken"
        where = os.path.join(place, problem.file)
        line = f" line {problem.line}" if problem.line else ""
        column = f" column {problem.column}" if problem.column else ""
        yield _finding(
            code, "error", theme.slug, where, f"{quote_path(where)}{line}{column}: {problem.message}", problem.line
        )
    yield from _parent(theme, themes, platform, known)
    outer = next((t for t in themes if t is not theme and theme.folder.startswith(t.folder + "/")), None)
    if outer is not None:
        because = f"{theme.slug} lies inside the folder of {outer.slug}: the next release of {outer.slug} takes it away; copy it out first"
        yield _finding("inside-parent", "error", theme.slug, place, because)
    if known.get(theme.slug) is not theme:
        yield _finding(
            "slug-twice",
            "warning",
            theme.slug,
            place,
            f"{place or '.'} has the same slug as {_place(known[theme.slug], listing) or '.'}",
        )
    name = os.path.basename(place)
    if platform.names_folder and name and name != theme.slug:
        yield _finding(
            "folder-name",
            "warning",
            theme.slug,
            place,
            f"the folder is called {quote_path(name)}, the slug is {theme.slug}; the platform wants them the same",
        )


def _parent(theme: Theme, themes: list[Theme], platform: Platform, known: Mapping[str, Theme]) -> Iterator[Table]:
    lineage = lineage_of(theme, known, platform)
    if lineage.loop:
        yield _finding(
            "lineage-loop",
            "fatal",
            theme.slug,
            theme.manifest,
            f"the lineage runs in a circle: {' -> '.join(lineage.loop)}",
        )
    for name in theme.parents:
        if name in known or name == platform.root or name in platform.root_themes:
            continue
        twin = next((t for t in themes if t.slug.casefold() == name.casefold()), None)
        titled = next((t for t in themes if t.title.casefold() == name.casefold()), None)
        if twin is not None:
            yield _finding(
                "parent-wrong-case",
                "fatal",
                theme.slug,
                theme.manifest,
                f"the parent is named {name!r}, the slug is {twin.slug!r}: letter case counts",
            )
        elif titled is not None:
            yield _finding(
                "parent-by-title",
                "fatal",
                theme.slug,
                theme.manifest,
                f"the parent is named by its title {name!r}; its slug is {titled.slug!r}",
            )
        else:
            yield _finding("parent-missing", "warning", theme.slug, theme.manifest, f"the parent {name!r} is not here")


def _around(listing: Listing, themes: list[Theme], platform: Platform, intake: Intake, shelf: bool) -> Iterator[Table]:
    """What looks wrong with the folder as a whole."""
    places = [_place(t, listing) for t in themes]
    if not themes:
        wanted = " or ".join(f.path for f in platform.manifests)
        yield _finding("no-theme", "warning", "", "", f"no {platform.title} theme here: no {wanted} found")
    elif len(themes) == 1 and places[0] and not intake.archive and not shelf:
        yield _finding(
            "folder-above",
            "note",
            themes[0].slug,
            places[0],
            f"the theme is the folder {quote_path(places[0])}, not the one above it",
        )
    for path in sorted(listing.paths):
        if path.lower().endswith(ENDINGS):
            yield _finding(
                "archive-inside",
                "note",
                "",
                path,
                f"{quote_path(path)} is an archive and was not opened; unpack it and survey it by itself",
            )
    for path in listing.specials:
        yield _finding(
            "not-a-file",
            "warning",
            "",
            path,
            f"{quote_path(path)} is a pipe, a socket, a device, too large or too deep, and was not read",
        )
