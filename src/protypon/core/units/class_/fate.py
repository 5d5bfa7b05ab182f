"""What became of a class, or of a method, that the parents have no more."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.languages.text_edits import with_class_named
from protypon.core.merge import likeness
from protypon.core.model.actions import Drop, Mend, Update
from protypon.core.model.evidence import Candidate, Gone, Lost, Own, Subject, Told
from protypon.core.model.nouns import Record
from protypon.core.units.class_.reading import ClassDeclaration, above, bare, classes_in, methods_of, own_class
from protypon.core.units.copied import part_of
from protypon.core.units.declarations import text_of, writer_at
from protypon.core.units.parent_functions import folds
from protypon.core.units.past_release import past_release_of
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def gone_evidence(
    world: World, subject: Subject, text: bytes, digest: str, record: Record, own: ClassDeclaration
) -> Gone:
    """Renamed, or gone since a release; ``text`` is the child's, and ``digest`` that of it."""
    kept = alike(world, record)
    moved = tuple(Candidate(c.theme.slug, _address(record, c), round(score, 2)) for score, c in kept)
    told: dict[str, Told] = {}
    part = None
    what = "class" if record.unit.name is None else "method"
    if len(moved) == 1:
        to = kept[0][1]
        step = Update if record.unit.name is None else Mend
        told["moved"] = Told(
            f"{to.theme.label} calls it {to.name} now ({place_words(to.place)}, {moved[0].alike:.0%} alike)", step
        )
        part = part_of(world, own, text, to, _under_old_name(world, record, to))
    label = f"{record.source} {record.release}" if record.release else record.source
    now = world.label_now(record.source)
    name = record.unit.name or record.unit.path
    told["stranded"] = Told(f"{now} has no {what} {name} any more ({label} had), and nothing like it", Drop)
    return Gone(replace(subject, told=told), Own(digest, part=part), Lost(moved))


def _address(record: Record, to: ClassDeclaration) -> str:
    return to.name if record.unit.name is None else f"{record.unit.path}#{bare(to)}"


def alike(world: World, record: Record) -> list[tuple[float, ClassDeclaration]]:
    """What was not there when it was taken, and is like its text; ties stay together."""
    base = world.snapshot.blob(record.digest)
    if base is None:
        return []
    former = past_release_of(world, record)
    kind = "class" if record.unit.name is None else "method"
    before = {name.lower() for name in former.declared[kind]} if former is not None else set()
    before.add(record.unit.path.lower())
    scored = []
    for found in _candidates(world, record):
        if found.name.lower() not in before and "\\" not in found.name:
            score = likeness.alike(base, _under_old_name(world, record, found))
            if score >= likeness.ALIKE:
                scored.append((score, found))
    best = max((score for score, _ in scored), default=0.0)
    return sorted((p for p in scored if p[0] > best - likeness.TIE), key=lambda p: (-p[0], p[1].name))


def _candidates(world: World, record: Record) -> Iterator[ClassDeclaration]:
    if record.unit.name is None:
        yield from classes_in(world.behaviour, world.ancestors)
        return
    cls = own_class(world, record.unit.path)
    for each in above(world, cls) if cls is not None else ():
        if each.theme.slug != world.child.slug:
            yield from methods_of(world.behaviour, each)


def _under_old_name(world: World, record: Record, found: ClassDeclaration) -> bytes:
    """A text as it would be under the name that the override was taken under."""
    text = text_of(world, found)
    if record.unit.name is not None:
        return text.replace(b"function " + bare(found).encode(), b"function " + record.unit.name.encode(), 1)
    return with_class_named(text, found.name, record.unit.path, writer_at(world, found.path), folds(world))
