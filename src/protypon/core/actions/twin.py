"""Twin: a theme under a new name, in every place that its platform and its own code repeat it; and what shows that it is the same."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, replace

from protypon.core.actions.naming import check_slug, manifest_fields
from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput, ProtyponError, Usage
from protypon.core.model.nouns import Content, Plan, Record, Theme, Unit
from protypon.core.model.paths import FOLDER
from protypon.core.platform import manifest
from protypon.core.platform.platform import ManifestForm, Platform
from protypon.core.store import ledger
from protypon.core.store.ledger import LEDGER
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import lineage_of
from protypon.core.themes.renaming.occurrences import Occurrence
from protypon.core.themes.renaming.spelling import Spelling, words_of
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.effects import effects, shown_value, where_they_part
from protypon.core.units.old_names import Renaming, renaming
from protypon.core.units.planned import planned_theme
from protypon.core.units.world import World


@dataclass(frozen=True)
class Twin:
    """A theme under another name, before it is written."""

    world: World
    files: Mapping[str, Content]
    renaming: Renaming
    records: Mapping[Unit, Record]
    left: tuple[Occurrence, ...]
    """Places where the old name still counts."""
    unsure: tuple[Occurrence, ...]
    """Places where it stands and may be something else."""
    differs: str
    """The first thing that it does otherwise; empty where nothing that could be followed is."""
    unknown: str
    """Why that can't be told for sure."""

    @property
    def theme(self) -> Theme:
        """The new theme."""
        return self.world.child


def plan_twin(
    bench: Bench, theme: Theme, slug: str, title: str | None = None, fields: Mapping[str, str] | None = None
) -> tuple[Plan, Twin]:
    """Plan a theme under a new name beside itself.

    Raises Usage for a slug or field that does not fit, ProtyponError for a slug that is taken, BadInput for a manifest that can't be read.
    """
    check_slug(bench, slug)
    folder = os.path.join(os.path.dirname(theme.folder), slug)
    if bench.folder.stat(os.path.relpath(folder, bench.root)) is not None:
        raise ProtyponError(
            f"{os.path.relpath(folder, bench.root)}: is there already; nothing was overwritten",
            "choose another slug",
        )
    if theme.problems:
        raise BadInput(f"{theme.slug}/{theme.problems[0]}", "mend that first: a twin would be as broken")
    twin = twin_of(bench, theme, slug, folder, title, fields or {})
    builder = PlanBuilder(bench.folder)
    for path, what in twin.files.items():
        builder.write(os.path.join(folder, path), what)
    return builder.plan(f"twin {theme.slug} {slug}"), twin


def twin_of(
    bench: Bench,
    theme: Theme,
    slug: str,
    folder: str,
    title: str | None,
    fields: Mapping[str, str],
    given: Mapping[str, object] | None = None,
) -> Twin:
    """A theme of the bench, or one that lies elsewhere, under a new name; ``given`` is what its manifest says otherwise besides, by meaning."""
    platform, snapshot = bench.platform, Snapshot.of_bench(bench)
    new_title = title or slug.replace("-", " ").replace("_", " ").title()
    themes = {**bench.themes, theme.slug: theme}
    records = _records(snapshot, theme)
    world = World(platform, lineage_of(theme, themes, platform), records, bench.releases, snapshot)
    renamed = renaming(world, theme.slug, slug, (theme.title, new_title))
    made = _TwinFiles(platform, theme, snapshot, renamed, slug, folder)
    own = made.records(records)
    values = {**made.values(new_title), **(given or {}), **manifest_fields(made.form, fields)}
    files = made.files(values, own, world)
    sizes = {
        renamed.moved.get(path, path): entry.size for path, entry in theme.files.items() if path not in renamed.texts
    }
    new = planned_theme(
        platform, made.form, slug, folder, files, {p: n for p, n in sizes.items() if p != made.manifest}
    )
    laid = snapshot.with_texts(files.values())
    there = World(platform, lineage_of(new, {**bench.themes, slug: new}, platform), own, bench.releases, laid)
    left = renaming(there, theme.slug, slug, (theme.title, new_title))
    places = [each for each in left.found if not _is_new(slug, each.old)]
    sure, unsure = [p for p in places if p.sure], [p for p in places if not p.sure]
    doubt = world.behaviour.uncertain or there.behaviour.uncertain
    return Twin(there, files, renamed, own, tuple(sure), tuple(unsure), difference(world, there, renamed), doubt)


def _records(snapshot: Snapshot, theme: Theme) -> dict[Unit, Record]:
    """The records of a theme's ledger; none where it has none."""
    return ledger.read(snapshot.read(theme, LEDGER), f"{theme.slug}/{LEDGER}") if theme.maintained else {}


def _is_new(slug: str, name: str) -> bool:
    """Whether a name has the old one only because the new slug has it."""
    return "".join(words_of(slug)) in "".join(words_of(name))


class _TwinFiles:
    """The files of a twin."""

    def __init__(
        self, platform: Platform, theme: Theme, snapshot: Snapshot, renamed: Renaming, slug: str, folder: str
    ) -> None:
        self.platform, self.old, self.snapshot, self.renamed = platform, theme, snapshot, renamed
        self.slug, self.folder = slug, folder
        self.manifest = renamed.moved.get(theme.manifest, theme.manifest)

    @property
    def form(self) -> ManifestForm:
        forms = self.platform.manifests
        found = (f for f in forms if manifest.path_for(f, os.path.basename(self.old.folder)) == self.old.manifest)
        return next(found, forms[0])

    def values(self, title: str) -> dict[str, object]:
        """What the manifest says otherwise by itself: the title, and each field but the parent that says the slug again."""
        old = self.old
        fields = [
            meaning for meaning in self.form.fields if meaning != "parent" and old.values.get(meaning) == old.slug
        ]
        return {**dict.fromkeys(fields, self.slug), **({"title": title} if "title" in self.form.fields else {})}

    def files(self, values: Mapping[str, object], records: Mapping[Unit, Record], world: World) -> dict[str, Content]:
        """Every file by its new path."""
        made: dict[str, Content] = {}
        for path, entry in sorted(self.old.files.items()):
            if entry.mode == FOLDER:
                made[path] = Content("", FOLDER, b"")
            elif path != LEDGER:
                data = self.renamed.texts.get(path)
                what = content(data, entry.mode) if data is not None else from_disk(Folder(self.old.folder), entry)
                made[self.renamed.moved.get(path, path)] = what
        text = made[self.manifest].read().decode("utf-8")
        said = manifest.write(self.platform, self.form, text, values)
        made[self.manifest] = content(said.encode("utf-8"), made[self.manifest].mode)
        self._check(said)
        made[LEDGER] = content(self._ledger(records, world).encode("utf-8"))
        return made

    def _check(self, text: str) -> None:
        _, problems = manifest.read(self.form, text.encode("utf-8"), self.manifest, manifest.separators(self.platform))
        if problems:
            raise Usage(f"the manifest would be wrong: {problems[0]}", "give what is wanted with --set FIELD=VALUE")

    def _ledger(self, records: Mapping[Unit, Record], world: World) -> str:
        """The ledger with its comments; it says which theme this one was made from."""
        old = ""
        if self.old.maintained:
            old = self.snapshot.read(self.old, LEDGER).decode("utf-8")
        head = ledger.made_from(old or ledger.HEAD, self.old.slug)
        renamed = {unit.address: new.unit.address for unit, new in zip(world.records, records.values(), strict=False)}
        for was, now in renamed.items():
            if was != now:
                head = head.replace(f'unit = "{was}"', f'unit = "{now}"')
        return ledger.write(head, records)

    def records(self, records: Mapping[Unit, Record]) -> dict[Unit, Record]:
        """The ledger's records, with what is the child's own under the new name."""
        return {new.unit: new for new in map(self._record, records.values())}

    def _record(self, record: Record) -> Record:
        anew, moved = self.renamed.said_anew, self.renamed.moved
        unit, written = record.unit, record.written
        name = anew(unit.name) if unit.name is not None else None
        path = moved.get(unit.path, unit.path)
        written = replace(
            written,
            file=moved.get(written.file, written.file),
            called=anew(written.called),
            at=tuple(map(anew, written.at)),
            part_of=anew(written.part_of),
            brought=tuple(map(anew, written.brought)),
        )
        return replace(record, unit=Unit(unit.kind, path, name), written=written)


# Whether it behaves as the original


def difference(old: World, new: World, renamed: Renaming) -> str:
    """The first thing that a twin does otherwise than its original, names aside; empty where there is none."""
    nameless = _Nameless([old.child.slug, new.child.slug], [title for title in renamed.titles if title])
    before, after = summary(old), summary(new)
    for what in before:
        was, now = sorted(map(nameless.text, before[what])), sorted(map(nameless.text, after.get(what, [])))
        if was != now:
            gone = next((row for row in was if row not in now), "")
            come = next((row for row in now if row not in was), "")
            one, other = where_they_part(gone, come)
            return f"{what}: {one!r} of the original, {other!r} of the twin"
    return ""


class _Nameless:
    """Texts without any of several names, in whatever spelling."""

    def __init__(self, slugs: list[str], titles: list[str]) -> None:
        self.spellings = [Spelling(slug, slug) for slug in sorted(slugs, key=len, reverse=True)]
        self.titles = sorted(titles, key=len, reverse=True)

    def text(self, text: str) -> str:
        for title in self.titles:
            text = text.replace(title, "§")
        for spelling in self.spellings:
            for place in reversed(list(spelling.places(text))):
                text = text[: place.begin] + "§" + text[place.end :]
        return text


def summary(world: World) -> dict[str, list[str]]:
    """What a lineage comes to, in rows of text, with the names of what runs."""
    state, slug = world.behaviour.state, world.child.slug
    return {
        "functions": [d.name for d in state.functions.values()],
        "callbacks": [f"{c.point} {c.label} {shown_value(c.order)}" for c in state.callbacks if c.gone is None],
        "taken off": [f"{c.point} {c.label} {shown_value(c.order)}" for c in state.callbacks if c.gone is not None],
        "files that load": ["/".join(("" if s == slug else s, path)) for s, path in state.loaded],
        **effects(world),
    }
