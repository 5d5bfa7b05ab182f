"""Evidence -> one headline, with its reason and the next step. The same for every kind of unit."""

from __future__ import annotations

from typing import assert_never

from protypon.core.check.weights import VERDICTS
from protypon.core.files.notes import note
from protypon.core.model.evidence import (
    Evidence,
    Gone,
    Lost,
    Missing,
    Present,
    Stops,
    Supplied,
    Unknowable,
    Unreached,
    Unseen,
    Verdict,
    comparison_of,
    moved_to,
    own_of,
)
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.wording import say


def judge(evidence: Evidence, steps: NextSteps) -> Verdict:
    """Return the verdict, in the words of the unit's kind."""
    verdict = headline(evidence)
    because, step = say(verdict, evidence, steps)
    look = steps.compare(evidence) if _is_for_a_person(verdict, evidence) else None
    note("judge", "%s: %s: %s", evidence.subject.unit.address, verdict, because)
    return Verdict(evidence, verdict, VERDICTS[verdict], because, step, look)


def _is_for_a_person(verdict: str, evidence: Evidence) -> bool:
    """Whether somebody has to look at both sides of it."""
    both = isinstance(evidence.source, Supplied | Lost) and evidence.subject.base is not None
    merge = comparison_of(evidence).merge
    own = own_of(evidence)
    hides = verdict == "drifted" and (merge == "rewrite" or (own is not None and bool(own.adds)))
    return (
        both
        and evidence.subject.base_here
        and (verdict == "conflicted" or hides or (verdict == "moved" and merge == "conflict"))
    )


def headline(evidence: Evidence) -> str:
    """The one verdict of ``VERDICTS`` that fits."""
    match evidence:
        case Stops():
            return "fatal"
        case Missing():
            return "missing"
        case Unreached():
            return "idle"
        case Unknowable():
            return "unknown"
        case Gone():
            return _of_gone(evidence)
        case Present():
            return _of_present(evidence)
        case _:
            assert_never(evidence)


def _of_gone(e: Gone) -> str:
    if not e.subject.listed:
        return "unlisted"
    if e.source.moved:
        return "moved"
    return "holds" if e.source.referred else "stranded"


def _of_present(e: Present) -> str:
    if e.clash:
        return "conflicted" if e.subject.listed else "unlisted"
    if e.same:
        return "holds" if e.needed or e.unedited else "needless"
    if not e.subject.listed and not (e.source.of_platform and e.own.adds == ()):
        return "collides" if e.newcomer else "unlisted"
    comparison = e.own.comparison
    if not e.changed or (e.own.part is not None and comparison.layout_only):
        return "holds"
    if e.own.adds is not None and e.subject.base_here:
        return "drifted" if e.own.adds else "holds"
    return {"clean": "drifted", "rewrite": "drifted", "conflict": "conflicted"}.get(comparison.merge, "unknown")


def source_of(evidence: Evidence) -> str:
    """``same``, ``changed``, ``moved``, ``gone`` or ``unknown``: what became of the text it was taken from."""
    source = evidence.source
    match source:
        case Unseen():
            return "unknown"
        case Lost():
            return "moved" if moved_to(evidence) else "gone"
        case Supplied():
            return "same" if evidence.subject.base in (None, source.digest) else "changed"
        case _:
            assert_never(source)
