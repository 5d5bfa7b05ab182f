"""The platform file: all that Protypon knows of one site platform. The format is described in ``docs/reference/platform-file.md``."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any

from protypon.core.languages.source import Block, Reference, SourceFacts
from protypon.core.model.actions import CheckPlatform
from protypon.core.model.errors import BadInput
from protypon.core.platform.expand import WHERE
from protypon.core.platform.expressions import fits
from protypon.core.platform.fields import fields_of
from protypon.core.platform.format import NotAPlatform, tables_of
from protypon.core.platform.meanings import CodeRules, code_rules, holding
from protypon.core.platform.patterns import PathPatterns, matches, patterns_of
from protypon.core.platform.shipped import split_release, text_of

USUAL_JUNK = ("**/.DS_Store", "**/Thumbs.db", "**/*~", "**/*.swp", "**/__pycache__/**")
"""Files that are never part of a theme, where a platform file names no others."""
MAKERS_OWN = frozenset(
    {".gitignore", ".gitattributes", ".gitkeep", ".gitmodules", ".hgignore", ".npmignore", ".editorconfig"}
)
"""Files that only tools of a theme's maker read: no platform looks for them, and none overrides another."""
RULED = 16
"""Themes whose files are kept as the rules part them."""


@dataclass(frozen=True, slots=True)
class ManifestForm:
    """One place where a manifest may stand, its syntax, and which field means what."""

    path: str
    syntax: str
    fields: Mapping[str, str]
    required: tuple[str, ...] = ()
    start: Mapping[str, str] = field(default_factory=dict)
    unique: tuple[str, ...] = ()
    """Meanings of which no two themes of a site may say the same."""


@dataclass(frozen=True, slots=True)
class FileRule:
    """What the platform does with the files that fit a pattern."""

    kind: str
    match: tuple[str, ...]
    language: str = "plain"
    lookup: str = "path"
    combine: str = "replace"
    entry: tuple[str, ...] = ()
    """Files that the platform asks for of its own accord; others must be named by a reached file."""
    if_broken: str = "file"
    """What a file that does not parse stops: the whole ``theme``, each ``page``, or only the ``file``."""
    new: str = ""
    """For code: where a child that has none begins one."""
    renders: tuple[str, ...] = ()
    """Endings of files that the platform renders, and serves under their name without it."""


@dataclass(frozen=True, slots=True)
class Register:
    """How a sheet or script is registered in the manifest."""

    kind: str
    lists: str
    """``add``, ``replace``: what a child's list does to its parent's; ``call``: code registers them."""
    field: str = ""
    folder: str = ""
    separator: str = ""
    new: str = ""
    always: tuple[str, ...] = ()
    """Files that load without being registered: with ``lists = "add"`` every theme's, else the nearest one's."""
    surface: str = "site"
    """Where what is listed loads: ``site``, ``editor`` or ``print``."""
    place: str = ""
    """Of scripts: in the ``head`` or at the ``foot`` of a page."""
    elsewhere: bool = False
    """Whether files can be registered outside of themes too, where Protypon can't look."""


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture that must have one size, in pixels."""

    path: str
    width: int
    height: int


@dataclass(frozen=True, slots=True)
class TemplateNames:
    """How a template names another one: patterns with ``{path}`` and ``{slug}``."""

    plain: str = "{path}"
    parent: str = ""
    exact: str = ""
    also: tuple[str, ...] = ()
    """Patterns that mean the same as the plain name."""
    folders: tuple[str, ...] = ()
    """Folders of a theme in which a plain name is looked for too, where no theme has it at its own place; ``*``: any."""
    elsewhere: str = ""
    """What may name templates too and is not in a bench, in words; empty: nothing."""

    def read(self, name: str) -> tuple[str, str, str]:
        """Split a literal name into (``plain`` | ``parent`` | ``exact``, slug, path)."""
        same = (("plain", pattern) for pattern in self.also)
        for way, pattern in (("parent", self.parent), ("exact", self.exact), *same):
            found = _name_expression(pattern).fullmatch(name) if pattern else None
            if found:
                return way, found.groupdict().get("slug") or "", found["path"]
        return "plain", "", name


@lru_cache(maxsize=32)
def _name_expression(pattern: str) -> re.Pattern[str]:
    text = re.escape(pattern).replace(r"\{path\}", "(?P<path>.+)").replace(r"\{slug\}", "(?P<slug>[^/:]+)")
    return re.compile(text)


@dataclass(frozen=True, slots=True)
class Package:
    """How an archive for the platform is made."""

    archive: str = "zip"
    top: str = "{slug}"
    name: str = "{slug}-{release}.zip"
    leave_out: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Platform:
    """One platform file, read."""

    name: str
    title: str
    summary: str
    slug_from: str
    slug_pattern: str
    slug_says: str
    names_folder: bool
    """The theme's folder must be called as its slug says."""
    served: str
    """Where a relative address in a sheet or script looks: in the ``theme`` that it stands in, or in the whole ``lineage``."""
    manifests: tuple[ManifestForm, ...]
    rules: tuple[FileRule, ...]
    templates: TemplateNames
    registers: tuple[Register, ...]
    pictures: tuple[Picture, ...]
    root: str | None
    no_parent: str
    """The word in the parent field that says: none."""
    root_themes: tuple[str, ...]
    root_files: tuple[str, ...]
    root_templates: Mapping[str, SourceFacts]
    """What the templates of the root theme, which are not here, extend, and their blocks."""
    not_inherited: tuple[str, ...]
    junk: tuple[str, ...]
    package: Package
    after_update: tuple[str, ...]
    after_pack: tuple[str, ...]
    code: CodeRules
    record_points: str
    """For recordings: an expression of PHP that gives point => rows of a callback and its number, in the order in which they run."""
    record_page: str
    """Likewise the kind of page."""
    release: str | None
    """The release of the platform that a bench runs; None: the newest."""
    digest: str
    text: str
    rule_patterns: PathPatterns
    """One group a rule, in their order."""
    _rules: dict[str, FileRule | None] = field(default_factory=dict, compare=False, repr=False)
    """Rules by path, as they were asked for: every child asks for the same paths of its parent."""
    _ruled: dict[int, RuledFiles] = field(default_factory=dict, compare=False, repr=False)

    def rule_of(self, path: str) -> FileRule | None:
        """Return the first rule whose pattern fits the path."""
        try:
            return self._rules[path]
        except KeyError:
            found = self.rule_patterns.first(path) if path.rpartition("/")[2] not in MAKERS_OWN else None
            self._rules[path] = rule = self.rules[found] if found is not None else None
            return rule

    def ruled(self, files: Mapping[str, object]) -> RuledFiles:
        """The files of a theme as the rules part them; those of the last few themes are kept, for every child asks for its parent's."""
        known = self._ruled.pop(id(files), None)
        if known is None or known.files is not files:
            known = RuledFiles(files, self.rule_of)
        self._ruled[id(files)] = known
        if len(self._ruled) > RULED:
            del self._ruled[next(iter(self._ruled))]
        return known

    def is_junk(self, path: str) -> bool:
        """Whether a path is never part of a theme."""
        return matches(path, self.junk)

    def is_inherited(self, path: str) -> bool:
        """Whether a file of a parent serves its children too."""
        return not matches(path, self.not_inherited)

    def key(self, path: str, rule: FileRule) -> str:
        """What the platform looks a file up by: its path or its bare name."""
        return path if rule.lookup == "path" else path.rpartition("/")[2]

    def slug_fits(self, slug: str) -> bool:
        """Whether a slug keeps to the platform's rule."""
        return fits(self.slug_pattern, slug)


class RuledFiles:
    """What passes over all files of a theme look for; ``files`` must not change."""

    def __init__(self, files: Mapping[str, object], rule_of: Callable[[str], FileRule | None]) -> None:
        self.files, self._rule_of = files, rule_of
        self._named: dict[str, list[dict[str, str]]] = {}

    @cached_property
    def rows(self) -> list[tuple[str, FileRule]]:
        """Every path with its rule, in the order of the files; without those that no rule fits."""
        return [(path, rule) for path in self.files if (rule := self._rule_of(path)) is not None]

    @cached_property
    def entries(self) -> list[tuple[str, FileRule]]:
        """Templates that the platform asks for by itself."""
        fits = {rule.entry: patterns_of(rule.entry).fits for _, rule in self.rows}
        return [(path, rule) for path, rule in self.rows if rule.kind == "template" and fits[rule.entry](path)]

    @cached_property
    def templates(self) -> list[str]:
        """The paths of templates."""
        return [path for path, rule in self.rows if rule.kind == "template"]

    def names_in(self, expression: re.Pattern[str]) -> list[dict[str, str]]:
        """The named groups of an expression, for each template whose path it fits; worked out once."""
        if expression.pattern not in self._named:
            found = (expression.fullmatch(path) for path in sorted(self.templates))
            self._named[expression.pattern] = [match.groupdict() for match in found if match is not None]
        return self._named[expression.pattern]

    @cached_property
    def code(self) -> list[str]:
        """Code files, sorted."""
        return sorted(path for path, rule in self.rows if rule.kind == "code")

    @cached_property
    def stopping(self) -> list[tuple[str, FileRule]]:
        """Files that must parse for the theme to load, sorted."""
        return sorted((row for row in self.rows if row[1].if_broken == "theme"), key=lambda row: row[0])


def load(name: str, beside: Path | None = None) -> Platform:
    """Load a shipped platform by name, or a platform file by path (relative to ``beside``); ``@RELEASE`` may follow.

    Raises UnknownName for a name that stands for nothing, BadInput for a file that breaks the format.
    """
    bare, release = split_release(name)
    text, file = text_of(bare, beside)
    return parse(text, file, release, Path(file).parent)


def parse(text: str, file: str, release: str | None = None, beside: Path | None = None) -> Platform:
    """Read a platform file as it holds for a release of the platform; raises BadInput with its first problem and their number."""
    try:
        data = tables_of(text, file, beside)
    except NotAPlatform as error:
        more = f" (and {len(error.problems) - 1} more)" if len(error.problems) > 1 else ""
        raise BadInput(f"{error.problems[0]}{more}", ("see them all with: ", CheckPlatform(file))) from error
    return _build(data, text, release)


def _root_templates(root: Mapping[str, Any]) -> dict[str, SourceFacts]:
    """What the platform file says of the templates of a root theme; a block inside another one is written ``OUTER/INNER``."""
    extended, found = root.get("extends", {}), {}
    for path in dict.fromkeys([*extended, *root.get("blocks", {})]):
        references = (Reference("extends", (extended[path],), 1, 1),) if path in extended else ()
        rows = [text.split("/") for text in root.get("blocks", {}).get(path, ())]
        numbers = {row[-1]: number for number, row in enumerate(rows)}
        blocks = tuple(Block(row[-1], 1, 1, "", numbers.get(row[-2], -1) if len(row) > 1 else -1) for row in rows)
        found[path] = SourceFacts(references, blocks)
    return found


def _build(data: Mapping[str, Any], text: str, release: str | None) -> Platform:
    root = data.get("root", {})
    rules = tuple(_frozen(FileRule, r) for r in holding(data["files"], release))
    junk = tuple(data.get("junk", {}).get("match", USUAL_JUNK))
    after = data.get("afterwards", {})
    return Platform(
        name=data["name"],
        title=data.get("title", data["name"]),
        summary=data.get("summary", ""),
        slug_from=data["slug"]["from"],
        slug_pattern=data["slug"]["pattern"],
        slug_says=data["slug"]["says"],
        names_folder=data["slug"].get("names_folder", data["slug"]["from"] == "folder"),
        served=data.get("served", "theme"),
        manifests=tuple(_manifest_form(m, release) for m in holding(data["manifest"], release)),
        rules=rules,
        templates=_frozen(TemplateNames, data.get("templates", {})),
        registers=tuple(_frozen(Register, r) for r in holding(data.get("register", ()), release)),
        pictures=tuple(_frozen(Picture, r) for r in holding(data.get("picture", ()), release)),
        root=root.get("slug"),
        no_parent=root.get("no_parent", ""),
        root_themes=tuple(root.get("themes", ())),
        root_files=tuple(root.get("files", ())),
        root_templates=_root_templates(root),
        not_inherited=tuple(data.get("inherit", {}).get("not", ())),
        junk=junk,
        package=_frozen(Package, data.get("package", {})),
        after_update=tuple(after.get("update", ())),
        after_pack=tuple(after.get("pack", ())),
        code=code_rules(data, release),
        record_points=data.get("record", {}).get("points", ""),
        record_page=data.get("record", {}).get("page", ""),
        release=release,
        digest=hashlib.sha1(f"{release}\n{data}".encode()).hexdigest(),
        text=text,
        rule_patterns=PathPatterns(rule.match for rule in rules),
    )


def _manifest_form(row: Mapping[str, Any], release: str | None) -> ManifestForm:
    fields = [field for field in fields_of(row) if holding([field.bounds], release)]
    required = tuple(dict.fromkeys(field.means for field in fields if field.required))
    places = {field.means: field.at for field in fields}
    return ManifestForm(
        row["path"], row["syntax"], places, required, row.get("start", {}), tuple(row.get("unique", ()))
    )


def _frozen(cls: type, table: Mapping[str, Any]) -> Any:
    """Make a dataclass of a table; lists become tuples, and the bounds of releases are left out."""
    known = {key: value for key, value in table.items() if key not in ("since", "until", WHERE)}
    return cls(**{key: tuple(value) if isinstance(value, list) else value for key, value in known.items()})
