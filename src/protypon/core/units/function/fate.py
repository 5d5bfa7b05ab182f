"""The child's function in the parents' words, and what became of one that the parents have no more."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.registry import is_written
from protypon.core.languages.text_edits import rename_functions
from protypon.core.languages.writers import writer
from protypon.core.merge import likeness
from protypon.core.model.actions import Drop, Update
from protypon.core.model.evidence import Candidate, Gone, Lost, Own, Part, Subject, Told
from protypon.core.model.nouns import Record
from protypon.core.units.copied import part_of
from protypon.core.units.declarations import text_of
from protypon.core.units.function.own_words import names_of, own_words
from protypon.core.units.parent_functions import Origin, calls_of, folds, functions_in, own_function
from protypon.core.units.past_release import past_release_of
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def gone_evidence(world: World, subject: Subject, digest: str, record: Record) -> Gone:
    """Renamed, or gone since a release; ``digest`` is that of the child's text."""
    kept = _alike(world, record)
    moved = tuple(Candidate(o.theme.slug, o.name, round(score, 2)) for score, o in kept)
    told: dict[str, Told] = {}
    part = None
    if len(moved) == 1:
        to = kept[0][1]
        told["moved"] = Told(
            f"{to.theme.label} calls it {to.name} now ({place_words(to.place)}, {moved[0].alike:.0%} alike)", Update
        )
        part = _part_under_new_name(world, record, to)
    label = f"{record.source} {record.release}" if record.release else record.source
    told["stranded"] = Told(
        f"{world.label_now(record.source)} has no function {record.unit.path} any more ({label} had), and nothing like it",
        Drop,
    )
    referred = _caller(world, record.unit.path)
    told["holds"] = Told(f"{record.source} no longer has it, but {referred} still calls it, and yours is called")
    return Gone(replace(subject, told=told), Own(digest, part=part), Lost(moved, referred=referred))


def _alike(world: World, record: Record) -> list[tuple[float, Origin]]:
    """The parents' functions that were not there when it was taken and are like its text; ties stay together."""
    base = world.snapshot.blob(record.digest)
    if base is None:
        return []
    former = past_release_of(world, record)
    before = {name.lower() for name in former.functions} if former is not None else set()
    before.add(record.unit.path.lower())
    new = [
        o for o in functions_in(world.behaviour, world.ancestors) if o.name.lower() not in before and "\\" not in o.name
    ]
    scored = []
    for origin in new:
        other = _under_old_name(world, record, origin)
        alike = 1.0 if other == base else likeness.alike(base, other or b"")
        if alike >= likeness.ALIKE:
            scored.append((alike, origin))
    best = max((score for score, _ in scored), default=0.0)
    return sorted((p for p in scored if p[0] > best - likeness.TIE), key=lambda p: (-p[0], p[1].name))


def _under_old_name(world: World, record: Record, origin: Origin) -> bytes | None:
    """A function's text with the name that the override was taken under; None where its language is not written."""
    return under_another_name(world, origin, record.unit.path)


def under_another_name(world: World, origin: Origin, name: str) -> bytes | None:
    """A function's text as it would be under another name; None where its language is not written."""
    rule = world.platform.rule_of(origin.path)
    if rule is None or not is_written(rule.language):
        return None
    return rename_functions(text_of(world, origin), {origin.name: name}, writer(rule.language), folds(world))


def _part_under_new_name(world: World, record: Record, to: Origin) -> Part | None:
    """The child's text beside that of the function which took the old one's place."""
    theirs = _under_old_name(world, record, to)
    own = own_function(world, record.written.called or record.unit.path, record.written.file)
    if own is None or theirs is None:
        return None
    records = [r for r in world.records.values() if r.unit.kind == "function"]
    return part_of(world, own, own_words(world, own, names_of(record, records)), to, theirs)


def _caller(world: World, name: str) -> str:
    """The first place outside the child that calls a function; empty where nothing does."""
    calls = calls_of(world, world.behaviour, name)
    return next(
        (place_words(c.place) for c in calls if c.caller is None or c.caller.theme.slug != world.child.slug), ""
    )
