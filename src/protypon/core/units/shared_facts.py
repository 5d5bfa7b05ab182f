"""What items, values and regions share: a claim about the parents, and the child's answer to it."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Check, Update
from protypon.core.model.nouns import Comparison, Facts, Record, Told
from protypon.core.units import claims
from protypon.core.units.world import World


def begun(world: World, record: Record) -> Facts:
    """The facts of a record before anything is known of today."""
    source = world.ancestor(record.source)
    return Facts(
        unit=record.unit, listed=True, how=record.how, file=record.written.file,
        ours=blob_digest(f"{record.how} {record.unit.address} {record.written.value!r}".encode()), base=record.digest, theirs=None,
        reach="yes", origin=record.source, taken=record.release, base_here=world.sources.blob(record.digest) is not None,
        now_from=source.slug if source else None, now=source.release if source else None, sure=record.sure, cut=world.lineage.cut,
    )  # fmt: skip


def unknown(world: World, facts: Facts) -> Facts | None:
    """The facts where nothing of the lineage's code can be told."""
    why = world.lineage.cut or world.behaviour.uncertain
    return untold(world, facts, why) if why else None


def untold(world: World, facts: Facts, why: str) -> Facts:
    """The facts where T can't be told."""
    return replace(
        facts,
        theirs="?",
        reach="unknown",
        reach_because=why,
        told={"unknown": Told(why, Check(world.child.slug))},
    )


def compared(world: World, facts: Facts, record: Record, now: claims.Claim, told: dict[str, Told]) -> Facts:
    """The facts with today's claim, and what changed of it."""
    before = claims.read(world.sources.blob(record.digest))
    facts = held(facts, now)
    if facts.theirs != facts.base:
        label = f"{facts.now_from} {facts.now}" if facts.now else facts.now_from or world.platform.title
        changes = "; ".join(claims.differences(before, now)) or "the claim is written otherwise"
        told["drifted"] = Told(f"{label}: {changes}; yours still applies", Update)
        facts = replace(facts, comparison=Comparison("clean"))
    return replace(facts, told=told)


def held(facts: Facts, now: claims.Claim) -> Facts:
    """The facts with today's claim as T."""
    text = claims.written(now)
    return replace(facts, theirs=blob_digest(text), text=text)
