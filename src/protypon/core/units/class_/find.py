"""Classes of an ancestor that the child declares in their place, and methods that it overrides in classes which extend one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Drop, Update
from protypon.core.model.evidence import (
    Evidence,
    Lost,
    Missing,
    Own,
    Present,
    Stops,
    Subject,
    Told,
    Unknowable,
    Unreached,
    Unseen,
)
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units.claimed import unknowable
from protypon.core.units.class_.fate import gone_evidence
from protypon.core.units.class_.reading import (
    ClassDeclaration,
    bare,
    classes_in,
    in_force,
    methods_of,
    origin_of,
    own_class,
    parents_method,
)
from protypon.core.units.class_.texts import own_text, standing
from protypon.core.units.class_.use import ClassStop, reach, stop_of
from protypon.core.units.class_.write import extend_class, plain_name, replace_class
from protypon.core.units.copied import in_copied_file, part_of, supplied_text, without_record, words
from protypon.core.units.declarations import text_of
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World

OPTIONS = frozenset[str]()


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """The classes of a theme that the whole site knows."""
    behaviour = world.behaviour
    if not behaviour.speaks or world.lineage.cut or behaviour.platform.code.declares != "all":
        return []
    return sorted({Unit("class", c.name) for c in classes_in(behaviour, (theme,)) if "\\" not in c.name})


def find(world: World) -> list[Evidence]:
    """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
    records = [r for r in world.records.values() if r.unit.kind == "class"]
    found = [_listed_evidence(world, record) for record in records]
    if world.behaviour.speaks and world.platform.code.declares == "all" and not world.behaviour.uncertain:
        listed = {r.unit.address.lower() for r in records}
        found += [e for e in _unlisted_evidence(world) if e.subject.unit.address.lower() not in listed]
    return found


# Without a record


def _unlisted_evidence(world: World) -> Iterator[Present]:
    """Classes of the child that stand for one of the parents', and methods that do, and nobody wrote down."""
    parents = world.behaviour.parents
    if parents is None:
        return
    for cls in classes_in(world.behaviour, (world.child,)):
        here = in_force(world.behaviour, cls.name)
        if here is None or here.key != cls.key or in_copied_file(world, cls.path):
            continue
        origin = in_force(parents, cls.name)
        if origin is not None:
            yield _without_record(world, Unit("class", origin.name), "replace", cls, origin)
            continue
        for method in methods_of(world.behaviour, cls):
            above = parents_method(world, cls, bare(method))
            if above is not None:
                yield _without_record(world, Unit("class", cls.name, bare(method)), "extends", method, above)


def _without_record(world: World, unit: Unit, how: str, own: ClassDeclaration, origin: ClassDeclaration) -> Present:
    text, theirs = own_text(world, own), text_of(world, origin)
    subject = Subject(
        inside=True, unit=unit, listed=False, how=how, file=own.path, line=own.node.line, origin=origin.theme.slug,
        now_from=origin.theme.slug, now=origin.theme.release, written=Written(own.path),
        told=without_record(world, own, origin),
    )  # fmt: skip
    return Present(subject, Own(blob_digest(text)), supplied_text(theirs), same=text == theirs)


# With a record


def _listed_evidence(world: World, record: Record) -> Evidence:
    unit = record.unit
    own = standing(world, unit, record.written.file)
    subject = Subject(
        inside=True, unit=unit, listed=True, how=record.how, file=own.path if own is not None else record.written.file,
        line=own.node.line if own is not None else None, base=record.digest, base_here=world.snapshot.blob(record.digest) is not None,
        origin=record.source, taken=record.release, sure=record.sure,
    )  # fmt: skip
    if own is None:
        what = f"{unit.path} in {subject.file}" if unit.name is None else f"{unit.path}::{unit.name} in {subject.file}"
        words_ = f"the ledger says {what} stands in the place of one of {record.source}, and it is gone"
        return Missing(replace(subject, told={"missing": Told(words_, Drop)}), Lost())
    text = own_text(world, own)
    if world.lineage.cut:
        return Unknowable(subject, Own(blob_digest(text)), Unseen(world.lineage.cut))
    origin = _origin(world, unit, record)
    if origin is not None:
        subject = replace(subject, now_from=origin.theme.slug, now=origin.theme.release)
    stop = stop_of(world, record, own, origin)
    if stop is not None:
        return _stops(world, subject, text, own, origin, stop)
    if world.behaviour.uncertain:
        return unknowable(world, subject, world.behaviour.uncertain, blob_digest(text))
    if origin is None:
        return gone_evidence(world, subject, text, blob_digest(text), record, own)
    return _there(world, subject, record, own, origin, text)


def _origin(world: World, unit: Unit, record: Record) -> ClassDeclaration | None:
    """What the platform would use without the override."""
    if unit.name is None:
        return origin_of(world, unit.path)
    cls = own_class(world, unit.path, record.written.file)
    return parents_method(world, cls, unit.name) if cls is not None else None


def _stops(
    world: World, subject: Subject, text: bytes, own: ClassDeclaration, origin: ClassDeclaration | None, stop: ClassStop
) -> Stops:
    if origin is None:
        told = Told(stop.because, Drop)
        return Stops(replace(subject, told={"fatal": told}), Own(blob_digest(text), "no"), Lost(), stop.because)
    theirs = supplied_text(text_of(world, origin))
    merges = stop.merged and theirs.digest != subject.base
    part = part_of(world, own, text, origin, theirs.text) if merges else None
    told = Told(stop.because, Update if merges else Drop)
    return Stops(replace(subject, told={"fatal": told}), Own(blob_digest(text), "no", part=part), theirs, stop.because)


def _there(
    world: World, subject: Subject, record: Record, own: ClassDeclaration, origin: ClassDeclaration, text: bytes
) -> Evidence:
    source = supplied_text(text_of(world, origin))
    reached, because = reach(world, record, own)
    told = words(subject, source.digest, own, origin)
    part = part_of(world, own, text, origin, source.text)
    mine = Own(blob_digest(text), reached, because, part=part)
    if reached == "no":
        return Unreached(replace(subject, told=told | {"idle": Told(because, Drop)}), mine, source, Drop)
    return Present(replace(subject, told=told), mine, source, same=text == source.text)


# Writing


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Declare a class again, or put a method into a class that extends one."""
    done = replace_class(draft, unit.path) if unit.name is None else extend_class(draft, unit)
    own = Unit("class", done.origin.name) if unit.name is None else Unit("class", unit.path, bare(done.origin))
    theme = done.origin.theme
    record = Record(
        own, "replace" if unit.name is None else "extends", theme.slug, theme.release, blob_digest(done.text), asked.why,
        written=Written(done.file, brought=done.brought),
    )  # fmt: skip
    said = f"{plain_name(done.origin, unit)} of {theme.label}: {done.why}"
    return Outcome(done.draft, (record,), ((theme, done.text),), said, done.file)
