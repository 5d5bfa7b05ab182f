"""What overrides that claim something of the parents share: hooks, items, values and regions, which have no text of their own."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Action, Drop, Explain, Update
from protypon.core.model.evidence import (
    Candidate,
    Comparison,
    Gone,
    Lost,
    Missing,
    Own,
    Present,
    Subject,
    Supplied,
    Told,
    Unknowable,
    Unseen,
)
from protypon.core.model.nouns import Record
from protypon.core.units import claims
from protypon.core.units.world import World

DOES = Own(None)
"""Something that the child does."""
DOES_IN_VAIN = Own(None, "no")


def begun(world: World, record: Record) -> Subject:
    """A recorded override before anything is known of today."""
    source = world.ancestor(record.source)
    return Subject(
        unit=record.unit, listed=True, how=record.how, file=record.written.file, base=record.digest,
        base_here=world.snapshot.blob(record.digest) is not None, origin=record.source, taken=record.release,
        now_from=source.slug if source else None, now=source.release if source else None, sure=record.sure,
    )  # fmt: skip


def unknown(world: World, subject: Subject, about: str) -> Unknowable | None:
    """The evidence where nothing can be told of the lineage's code, or of its ``points``, ``items`` or ``values``."""
    states = world.behaviour.states if not world.lineage.cut and not world.behaviour.uncertain else ()
    blind = next((why for state in states if (why := state.blind_about(about))), "")
    why = world.lineage.cut or world.behaviour.uncertain or blind
    return unknowable(world, subject, why) if why else None


def unknowable(
    world: World, subject: Subject, why: str, text: str | None = None, step: Action | None = None
) -> Unknowable:
    """The evidence where T can't be told; ``step`` is what would settle it, if anything: else one looks at what is known."""
    told = {"unknown": Told(why, step or Explain(subject.unit.address, world.child.slug))}
    return Unknowable(replace(subject, told=told), Own(text, "unknown", why), Unseen(why))


def missing(subject: Subject, because: str) -> Missing:
    """Recorded, and nothing in the child does it."""
    return Missing(replace(subject, told={"missing": Told(because, Drop)}), Lost())


def stranded_evidence(subject: Subject, because: str) -> Gone:
    """Nothing further up to act on any more."""
    return Gone(replace(subject, told={"stranded": Told(because, Drop)}), DOES_IN_VAIN, Lost())


def moved_evidence(subject: Subject, because: str, to: Candidate) -> Gone:
    """What it acts on is called otherwise now."""
    return Gone(replace(subject, told={"moved": Told(because, Update)}), DOES_IN_VAIN, Lost((to,)))


def compared_claim(world: World, subject: Subject, record: Record, now: claims.Claim, told: dict[str, Told]) -> Present:
    """The evidence with today's claim, and what changed of it."""
    source = claim_as_source(now)
    if source.digest == subject.base:
        return Present(replace(subject, told=told), DOES, source)
    before = claims.read(world.snapshot.blob(record.digest))
    label = f"{subject.now_from} {subject.now}" if subject.now else subject.now_from or world.platform.title
    changes = "; ".join(claims.differences(before, now)) or "the claim is written otherwise"
    told["drifted"] = Told(f"{label}: {changes}; yours still applies", Update)
    return Present(replace(subject, told=told), replace(DOES, comparison=Comparison("clean")), source)


def claim_as_source(now: claims.Claim) -> Supplied:
    """Today's claim, as T."""
    text = claims.claim_text(now)
    return Supplied(blob_digest(text), text)
