"""A verdict in a sentence: what the kind of unit says itself, with the lines filled in; else what is said of files."""

from __future__ import annotations

from protypon.core.model.actions import Action, Update, Words
from protypon.core.model.evidence import Evidence, LinesOf, Part, Present, Told, comparison_of, own_of
from protypon.core.store.proposals import path_of
from protypon.core.units.file import words
from protypon.core.units.next_steps import NextSteps


def say(verdict: str, evidence: Evidence, steps: NextSteps) -> words.Said:
    """The reason for a verdict, and what to do."""
    told = evidence.subject.told.get(verdict)
    if told is None or (verdict == "holds" and isinstance(evidence, Present) and evidence.same):
        return words.say(verdict, evidence, steps)
    said, step = _fill_lines(told, evidence), steps.of(told.step, evidence)
    subject = evidence.subject
    name = path_of(subject.unit, subject.file, subject.inside)
    if not subject.inside or name not in steps.proposals:
        return said, step
    tail = f"; the proposal in proposals/{steps.child}/{name} waits for you"
    with_tail = said + tail if isinstance(said, str) else (*(said if isinstance(said, tuple) else (said,)), tail)
    return with_tail, steps.finish(name, step) if isinstance(step, Update) else step


def _fill_lines(told: Told, evidence: Evidence) -> Words:
    """The sentence, with the lines of both files in their places."""
    if isinstance(told.because, str):
        return told.because
    own = own_of(evidence)
    part = own.part if own is not None else None
    lines = _lines(part, evidence) if part is not None else {}
    parts: list[str | Action] = [lines.get(p, "") if isinstance(p, LinesOf) else p for p in told.because]
    texts = [p for p in parts if isinstance(p, str)]
    return "".join(texts) if len(texts) == len(parts) else tuple(parts)


def _lines(part: Part, evidence: Evidence) -> dict[LinesOf, str]:
    c = comparison_of(evidence)
    own = shift_lines(c.own_lines, part.own_line)
    places = c.places
    theirs = shift_lines(tuple(words.span(p.theirs) for p in places), part.parent_line)
    ours = shift_lines(tuple(words.span(p.ours) for p in places), part.own_line)
    return {
        LinesOf.PARENT: words.ranges(shift_lines(c.parent_lines, part.parent_line)),
        LinesOf.OWN: words.own_side(own),
        LinesOf.THEIRS: words.ranges(theirs),
        LinesOf.OURS: "your " + words.ranges(ours),
    }


def shift_lines(spans: tuple[tuple[int, int], ...], first: int) -> tuple[tuple[int, int], ...]:
    """LinesOf of a piece as lines of its file."""
    return tuple((a + first - 1, b + first - 1) for a, b in spans)
