"""Start a child: a folder beside its parent's, with a manifest, a registered sheet, what is not inherited, and a ledger."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from protypon.core.actions.adopt import with_adopted
from protypon.core.actions.keep import keep_into
from protypon.core.actions.naming import check_slug, manifest_fields
from protypon.core.actions.twin import Twin, twin_of
from protypon.core.check.file_findings import not_brought
from protypon.core.files.archives import Intake
from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput, ProtyponError, Usage
from protypon.core.model.nouns import Content, Lineage, Plan, Theme
from protypon.core.model.paths import FILE, FOLDER
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform, Register
from protypon.core.store import ledger
from protypon.core.store.ledger import HEAD, LEDGER
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.intake import themes_of
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.planned import planned_theme

MOST_NOTED = 5
"""Places of a starter that are told as not sure to be its name."""
_EMPTY = Theme("", "", {}, {})
"""The child, before it has anything."""
FIRST_RELEASE = "0.1.0"


@dataclass(frozen=True, slots=True)
class Started:
    """A child that was begun: its folder and files, with what each is for."""

    slug: str
    folder: str
    files: tuple[tuple[str, str], ...]
    renamed: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


def plan_new(
    bench: Bench,
    slug: str,
    parent: str,
    title: str | None = None,
    fields: Mapping[str, str] | None = None,
    starter: Intake | None = None,
) -> tuple[Plan, Started]:
    """Plan a child. Raises Usage for a slug or field that does not fit, Unknown for a parent that is not there."""
    begun, parentless = _begun(bench, slug, parent, title, fields, starter)
    return begun.builder.plan(f"new {slug}"), begun.outcome(parentless)


class Begun(NamedTuple):
    """A child that another command starts too."""

    theme: Theme
    files: Mapping[str, Content]


def begin(bench: Bench, slug: str, parent: str) -> Begun:
    """A child as ``new`` would start it, before anything is written. Raises as :func:`plan_new`."""
    begun, _ = _begun(bench, slug, parent)
    theme = planned_theme(bench.platform, begun.form, slug, begun.folder, begun.contents)
    return Begun(theme, begun.contents)


def _begun(
    bench: Bench,
    slug: str,
    parent: str,
    title: str | None = None,
    fields: Mapping[str, str] | None = None,
    starter: Intake | None = None,
) -> tuple[_Beginning, bool]:
    """A child put together, and whether its parent comes with the platform."""
    platform = bench.platform
    check_slug(bench, slug)
    ancestor = _parent(bench, parent)
    folder = os.path.join(os.path.dirname(ancestor.folder) if ancestor else str(bench.themes_folder), slug)
    if bench.folder.stat(os.path.relpath(folder, bench.root)) is not None:
        raise ProtyponError(
            f"{os.path.relpath(folder, bench.root)}: is there already; nothing was overwritten",
            "choose another slug",
        )
    form = _form(platform, ancestor)
    begun = _Beginning(bench, form, slug, folder, title or slug.replace("-", " ").replace("_", " ").title())
    values = begun.values(parent, manifest_fields(form, fields or {}))
    twin = None
    if starter is not None:
        twin = twin_of(bench, _starter(starter, platform), slug, folder, begun.title, fields or {}, values)
        begun.copy_starter(twin)
    if ancestor is not None:
        lineage = bench.lineage(ancestor)
        begun.copy_not_inherited(lineage)
        values |= begun.register_sheets(lineage)
        keep_into(begun.builder, bench, [t for t in lineage.themes if not t.maintained], "the bench")
    begun.finish(values, twin)
    return begun, ancestor is None


def _starter(intake: Intake, platform: Platform) -> Theme:
    """The one theme of a folder or archive. Raises BadInput where there are several, or its manifest can't be read."""
    themes = themes_of(intake, platform)
    if len(themes) > 1:
        raise BadInput(
            f"the starter holds several themes: {', '.join(t.slug for t in themes)}",
            "name the folder of the one you mean",
        )
    if themes[0].problems:
        raise BadInput(f"the starter's {themes[0].problems[0]}", "mend it first, or begin without it")
    return themes[0]


def _parent(bench: Bench, slug: str) -> Theme | None:
    if slug not in bench.themes and slug in (bench.platform.root, *bench.platform.root_themes):
        return None
    return bench.theme(slug)


def _form(platform: Platform, parent: Theme | None) -> ManifestForm:
    """The form of manifest that the parent has, so that what reads the one reads the other."""
    if parent is not None:
        for form in platform.manifests:
            if manifest.path_for(form, parent.slug) == parent.manifest:
                return form
    return platform.manifests[0]


class _Beginning:
    """A child being put together in a plan."""

    def __init__(self, bench: Bench, form: ManifestForm, slug: str, folder: str, title: str) -> None:
        self.bench, self.form, self.slug, self.folder, self.title = bench, form, slug, folder, title
        self.builder = PlanBuilder(bench.folder)
        self.files: list[tuple[str, str]] = []
        self.contents: dict[str, Content] = {}
        self.renamed: list[str] = []
        self.notes: list[str] = []
        self.manifest = manifest.path_for(form, slug)
        self.text = ""

    def put(self, path: str, what: Content, purpose: str) -> None:
        self.builder.write(os.path.join(self.folder, path), what)
        self.contents[path] = what
        self.files.append((path, purpose))

    def values(self, parent: str, fields: Mapping[str, object]) -> dict[str, object]:
        """What the manifest will say, by meaning."""
        values: dict[str, object] = {}
        for meaning, value in (
            ("slug", self.slug),
            ("title", self.title),
            ("release", FIRST_RELEASE),
            ("parent", parent),
        ):
            if meaning in self.form.fields:
                values[meaning] = value
        return values | dict(self.form.start) | dict(fields)

    def copy_starter(self, twin: Twin) -> None:
        """Begin from a starter under the new name."""
        for path, what in twin.files.items():
            if path == self.manifest:
                self.text = what.read().decode("utf-8", "replace")
            elif path != LEDGER and what.mode != FOLDER:
                self.put(path, what, "from the starter")
        self.renamed = sorted({twin.renaming.moved.get(p, p) for p in (*twin.renaming.moved, *twin.renaming.texts)})
        self.notes += [
            f"not changed, for it may be something else: {e.old} in {e.path} line {e.line}"
            for e in twin.unsure[:MOST_NOTED]
        ]
        if twin.differs:
            self.notes.append(f"it does not do the same as the starter: {twin.differs}")

    def copy_not_inherited(self, lineage: Lineage) -> None:
        """Bring what the platform does not inherit from the nearest ancestor that has it."""
        standing = {path for path, _ in self.files}
        for theme, path in not_brought(self.bench.platform, replace(lineage, themes=(_EMPTY, *lineage.themes))):
            if path not in standing:
                found = from_disk(Folder(theme.folder), theme.files[path])
                self.put(path, found, f"not inherited, copied from {theme.slug}")

    def register_sheets(self, lineage: Lineage) -> dict[str, object]:
        """A sheet of the child's own, registered so that the parent's still load."""
        register = next((r for r in self.bench.platform.registers if r.kind == "style" and r.new), None)
        if register is None or register.field not in self.form.fields or any(p.endswith(".css") for p, _ in self.files):
            return {}
        name = register.new.replace("{slug}", self.slug)
        path = f"{register.folder}/{name}" if register.folder else name
        self.put(
            path,
            content(f"/* {self.title}: rules of its own, loaded after the parent's. */\n".encode()),
            "its style sheet, registered",
        )
        values: dict[str, object] = {register.field: [*self._parents_list(lineage, register), name]}
        for other in self.bench.platform.registers:
            there = other.kind == "style" and other.surface == "editor" and other.field in self.form.fields
            parents = self._parents_list(lineage, other, everything=True) if there else []
            if parents:
                values[other.field] = [*(parents if other.lists == "replace" else []), name]
        return values

    def _parents_list(self, lineage: Lineage, register: Register, *, everything: bool = False) -> list[str]:
        if register.lists == "add" and not everything:
            return []
        prefix = len(register.folder) + 1 if register.folder else 0
        resolver = Resolver(lineage, self.bench.platform, Snapshot.of_bench(self.bench))
        return [name[prefix:] for name, _ in resolver.files_registered(register)]

    def finish(self, values: Mapping[str, object], twin: Twin | None) -> None:
        text = manifest.write(self.bench.platform, self.form, self.text, values)
        self.put(self.manifest, content(text.encode("utf-8"), FILE), "its manifest")
        self._check_manifest(text)
        self.put(LEDGER, content(HEAD.encode()) if twin is None else self._ledger(twin), "its ledger")

    def _ledger(self, twin: Twin) -> Content:
        """The starter's ledger, with records for what it overrides besides."""
        records, adopted, _ = with_adopted(self.bench, self.builder, twin.world)
        loose = [each.unit.address for each in adopted if each.record is None]
        self.notes += [f"{address}: it can't be told what it was made from, so it has no record" for address in loose]
        return content(ledger.write(twin.files[LEDGER].read().decode("utf-8"), records).encode("utf-8"))

    def _check_manifest(self, text: str) -> None:
        _, problems = manifest.read(
            self.form, text.encode("utf-8"), self.manifest, manifest.separators(self.bench.platform)
        )
        if problems:
            raise Usage(f"the manifest would be wrong: {problems[0]}", "give what is wanted with --set FIELD=VALUE")

    def outcome(self, parentless: bool) -> Started:
        if parentless:
            self.notes.append(
                "its parent comes with the platform; which sheets that registers is not known here, so none was registered"
            )
        order = sorted(self.files, key=lambda f: (f[0] != self.manifest, f[0]))
        return Started(
            self.slug,
            os.path.relpath(self.folder, self.bench.root),
            tuple(order),
            tuple(self.renamed),
            tuple(self.notes),
        )
