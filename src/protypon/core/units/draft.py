"""A child as it would be with some files changed: followed like one on disk, and put into a plan when it is right."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

from protypon.core.files.listing import blob_digest
from protypon.core.languages.text_edits import Style, style_of
from protypon.core.languages.writers import Writer, writer
from protypon.core.model.actions import Check, OpenInEditor
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Content, Problem, Theme
from protypon.core.model.paths import FILE, Entry, quote_path
from protypon.core.platform import manifest
from protypon.core.platform.platform import FileRule
from protypon.core.store.plan_builder import PlanBuilder
from protypon.core.units.world import World


class Draft:
    """A child with edits. Trying something is making another draft of it: none changes another."""

    def __init__(
        self, start: World, files: Mapping[str, bytes | None] | None = None, values: Mapping[str, Any] | None = None
    ) -> None:
        self.start, self.files, self.values = start, dict(files or {}), dict(values or {})

    @cached_property
    def child(self) -> Theme:
        """The child with its changed files."""
        child = self.start.child
        files = dict(child.files)
        for path, data in self.files.items():
            if data is None:
                files.pop(path, None)
            else:
                mode = files[path].mode if path in files else FILE
                files[path] = Entry(path, mode, len(data), blob_digest(data))
        identity = hashlib.sha1(repr([(p, e.digest) for p, e in sorted(files.items())]).encode()).hexdigest()
        return replace(child, files=files, identity=identity, values={**child.values, **self.values})

    @cached_property
    def world(self) -> World:
        """The child in its lineage, as a check would see it."""
        if not self.files:
            return self.start
        start = self.start
        snapshot = start.snapshot.with_texts(self.contents.values())
        lineage = replace(start.lineage, themes=(self.child, *start.ancestors))
        return World(start.platform, lineage, start.records, start.releases, snapshot, start.unplaced)

    @property
    def contents(self) -> dict[str, Content]:
        """The files that are changed and not taken away."""
        changed = ((path, data, self.child.files.get(path)) for path, data in self.files.items())
        return {path: Content(entry.digest, entry.mode, data) for path, data, entry in changed if entry is not None}

    def in_editor(self, path: str) -> OpenInEditor:
        """The step of opening a file of the child: what is wrong there is for a person to mend."""
        return OpenInEditor(os.path.join(self.child.folder, path))

    def with_texts(self, texts: Iterable[Content]) -> Draft:
        """The same with more texts that records name."""
        made = Draft(self.start.with_texts(texts), self.files, self.values)
        if "world" in self.__dict__:
            made.__dict__["world"] = self.world.with_texts(texts)
        return made

    def read(self, path: str) -> bytes:
        """The bytes of a file as it would be. Raises KeyError or BadInput where it would not be there."""
        return self.world.snapshot.read(self.child, path)

    def has(self, path: str) -> bool:
        """Whether a file would be there."""
        return path in self.child.files

    def with_file(self, path: str, data: bytes | None) -> Draft:
        """The same with one more file changed; None takes it away."""
        return Draft(self.start, {**self.files, path: data}, self.values)

    def with_manifest(self, values: Mapping[str, Any]) -> Draft:
        """Some fields of the manifest changed, by their meanings."""
        child = self.child
        form = manifest.form_of(self.start.platform, os.path.basename(child.folder), child.manifest)
        text = manifest.write(self.start.platform, form, self.read(child.manifest).decode("utf-8"), dict(values))
        made = self.with_file(child.manifest, text.encode("utf-8"))
        return Draft(self.start, made.files, {**self.values, **values})

    def problem(self) -> Problem | None:
        """The first place where a changed file does not parse, though it did before."""
        for path, data in self.files.items():
            rule = self.start.platform.rule_of(path)
            if data is None or rule is None or rule.kind == "asset":
                continue
            before = path in self.start.child.files and self.start.snapshot.problems(
                self.start.child, path, rule.language
            )
            after = self.world.snapshot.problems(self.child, path, rule.language)
            if after and not before:
                return after[0]
        return None

    def put_into(self, builder: PlanBuilder) -> None:
        """Plan the files of this draft. Raises ProtyponError where one would not parse."""
        problem = self.problem()
        if problem is not None:
            raise ProtyponError(f"what would be written does not parse: {problem}; nothing was changed", Check())
        contents = self.contents
        for path in self.files:
            full = os.path.join(self.child.folder, path)
            if path in contents:
                builder.write(full, contents[path])
            else:
                builder.remove(full)


def code_file(draft: Draft, wanted: str = "") -> tuple[str, FileRule, bool]:
    """The child's code file that something new goes into: path, rule, and whether it must be begun.

    Raises ProtyponError where the platform file says of none.
    """
    platform, child = draft.start.platform, draft.child
    rules = [r for r in platform.rules if r.kind == "code" and r.combine == "load"]
    there = [p for p in sorted(child.files) if platform.rule_of(p) in rules]
    if wanted in there:
        return wanted, platform.rule_of(wanted) or rules[0], False
    rule = next((r for r in rules if r.new), None)
    new = rule.new.replace("{slug}", child.slug) if rule else ""
    if new in there:
        return new, platform.rule_of(new) or rules[0], False
    if there:
        return there[0], platform.rule_of(there[0]) or rules[0], False
    if rule is None:
        raise ProtyponError(
            f"{platform.title} has no code file that a child could begin",
            'write new = "PATH" below the [[files]] of its code in the platform file',
        )
    return new, rule, True


def open_code(draft: Draft, wanted: str = "") -> tuple[str, bytes, Writer, Style, bool]:
    """The same with its text, how its language is written, its style, and whether it is new."""
    path, rule, new = code_file(draft, wanted)
    made = writer(rule.language)
    if not new:
        data = draft.read(path)
        if draft.world.snapshot.problems(draft.child, path, rule.language):
            raise ProtyponError(
                f"{quote_path(path)} does not parse, so nothing can be written into it",
                ("see where with: ", Check(draft.child.slug)),
            )
        return path, data, made, style_of(data, made, _usual(draft, rule)), False
    return path, made.SKELETON.encode(), made, style_of(_sample(draft, rule), made, '"'), True


def _usual(draft: Draft, rule: FileRule) -> str:
    single, double = writer(rule.language).quotes(_sample(draft, rule))
    return "'" if single > double else '"'


def _sample(draft: Draft, rule: FileRule) -> bytes:
    """Code of the nearest ancestor: a child's first file is written like it."""
    for theme in draft.start.ancestors:
        for path in sorted(theme.files):
            if draft.start.platform.rule_of(path) == rule:
                return draft.start.snapshot.read(theme, path)
    return b""
