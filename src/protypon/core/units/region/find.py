"""Regions that the child declares, so that what an ancestor's template prints there shows."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Drop, Explain
from protypon.core.model.evidence import Candidate, Evidence, Gone, Present, Subject, Told, Unreached
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units import claims
from protypon.core.units.claimed import (
    DOES,
    DOES_IN_VAIN,
    begun,
    claim_as_source,
    compared_claim,
    missing,
    moved_evidence,
    stranded_evidence,
    unknown,
)
from protypon.core.units.draft import Draft
from protypon.core.units.past_release import past_release_of
from protypon.core.units.places import place_words
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.region import write
from protypon.core.units.region.findings import hiding_copies, printed_regions
from protypon.core.units.world import World

OPTIONS = frozenset[str]()


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """Regions that a theme declares or prints."""
    if not world.behaviour.speaks or world.lineage.cut:
        return []
    names = {m.name for m in world.behaviour.state.regions if m.site.theme == theme.slug and isinstance(m.name, str)}
    for name, said in printed_regions(world.behaviour).items():
        if name is not None and any(s.theme is theme for s in said):
            names.add(name)
    return [Unit("region", name) for name in sorted(names)]


def find(world: World) -> list[Evidence]:
    """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
    return [_listed_evidence(world, r) for r in world.records.values() if r.unit.kind == "region"]


def claim_of(world: World, name: str) -> dict[str, Any]:
    """Who among the parents declares and prints a region."""
    parents = world.behaviour.parents
    declared = parents is not None and any(m.name == name and not m.doubt for m in parents.state.regions)
    printed = sorted({s.path for s in printed_regions(parents).get(name, [])}) if parents is not None else []
    return {"name": name, "declared": declared, "printed": printed}


def _listed_evidence(world: World, record: Record) -> Evidence:
    subject = begun(world, record)
    unknowable = unknown(world, subject, "points")
    if unknowable is not None:
        return unknowable
    name = record.unit.path
    own = next((m for m in world.behaviour.state.regions if m.name == name and m.site.theme == world.child.slug), None)
    if own is None:
        words = f"the ledger says {world.child.slug} declares the region {name}, and it does not any more"
        return missing(subject, words)
    subject = replace(subject, file=own.site.path, line=own.site.line or None)
    now = claim_of(world, name)
    printed = printed_regions(world.behaviour)
    if not (now["declared"] or now["printed"]) and name not in printed:
        return _gone_evidence(world, subject, record)
    told = {
        "holds": Told(f"{place_words(printed[name][0].place)} prints it" if printed.get(name) else "it is declared")
    }
    if name not in printed and None not in printed:
        hiding = hiding_copies(world.behaviour, name)
        words = (
            f"{place_words(hiding[0][0])} prints the region {name}; your {hiding[0][1].path} takes its place and does not"
            if hiding
            else f"no template in use prints the region {name}"
        )
        step = Explain(f"template:{hiding[0][1].path}", world.child.slug) if hiding else Drop
        return Unreached(replace(subject, told={"idle": Told(words, step)}), DOES_IN_VAIN, claim_as_source(now))
    if now["declared"]:
        subject = replace(subject, told={"needless": Told(f"a parent declares the region {name} itself", Drop)})
        return Present(subject, DOES, claim_as_source(now), same=True)
    return compared_claim(world, subject, record, now, told)


def _gone_evidence(world: World, subject: Subject, record: Record) -> Gone:
    """Nothing prints it any more: another region where it was, or none."""
    before = claims.read(world.snapshot.blob(record.digest))
    former = past_release_of(world, record)
    places = set(before.get("printed", ()))
    new = {
        name for name, said in printed_regions(world.behaviour).items()
        if name is not None and former is not None and name not in former.printed and any(s.path in places for s in said)
    }  # fmt: skip
    now = world.label_now(record.source)
    if len(new) == 1:
        name = next(iter(new))
        words = f"{now} prints the region {name} in {', '.join(sorted(places))}, where it printed {record.unit.path}"
        return moved_evidence(subject, words, Candidate(record.source, name, 1.0))
    words = f"{now} neither declares nor prints the region {record.unit.path} any more"
    return stranded_evidence(subject, words)


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Write an override into the child's code. Raises ProtyponError with what stands in the way."""
    done = write.declare_region(draft, unit.path)
    world = draft.world
    text = claims.claim_text(claim_of(world, unit.path))
    printed = printed_regions(world.behaviour).get(unit.path, [])
    theme = next(
        (t for s in printed for t in world.ancestors if t is s.theme), world.ancestors[0] if world.ancestors else None
    )
    source = theme.slug if theme else world.platform.name
    record = Record(
        unit,
        "declare",
        source,
        theme.release if theme else None,
        blob_digest(text),
        asked.why,
        written=Written(done.file, brought=done.brought),
    )
    return Outcome(done.draft, (record,), ((theme, text),), done.why, done.file, tuple((n, None) for n in done.notes))
