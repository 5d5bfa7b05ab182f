"""The child's function in the parents' words, and what became of one that the parents have no more."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.registry import is_written, piece_of
from protypon.core.languages.text_edits import renamed
from protypon.core.languages.writers import writer
from protypon.core.merge import likeness
from protypon.core.model.actions import Drop, Update
from protypon.core.model.nouns import Candidate, Facts, Part, Record, Told
from protypon.core.units.function.copies import head_lines
from protypon.core.units.function.own_words import names_of, own_words
from protypon.core.units.parent_functions import Origin, calls_of, folds, functions_in, own_function, text_of
from protypon.core.units.past_release import past_release_of
from protypon.core.units.places import shown
from protypon.core.units.world import World


def part_of(ours: bytes, theirs: bytes, language: str, own: Origin, origin: Origin) -> Part:
    """Both texts of a function, and the lines of their files where they begin."""
    made = writer(language)
    first = [o.function.line - head_lines(text, made) for o, text in ((own, ours), (origin, theirs))]
    return Part(ours, theirs, piece_of(language), *first)


def gone(world: World, facts: Facts, record: Record) -> Facts:
    """Renamed, or gone since a release."""
    base = world.sources.blob(record.digest)
    former = past_release_of(world, record)
    before = {name.lower() for name in former.functions} if former is not None else set()
    before.add(record.unit.path.lower())
    new = [
        o for o in functions_in(world.behaviour, world.ancestors) if o.name.lower() not in before and "\\" not in o.name
    ]
    scored = []
    for origin in new if base is not None else ():
        rule = world.platform.rule_of(origin.path)
        other = (
            renamed(text_of(world, origin), {origin.name: record.unit.path}, writer(rule.language), folds(world))
            if rule and is_written(rule.language)
            else b""
        )
        alike = 1.0 if other == base else likeness.alike(base or b"", other)
        if alike >= likeness.ALIKE:
            scored.append((alike, origin))
    best = max((score for score, _ in scored), default=0.0)
    kept = sorted((p for p in scored if p[0] > best - likeness.TIE), key=lambda p: (-p[0], p[1].name))
    moved = tuple(Candidate(o.theme.slug, o.name, round(score, 2)) for score, o in kept)
    told: dict[str, Told] = {}
    if len(moved) == 1:
        to = kept[0][1]
        told["moved"] = Told(
            f"{to.theme.label} calls it {to.name} now ({shown(to.place)}, {moved[0].alike:.0%} alike)", Update
        )
        rule = world.platform.rule_of(to.path)
        renamed_text = (
            renamed(text_of(world, to), {to.name: record.unit.path}, writer(rule.language), folds(world))
            if rule
            else b""
        )
        own = own_function(world, record.written.called or record.unit.path, record.written.file)
        if own is not None and rule is not None:
            mine = own_words(
                world, own, names_of(record, [r for r in world.records.values() if r.unit.kind == "function"])
            )
            facts = replace(facts, part=part_of(mine, renamed_text, rule.language, own, to))
    referred = next(
        (
            f"{shown(c.place)}"
            for c in calls_of(world, world.behaviour, record.unit.path)
            if c.caller is None or c.caller.theme.slug != world.child.slug
        ),
        "",
    )
    label = f"{record.source} {record.release}" if record.release else record.source
    told["stranded"] = Told(
        f"{_now(world, record)} has no function {record.unit.path} any more ({label} had), and nothing like it", Drop
    )
    told["holds"] = Told(f"{record.source} no longer has it, but {referred} still calls it, and yours is called")
    return replace(facts, moved=moved, referred=referred, told=told)


def _now(world: World, record: Record) -> str:
    theme = world.ancestor(record.source)
    return theme.label if theme is not None else record.source
