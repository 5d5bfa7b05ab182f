"""The sentences for overrides of whole files, and for those of other kinds that say nothing of their own."""

from __future__ import annotations

from protypon.core.model.actions import Action, Adopt, Drop, Keep, Mend, OpenInEditor, Settle, Survey, Words
from protypon.core.model.evidence import (
    Evidence,
    Gone,
    Lost,
    Present,
    Stops,
    Subject,
    Supplied,
    Unreached,
    Unseen,
    comparison_of,
    moved_to,
)
from protypon.core.model.labels import is_later
from protypon.core.model.paths import quote_path
from protypon.core.units.next_steps import NextSteps

Said = tuple[Words, Action | None]
"""The reason, and what to do."""


def say(verdict: str, evidence: Evidence, steps: NextSteps) -> Said:
    """The reason for a verdict, and what to do."""
    return _SENTENCES[verdict](evidence, steps)


# Pieces of sentences


def _label(theme: str | None, release: str | None) -> str:
    return f"{theme} {release}" if theme and release else theme or "the platform"


def _theirs(o: Subject) -> str:
    return _label(o.now_from, o.now)


def _taken_label(o: Subject) -> str:
    return _label(o.origin, o.taken)


def ranges(spans: tuple[tuple[int, int], ...], most: int = 3) -> str:
    """Line ranges in words.

    >>> ranges(((3, 3), (12, 14)))
    'lines 3, 12-14'
    """
    parts = [str(a) if a == b else f"{a}-{b}" for a, b in dict.fromkeys(spans)]
    more = f" and {len(parts) - most} more" if len(parts) > most else ""
    several = len(parts) > 1 or any("-" in p for p in parts)
    return f"line{'s' if several else ''} {', '.join(parts[:most])}{more}"


def span(place: tuple[int, int]) -> tuple[int, int]:
    """First and last line of a place, which may have no line of its own."""
    start, count = place
    return (max(start, 1), max(start + count - 1, start, 1))


def own_side(lines: tuple[tuple[int, int], ...]) -> str:
    """That the child's lines merge with what the parent changed."""
    if not lines:
        return "yours is as it was taken"
    one = len(lines) == 1 and lines[0][0] == lines[0][1]
    return f"your {ranges(lines)} {'merges' if one else 'merge'} with it"


# The sentences


def _fatal(e: Evidence, s: NextSteps) -> Said:
    assert isinstance(e, Stops)
    return f"{e.why}: the platform does not load the theme; mend it there, or take it out", s.to_unit(Drop, e)


def _missing(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    because = f"the ledger says {quote_path(o.file)} was taken from {_taken_label(o)}, and the file is gone"
    return because, s.to_unit(Drop, e)


def _idle(e: Evidence, s: NextSteps) -> Said:
    assert isinstance(e, Unreached)
    o = e.subject
    because = f"{quote_path(o.file)} is never used: {e.own.why}"
    if e.step is Mend and o.file != o.unit.path and o.now_from:
        because += f"; {_theirs(o)} is used instead"
    return because, s.to_unit(e.step, e)


def _say_moved(e: Evidence, s: NextSteps) -> Said:
    moved = moved_to(e)
    if len(moved) > 1:
        names = " or ".join(f"{quote_path(c.path)} ({c.alike:.0%})" for c in moved[:3])
        return f"{_taken_label(e.subject)} had it here; now it could be {names}: too alike to tell", s.to_unit(Drop, e)
    best = moved[0]
    merge = {"clean": "your changes merge there", "conflict": "your changes do not merge there"}
    where = f"{best.theme} now has it at {quote_path(best.path)} ({best.alike:.0%} alike)"
    source = e.source if isinstance(e.source, Lost) else Lost()
    named = f"; {source.referred} still names the old place" if source.referred else ""
    what = merge.get(comparison_of(e).merge, "the file here is no longer used")
    first = OpenInEditor(source.referring) if source.referring and not s.against else s.update(best.theme)
    return f"{where}; {what}{named}", first


def _say_stranded(e: Evidence, s: NextSteps) -> Said:
    assert isinstance(e, Gone)
    since = f"since {e.source.since}" if e.source.since else "now"
    return (
        f"{e.subject.origin} has no {quote_path(e.subject.unit.path)} {since}, and nothing in the lineage names it any more{_gone_from(e)}",
        s.to_unit(Drop, e),
    )


def _needless(e: Evidence, s: NextSteps) -> Said:
    assert isinstance(e, Present)
    o = e.subject
    if o.listed:
        return f"{_theirs(o)} now says the same as your copy, byte for byte", s.to_unit(Drop, e)
    return f"a copy of the one of {_theirs(o)}, not edited, and no record says so", Adopt(s.child)


def _say_unlisted(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    if isinstance(e.source, Lost):
        because = f"an earlier release of the lineage had {quote_path(o.file)}, the present one has not, and no record says what it was made from"
        return because, Adopt(s.child)
    return (
        f"{quote_path(o.file)} differs from the one of {_theirs(o)}, and no record says which release it was made from",
        Adopt(s.child),
    )


def _collides(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    own = quote_path(o.file) + (f" line {o.line}" if o.line else "")
    because = f"{_theirs(o)} has {o.unit.address} now, which no release before it had; yours in {own} was there first, and hides it"
    return because, Adopt(s.child)


def _holds(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    if isinstance(e.source, Lost):
        return f"{o.origin} no longer has it, but {e.source.referred} still names it, and yours is used", None
    assert isinstance(e, Present)
    unsure = f"; whether it is used can't be told: {e.own.why}" if e.own.reach == "unknown" else ""
    nearer = f"; {e.nearer}, which is nearer, overrides it too" if e.nearer else ""
    reason = f"and needed: {e.needed}" if e.needed else "not yet edited"
    stands = f"as {_theirs(o)} has it, {reason}" if e.same else f"{_theirs(o)} has what it was taken from"
    return f"{stands}{unsure}{nearer}", None


def _say_drifted(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    c = comparison_of(e)
    what = ranges(c.parent_lines) if c.parent_lines else "the file"
    if c.layout_only:
        what = "only white space, line ends or comments"
    changed = f"{_theirs(o)} changed {what} of {quote_path(o.unit.path)}{_gone_from(e)}"
    if c.merge == "rewrite":
        because = (
            f"{changed}; yours was written anew ({c.alike:.0%} is left of what it was taken from), so nothing is merged"
        )
        return because, s.of(Settle, e)
    if o.taken != o.now and not s.against and is_later(o.taken, o.now):
        return f"{_theirs(o)} has another text, and yours is from {o.taken}, which is later", s.of(Settle, e)
    return f"{changed}; {own_side(c.own_lines)}{BY.get(c.by, '')}", s.update(o.now_from)


def _gone_from(e: Evidence) -> str:
    """Of a text of which little is left, how much, and where the rest went."""
    source = e.source
    if isinstance(source, Unseen) or (isinstance(source, Supplied) and source.left >= 1.0):
        return ""
    moved = "".join(f"; {ranges((went.lines,))} of it are in {quote_path(went.path)} now" for went in source.went[:3])
    return f", of which {source.left:.0%} is left{moved}" if isinstance(source, Supplied) else moved


BY = {
    "units": ", function by function",
    "elements": ", element by element",
    "keys": ", key by key",
    "rules": ", rule by rule",
    "layout": "; where the parent changed only layout or comments, yours stays",
}
"""What two sides merge by, where lines alone would not do."""


def _say_conflicted(e: Evidence, s: NextSteps) -> Said:
    o, c = e.subject, comparison_of(e)
    if not c.places:
        because = f"both {_theirs(o)} and you changed {quote_path(o.unit.path)}, and it can't be merged by lines"
    else:
        theirs = ranges(tuple(dict.fromkeys(span(p.theirs) for p in c.places)))
        ours = ranges(tuple(dict.fromkeys(span(p.ours) for p in c.places)))
        here = "" if o.file == o.unit.path else f" of {quote_path(o.file)}"
        because = f"{quote_path(o.unit.path)}: {theirs} of {_theirs(o)} and your {ours}{here} change the same place"
    because += _gone_from(e)
    if o.file in s.proposals:
        because += f"; the proposal in proposals/{s.child}/{quote_path(o.file)} waits for you"
    return because, s.finish(o.file, s.update(o.now_from))


def _unknown(e: Evidence, s: NextSteps) -> Said:
    o = e.subject
    if isinstance(e.source, Unseen) and e.source.why:
        return f"{e.source.why}, so what the platform would use instead can't be told", Survey()
    if isinstance(e.source, Unseen):
        because = f"{o.origin} comes with the platform and its text is not in this bench, so nothing can be compared"
        return f"{because}; a copy of it in themes/ would help", Survey()
    wanted = f"{_taken_label(o)}, which it was taken from, is not in this store, so the change to {_theirs(o)} can't be merged"
    parts = (f"{wanted}; keep that release (", Keep("PATH", o.taken or ""), "), or say that yours stands")
    return parts, s.settle(e, "compared by hand")


_SENTENCES = {
    "fatal": _fatal,
    "missing": _missing,
    "idle": _idle,
    "moved": _say_moved,
    "stranded": _say_stranded,
    "needless": _needless,
    "collides": _collides,
    "unlisted": _say_unlisted,
    "holds": _holds,
    "drifted": _say_drifted,
    "conflicted": _say_conflicted,
    "unknown": _unknown,
}
