"""Start a child: a folder beside its parent's, with a manifest, a registered sheet, what is not inherited, and a ledger."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from dataclasses import dataclass

from protypon.core.actions.keep import keep_into
from protypon.core.files.archives import Intake
from protypon.core.files.folder import Folder
from protypon.core.model.actions import Adopt
from protypon.core.model.errors import BadInput, ProtyponError, Usage
from protypon.core.model.nouns import Content, Lineage, Plan, Theme
from protypon.core.model.paths import FILE, FOLDER
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform, Register
from protypon.core.platform.schema import nearest
from protypon.core.store.ledger import HEAD
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import LEDGER
from protypon.core.themes.intake import themes_of
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot

FIRST_RELEASE = "0.1.0"


@dataclass(frozen=True, slots=True)
class Started:
    """A child that was begun: its folder and files, with what each is for."""

    slug: str
    folder: str
    files: tuple[tuple[str, str], ...]
    renamed: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


def fitting_slug(text: str, platform: Platform) -> str:
    """A slug that fits the platform's rule and is as near to a text as can be; empty where none is found."""
    for join in ("-", "_", ""):
        for low in (text.lower(), text):
            words = re.sub(r"[^A-Za-z0-9]+", join, low).strip("-_")
            for slug in (words, words.lstrip("0123456789-_"), "theme" + join + words):
                if slug and platform.slug_fits(slug):
                    return slug
    return ""


def plan_new(
    bench: Bench,
    slug: str,
    parent: str,
    title: str | None = None,
    fields: Mapping[str, str] | None = None,
    starter: Intake | None = None,
) -> tuple[Plan, Started]:
    """Plan a child. Raises Usage for a slug or field that does not fit, Unknown for a parent that is not there."""
    platform = bench.platform
    _check_slug(bench, slug)
    ancestor = _parent(bench, parent)
    folder = os.path.join(os.path.dirname(ancestor.folder) if ancestor else str(bench.themes_folder), slug)
    if bench.folder.stat(os.path.relpath(folder, bench.root)) is not None:
        raise ProtyponError(
            f"{os.path.relpath(folder, bench.root)}: is there already; nothing was overwritten",
            ("choose another slug, or: ", Adopt(slug)),
        )
    form = _form(platform, ancestor)
    begun = _Beginning(bench, form, slug, folder, title or slug.replace("-", " ").replace("_", " ").title())
    if starter is not None:
        begun.copy_starter(themes_of(starter, platform))
    values = begun.values(parent, _fields(form, fields or {}))
    if ancestor is not None:
        lineage = bench.lineage(ancestor)
        begun.copy_not_inherited(lineage)
        values |= begun.register_sheets(lineage)
        keep_into(begun.builder, bench, [t for t in lineage.themes if not t.maintained], "the bench")
    begun.finish(values)
    return begun.builder.plan(f"new {slug}"), begun.told(ancestor is None)


def _check_slug(bench: Bench, slug: str) -> None:
    if not bench.platform.slug_fits(slug):
        better = fitting_slug(slug, bench.platform)
        raise Usage(
            f"the slug {slug!r} is against the rule of {bench.platform.title}: {bench.platform.slug_says}",
            f"a slug that fits: {better}" if better else "",
        )
    if slug in bench.themes or slug in (bench.platform.root, *bench.platform.root_themes):
        raise ProtyponError(f"a theme {slug!r} is there already", "choose another slug")


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


def _fields(form: ManifestForm, fields: Mapping[str, str]) -> dict[str, object]:
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


class _Beginning:
    """A child being put together in a plan."""

    def __init__(self, bench: Bench, form: ManifestForm, slug: str, folder: str, title: str) -> None:
        self.bench, self.form, self.slug, self.folder, self.title = bench, form, slug, folder, title
        self.builder = PlanBuilder(bench.folder)
        self.files: list[tuple[str, str]] = []
        self.renamed: list[str] = []
        self.notes: list[str] = []
        self.manifest = manifest.path_for(form, slug)
        self.text = ""

    def put(self, path: str, what: Content, purpose: str) -> None:
        self.builder.write(os.path.join(self.folder, path), what)
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

    def copy_starter(self, themes: list[Theme]) -> None:
        """Begin from a starter: its files, with its old slug and title replaced in names and texts."""
        if len(themes) > 1:
            raise BadInput(
                f"the starter holds several themes: {', '.join(t.slug for t in themes)}",
                "name the folder of the one you mean",
            )
        starter = themes[0]
        names = _Renaming(starter.slug, self.slug, starter.title, self.title)
        for path, entry in sorted(starter.files.items()):
            if entry.mode == FOLDER or path == LEDGER:
                continue
            found = from_disk(Folder(starter.folder), entry)
            data = names.text(found.read())
            target = names.path(path)
            if path == starter.manifest:
                self.text = data.decode("utf-8", "replace")
            else:
                self.put(target, content(data, entry.mode), "from the starter")
            if data != found.read() or target != path:
                self.renamed.append(target)

    def copy_not_inherited(self, lineage: Lineage) -> None:
        """Bring what the platform does not inherit from the nearest ancestor that has it."""
        standing = {path for path, _ in self.files}
        for theme in lineage.themes:
            for path in sorted(theme.files):
                if not self.bench.platform.is_inherited(path) and path not in standing:
                    standing.add(path)
                    self.put(
                        path,
                        from_disk(Folder(theme.folder), theme.files[path]),
                        f"not inherited, copied from {theme.slug}",
                    )

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
        return [name[prefix:] for name, _ in resolver.registered(register)]

    def finish(self, values: Mapping[str, object]) -> None:
        text = manifest.write(self.bench.platform, self.form, self.text, values)
        self.put(self.manifest, content(text.encode("utf-8"), FILE), "its manifest")
        self.put(LEDGER, content(HEAD.encode()), "its ledger")
        self._check_manifest(text)

    def _check_manifest(self, text: str) -> None:
        _, problems = manifest.read(
            self.form, text.encode("utf-8"), self.manifest, manifest.separators(self.bench.platform)
        )
        if problems:
            raise Usage(f"the manifest would be wrong: {problems[0]}", "give what is wanted with --set FIELD=VALUE")

    def told(self, parentless: bool) -> Started:
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


class _Renaming:
    """Old slug and title -> new ones, as whole words, in their several spellings."""

    def __init__(self, slug: str, new_slug: str, title: str, new_title: str) -> None:
        pairs = {title: new_title, slug: new_slug, slug.replace("-", "_"): new_slug.replace("-", "_")}
        self.pairs = {old: new for old, new in pairs.items() if old}
        words = sorted(map(re.escape, self.pairs), key=len, reverse=True)
        self.word = re.compile(rf"(?<![A-Za-z0-9])(?:{'|'.join(words)})(?![A-Za-z0-9])")

    def path(self, path: str) -> str:
        return self.word.sub(lambda found: self.pairs[found[0]], path)

    def text(self, data: bytes) -> bytes:
        try:
            text = data.decode("utf-8")
        except UnicodeDecodeError:
            return data
        return self.path(text).encode("utf-8")
