"""Override: copy a file of an ancestor, byte for byte, to the place where the platform will look, and record it."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from protypon.core.actions.records import find_unit, remember, write_ledger
from protypon.core.check.examine import as_released, present_world
from protypon.core.model.actions import Action, Check, Drop, Help, Override, ShowPlatform, Survey
from protypon.core.model.errors import ProtyponError, UnknownName, Usage
from protypon.core.model.evidence import text_of
from protypon.core.model.nouns import Content, Plan, Record, Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units import keyed_files
from protypon.core.units.draft import Draft
from protypon.core.units.file import use
from protypon.core.units.file.addresses import broken_addresses
from protypon.core.units.file.headed import is_headed, rest_of
from protypon.core.units.file.variant import place_variant
from protypon.core.units.keyed_files import keyed_rule, laid
from protypon.core.units.placing import NOTHING, Asked, Outcome
from protypon.core.units.registry import KINDS, in_code, is_followed, is_in_code, options_of
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class Taken:
    """One override that was begun."""

    unit: Unit
    source: str
    """What it was taken from, with its release."""
    file: str
    notes: tuple[tuple[str, Action | None], ...] = ()
    """What there is to know, each with the command that helps, if one does."""
    words: str = ""
    """For a unit inside code: what was written, and why so."""
    chain: tuple[str, ...] = ()
    """Other functions that had to be copied with it."""
    called: str = ""


def plan_override(
    bench: Bench, child: Theme, texts: Iterable[str], source: str | None = None, why: str = "", asked: Asked = NOTHING
) -> tuple[Plan, list[Taken]]:
    """Plan copies for what was typed.

    Raises UnknownName for a name that stands for nothing or an ancestor that is none; ProtyponError where the child has
    the file already, or where a copy would not take the original's place.
    """
    builder = PlanBuilder(bench.folder)
    snapshot = Snapshot.of_bench(bench)
    world = present_world(bench, child, snapshot, {})
    released = {t.slug: as_released(bench, snapshot, t) for t in world.ancestors}
    origins = _origins(world, source)
    records = dict(world.records)
    taken: list[Taken] = []
    draft, copies = Draft(world), dict[str, bytes]()
    for text in texts:
        unit = _in_code(text) or (_template(text, world) if asked.kind else _unit(text, world, origins))
        _refuse_options(unit, asked)
        if is_in_code(unit):
            _refuse_code(world, unit, records, source)
            outcome = in_code(unit.kind).place(draft, unit, replace(asked, why=why))
            draft = outcome.draft
            made = _of_releases(draft.world, released, outcome)
            records = ledger.change_records(records, [record for record, _ in made])
            for _, data in made:
                remember(builder, bench, content(data).digest, data)
            taken.append(_taken_in_code(outcome, bench))
            continue
        if asked.kind:
            record, variant = place_variant(world, released, unit, asked.kind, why)
            builder.write(os.path.join(child.folder, record.unit.path), variant)
            if variant.data is not None and variant.digest == record.digest:
                remember(builder, bench, record.digest, variant.data)
            records = ledger.change_records(records, [record])
            taken.append(_taken_for_page(world, record, asked.kind))
            continue
        origin = _origin(unit, origins)
        if is_headed(bench.platform, child, unit.path):
            record = _behind_the_head(world, builder, origin, unit, snapshot, why)
            remember(builder, bench, record.digest, rest_of(snapshot.read(released[origin.slug], unit.path)))
            records = ledger.change_records(records, [record])
            taken.append(
                Taken(unit, origin.label, unit.path, (), "what stands behind its leading comment; yours stays")
            )
            continue
        path = _free(child, origin, unit, builder)
        found = origin.files[unit.path]
        data = snapshot.read(origin, unit.path)
        builder.write(os.path.join(child.folder, path), Content(found.digest, found.mode, data))
        base = released[origin.slug].files.get(unit.path, found).digest
        if base == found.digest:
            remember(builder, bench, base, data)
        records = ledger.change_records(
            records, [Record(unit, "copy", origin.slug, origin.release, base, why, source is not None)]
        )
        copies[unit.path] = data
        taken.append(Taken(unit, origin.label, path, ()))
    taken = _with_notes(world, taken, copies, origins, source is not None)
    draft.put_into(builder)
    write_ledger(builder, child, records)
    names = " ".join(shlex.quote(t.unit.address) for t in taken)
    return builder.plan(f"override {names} --child {child.slug}"), taken


def _behind_the_head(
    world: World, builder: PlanBuilder, origin: Theme, unit: Unit, snapshot: Snapshot, why: str
) -> Record:
    """Plan a copy of what stands behind the manifest of a parent, behind that of the child."""
    child, path = world.child, unit.path
    mine, theirs = snapshot.read(child, path), snapshot.read(origin, path)
    if rest_of(mine).strip():
        raise ProtyponError(
            f"{child.slug} has more in {quote_path(path)} than its manifest already; nothing was overwritten",
            ("see how it stands with: ", Check(child.slug)),
        )
    head = mine.rstrip() + b"\n\n"
    builder.write(os.path.join(child.folder, path), content(head + rest_of(theirs), child.files[path].mode))
    return Record(unit, "copy", origin.slug, origin.release, content(rest_of(theirs)).digest, why)


def _taken_for_page(world: World, record: Record, kind: str) -> Taken:
    theme = world.supplier(record.source) or world.child
    words = f"for pages of the kind {kind} only, in the place of {record.written.variant_of}"
    return Taken(record.unit, theme.label, record.unit.path, (), words)


def _of_releases(world: World, released: Mapping[str, Theme], outcome: Outcome) -> list[tuple[Record, bytes]]:
    """Each record with the text that its digest stands for: where a parent was edited in place, what its release has."""
    made = [(record, data) for record, (_, data) in zip(outcome.records, outcome.texts, strict=True)]
    if all(released[t.slug] is t for t in world.ancestors):
        return made
    themes = (world.child, *(released[t.slug] for t in world.ancestors))
    records = ledger.change_records(world.records, outcome.records)
    then = replace(world, lineage=replace(world.lineage, themes=themes), records=records)
    kinds = {r.unit.kind for r in outcome.records}
    found = {e.subject.unit: text_of(e) for kind in kinds for e in in_code(kind).find(then)}
    texts = {unit: text for unit, text in found.items() if text}
    return [
        (replace(record, digest=content(texts.get(record.unit, data)).digest), texts.get(record.unit, data))
        for record, data in made
    ]


def _in_code(text: str) -> Unit | None:
    """A unit inside code that was typed by its address."""
    kind, colon, _ = text.partition(":")
    unit = Unit.parse(text) if colon and kind in KINDS else None
    return unit if unit is not None and is_in_code(unit) else None


def _unit(text: str, world: World, origins: tuple[Theme, ...]) -> Unit:
    _refuse_others(world, text, origins)
    return find_unit(text, world, origins)


def _template(text: str, world: World) -> Unit:
    """A template that was typed, of any theme of the lineage: a variant may be made of the child's own."""
    path = text.removeprefix("template:")
    if any(path in theme.files for theme in world.lineage.themes):
        return Unit("template", path)
    return find_unit(text, world, world.ancestors)


def _refuse_options(unit: Unit, asked: Asked) -> None:
    allowed = options_of()
    wrong = [option for option in asked.options if option not in allowed.get(unit.kind, ())]
    if wrong:
        kinds = " or ".join(kind for kind, options in allowed.items() if wrong[0] in options)
        raise Usage(
            f"{unit.address}: {wrong[0]} is for a unit of the kind {kinds}",
            ("see what can be asked with: ", Help("override")),
        )


def _refuse_code(world: World, unit: Unit, records: dict[Unit, Record], source: str | None) -> None:
    if is_followed(unit.kind) and not world.behaviour.speaks:
        raise ProtyponError(f"{unit.address}: the platform file says nothing of code", ShowPlatform())
    if source is not None:
        raise Usage(
            f"{unit.address}: --from is for files; of code, what is in force now is taken",
            Override(unit.address),
        )
    if world.lineage.cut:
        raise ProtyponError(f"{unit.address}: {world.lineage.cut}", Check(world.child.slug))
    same = next((r for r in records if r.address.lower() == unit.address.lower()), None)
    if same is not None:
        raise ProtyponError(
            f"{world.child.slug} overrides {same.address} already; nothing was changed",
            ("see how it stands with: ", Check(world.child.slug)),
        )


def _taken_in_code(outcome: Outcome, bench: Bench) -> Taken:
    theme = outcome.texts[0][0]
    label = theme.label if theme is not None else bench.platform.title
    return Taken(
        outcome.records[0].unit, label, outcome.file, outcome.notes, outcome.words, outcome.chain, outcome.called
    )


def _origins(world: World, source: str | None) -> tuple[Theme, ...]:
    if source is None:
        return world.ancestors
    theme = world.ancestor(source)
    if theme is None:
        names = ", ".join(t.slug for t in world.ancestors) or "none"
        raise UnknownName(f"{source!r} is no ancestor of {world.child.slug}", f"its ancestors here are: {names}")
    return (theme,)


def _refuse_others(world: World, text: str, origins: tuple[Theme, ...]) -> None:
    """Say why a file that an ancestor has can't be overridden by a copy, where that is so."""
    path = text.partition(":")[2] or text
    theme = next((t for t in origins if path in t.files), None)
    if theme is None:
        if world.resolver.root_supplies(path):
            root = world.lineage.root
            raise ProtyponError(
                f"{text}: comes with the platform's {root}, which is not in this bench",
                f"put a copy of {root} into themes/",
            )
        return
    rule = world.platform.rule_of(path)
    title = world.platform.title
    if path == theme.manifest and not is_headed(world.platform, theme, path):
        raise ProtyponError(f"{text}: is the manifest of {theme.slug}; {world.child.slug} has its own", "edit that one")
    if not world.platform.is_inherited(path):
        raise ProtyponError(
            f"{text}: is not inherited on {title}, so there is nothing to override", "put a file of your own there"
        )
    if keyed_rule(world.platform, path) is not None:
        known = laid(world, origins, path)
        name = next(keyed_files.names_in(known), "KEY") if not isinstance(known, str) else "KEY"
        why = f"{title} lays it over the parent's key by key, so each key is an override of its own"
        step = Override(f"{text if ':' in text else f'{rule.kind}:{text}' if rule else text}#{name}")
        raise ProtyponError(f"{text}: {why}", ("name one, as in: ", step))
    if rule is not None and rule.combine == "load":
        why = f"{title} loads such a file of every theme, so a copy would run beside the original, not in its place"
        raise ProtyponError(f"{text}: {why}", "write what you add into a file of another name")
    if rule is None:
        raise ProtyponError(
            f"{text}: {title} does not look for it in a child",
            ("see what can be overridden with: ", Survey(units=True)),
        )


def _origin(unit: Unit, origins: tuple[Theme, ...]) -> Theme:
    """The ancestor whose file the platform uses now; nothing below it counts."""
    return next(t for t in origins if unit.path in t.files)


def _free(child: Theme, origin: Theme, unit: Unit, builder: PlanBuilder) -> str:
    standing = builder.entry(os.path.join(child.folder, unit.path))
    if standing is not None:
        raise ProtyponError(
            f"{child.slug} has {quote_path(unit.path)} already; nothing was overwritten",
            ("see how it stands with: ", Check(child.slug)),
        )
    return unit.path


def _with_notes(
    world: World, taken: list[Taken], copies: Mapping[str, bytes], origins: tuple[Theme, ...], pinned: bool
) -> list[Taken]:
    """What was taken, with what is to be said of each copy: all are looked at together, as they will stand."""
    then = Draft(world, dict(copies)).world
    found = []
    for item in taken:
        if item.unit.name is None and item.unit.path in copies and not item.words:
            rule = world.platform.rule_of(item.unit.path) or FileRule(item.unit.kind, ())
            item = replace(item, notes=tuple(_notes(then, item.unit, rule, _origin(item.unit, origins), pinned)))
        found.append(item)
    return found


def _notes(then: World, unit: Unit, rule: FileRule, origin: Theme, pinned: bool) -> Iterable[tuple[str, Action | None]]:
    nearer = next((t.slug for t in then.ancestors if unit.path in t.files), origin.slug)
    if pinned and nearer != origin.slug:
        yield f"{nearer}, which is nearer, overrides it too; yours will be compared with the one of {origin.slug}", None
    usage = use.of(then, unit.path, rule) if rule.kind in ("code", "template") else None
    if usage is not None and usage.reach == "no":
        never = "run" if rule.kind == "code" else "be used"
        yield f"the copy will never {never}: {usage.because}", Drop(unit.address, then.child.slug)
    for target, line in _broken_in_copy(then, unit, rule):
        holder = next((t for t in then.ancestors if target in t.files), None)
        other = then.platform.rule_of(target)
        address = f"{other.kind}:{quote_path(target)}" if holder and other else ""
        step = Override(address, then.child.slug) if address else None
        yield f"line {line} asks for {quote_path(target)}, which is not there beside the copy", step


def _broken_in_copy(then: World, unit: Unit, rule: FileRule) -> list[tuple[str, int]]:
    """Relative addresses that the copy will not find from where it stands."""
    if rule.kind in ("template", "code"):
        return [(m.path, m.site.line) for m in use.missing(then) if m.site.path == unit.path]
    if rule.kind not in ("style", "script"):
        return []
    return broken_addresses(then, unit.path, rule)
