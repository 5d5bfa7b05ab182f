"""Plain facts -> one headline, its reason in a sentence, and the next step as a command. The same for every kind of unit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from protypon.core.check.weights import VERDICTS
from protypon.core.files.notes import note
from protypon.core.model.actions import Action, Adopt, Drop, Keep, Mend, Settle, Survey, Update, Words
from protypon.core.model.nouns import Comparison, Facts, Told, Verdict
from protypon.core.model.paths import quote_path
from protypon.core.store.proposals import path_of


@dataclass(frozen=True, slots=True)
class Steps:
    """How the next step is typed: for which child, and whether ``--child`` must be said."""

    child: str
    only_child: bool = True
    against: str | None = None
    """The path of ``--against``."""
    against_theme: str | None = None
    proposals: frozenset[str] = frozenset()
    """Files of this child for which a proposal waits."""

    @property
    def named(self) -> str:
        """The child, where it must be named."""
        return "" if self.only_child else self.child

    def to_unit(self, step: type[Mend | Drop], facts: Facts) -> Action:
        return step(facts.unit.address, self.named)

    def settle(self, facts: Facts, why: str) -> Action:
        return Settle(facts.unit.address, self.named, why)

    def update(self, theme: str | None) -> Action:
        name = theme or self.against_theme or ""
        return Update(name, self.against if self.against and name == self.against_theme else "")


def source_of(facts: Facts) -> str:
    """``same``, ``changed``, ``moved``, ``gone`` or ``unknown``: what became of the text it was taken from."""
    if facts.theirs == "?":
        return "unknown"
    if facts.theirs is None:
        return "moved" if facts.moved else "gone"
    return "same" if facts.base is None or facts.theirs == facts.base else "changed"


def merge_of(facts: Facts) -> str:
    return facts.comparison.merge if facts.comparison else "none"


Said = tuple[Words, Action | None]
"""The reason, and what to do."""


def judge(facts: Facts, steps: Steps) -> Verdict:
    """Return the verdict: the first in the order of ``VERDICTS`` whose test fits."""
    for name, test, say in _LADDER:
        if test(facts):
            told = facts.told.get(name)
            because, step = _told(told, facts, steps) if told is not None else say(facts, steps)
            note("judge", "%s: %s: %s", facts.unit.address, name, because)
            return Verdict(facts, name, VERDICTS[name], because, step)
    raise AssertionError(f"no verdict fits {facts}")


def _told(told: Told, f: Facts, s: Steps) -> Said:
    """What the kind of unit says itself, with the lines filled in."""
    c, part = f.comparison or Comparison("none"), f.part
    words = told.because
    if part is not None:
        theirs = shifted(c.parent_lines, part.parent_line)
        ours = shifted(c.own_lines, part.own_line)
        verb = "merge" if len(ours) > 1 or any(a != b for a, b in ours) else "merges"
        own = f"your {ranges(ours)} {verb} with it" if ours else "yours is as it was taken"
        at = [
            shifted(tuple(_span(getattr(p, side)) for p in c.places), first)
            for side, first in (("theirs", part.parent_line), ("ours", part.own_line))
        ]
        for key, text in (
            ("parent", ranges(theirs)),
            ("own", own),
            ("theirs", ranges(at[0])),
            ("ours", "your " + ranges(at[1])),
        ):
            words = words.replace("{" + key + "}", text)
    waiting = path_of(f.unit, f.file, f.inside)
    if waiting in s.proposals and f.inside:
        words += f"; the proposal in proposals/{s.child}/{waiting} waits for you"
    return words, _step(told.step, f, s)


def _step(step: type[Update | Mend | Drop | Settle] | Action | None, f: Facts, s: Steps) -> Action | None:
    """A step of a kind, to the unit in question."""
    if not isinstance(step, type):
        return step
    if issubclass(step, Update):
        return s.update(f.now_from or (f.moved[0].theme if f.moved else f.origin))
    if s.against and issubclass(step, Mend | Settle):
        return s.update(s.against_theme)
    return s.settle(f, "I have seen the change") if issubclass(step, Settle) else s.to_unit(step, f)


def shifted(spans: tuple[tuple[int, int], ...], first: int) -> tuple[tuple[int, int], ...]:
    """Lines of a piece as lines of its file."""
    return tuple((a + first - 1, b + first - 1) for a, b in spans)


def _is_moved(f: Facts) -> bool:
    return f.listed and f.theirs is None and bool(f.moved)


def _is_stranded(f: Facts) -> bool:
    return f.listed and f.theirs is None and not f.referred


def _is_unlisted(f: Facts) -> bool:
    return not f.listed and f.theirs != "?" and f.ours != f.theirs


def _adds(f: Facts) -> bool:
    return f.adds


def _holds(f: Facts) -> bool:
    if f.clash:
        return False
    if f.theirs is None or f.theirs == f.base:
        return f.listed
    if f.part is not None and f.comparison is not None and f.comparison.layout_only:
        return f.listed
    return f.listed and _adds(f) and f.base_here and f.theirs != "?" and not f.blocks


def _is_drifted(f: Facts) -> bool:
    return f.listed and not f.clash and ((_adds(f) and bool(f.blocks)) or merge_of(f) == "clean")


# The sentences


def _label(theme: str | None, release: str | None) -> str:
    return f"{theme} {release}" if theme and release else theme or "the platform"


def _theirs(f: Facts) -> str:
    return _label(f.now_from, f.now)


def _taken(f: Facts) -> str:
    return _label(f.origin, f.taken)


def ranges(spans: tuple[tuple[int, int], ...], most: int = 3) -> str:
    """Line ranges in words.

    >>> ranges(((3, 3), (12, 14)))
    'lines 3, 12-14'
    """
    parts = [str(a) if a == b else f"{a}-{b}" for a, b in spans]
    more = f" and {len(parts) - most} more" if len(parts) > most else ""
    several = len(parts) > 1 or any("-" in p for p in parts)
    return f"line{'s' if several else ''} {', '.join(parts[:most])}{more}"


def _say_fatal(f: Facts, s: Steps) -> Said:
    return f"{f.fatal}: the platform does not load the theme; mend it there, or take it out", s.to_unit(Drop, f)


def _say_missing(f: Facts, s: Steps) -> Said:
    return f"the ledger says {quote_path(f.file)} was taken from {_taken(f)}, and the file is gone", s.to_unit(Drop, f)


def _say_idle(f: Facts, s: Steps) -> Said:
    if f.reach_next is Mend and f.file != f.unit.path:
        wins = f"; {_theirs(f)} is used instead" if f.now_from else ""
        return f"{quote_path(f.file)} is never used: {f.reach_because}{wins}", s.to_unit(Mend, f)
    return f"{quote_path(f.file)} is never used: {f.reach_because}", s.to_unit(f.reach_next or Drop, f)


def _say_moved(f: Facts, s: Steps) -> Said:
    best = f.moved[0]
    if len(f.moved) > 1:
        names = " or ".join(f"{quote_path(c.path)} ({c.alike:.0%})" for c in f.moved[:3])
        return f"{_taken(f)} had it here; now it could be {names}: too alike to tell", s.to_unit(Drop, f)
    merge = {"clean": "your changes merge there", "conflict": "your changes do not merge there"}.get(merge_of(f), "")
    where = f"{best.theme} now has it at {quote_path(best.path)} ({best.alike:.0%} alike)"
    named = f"; {f.referred} still names the old place" if f.referred else ""
    return f"{where}; {merge or 'the file here is no longer used'}{named}", s.update(best.theme)


def _say_stranded(f: Facts, s: Steps) -> Said:
    since = f"since {f.gone_since}" if f.gone_since else "now"
    return (
        f"{f.origin} has no {quote_path(f.unit.path)} {since}, and nothing in the lineage names it any more",
        s.to_unit(Drop, f),
    )


def _say_needless(f: Facts, s: Steps) -> Said:
    if not f.listed or f.base == f.theirs:
        because = f"copied from {_theirs(f)}, not yet edited"
    else:
        because = f"{_theirs(f)} now says the same as your copy, byte for byte"
    if f.needed:
        return f"as in {_theirs(f)}, and of use: {f.needed}", None
    return because, s.to_unit(Drop, f) if f.listed else Adopt(s.child)


def _say_unlisted(f: Facts, s: Steps) -> Said:
    if f.theirs is None:
        because = f"an earlier release of the lineage had {quote_path(f.file)}, the present one has not, and no record says what it was made from"
        return because, Adopt(s.child)
    what = {"extends": "extends", "set": "sets keys over"}.get(f.how, "differs from")
    return (
        f"{quote_path(f.file)} {what} the one of {_theirs(f)}, and no record says which release it was made from",
        Adopt(s.child),
    )


def _say_holds(f: Facts, s: Steps) -> Said:
    if f.theirs is None:
        return f"{f.origin} no longer has it, but {f.referred} still names it, and yours is used", None
    if f.theirs != f.base:
        return f"{_theirs(f)} changed the file, but nothing that yours sets", None
    unsure = f"; whether it is used can't be told: {f.reach_because}" if f.reach == "unknown" else ""
    nearer = f"; {f.pinned}, which is nearer, overrides it too" if f.pinned else ""
    return f"{_theirs(f)} has what it was taken from{unsure}{nearer}", None


def _say_drifted(f: Facts, s: Steps) -> Said:
    if _adds(f):
        word = "block" if f.how == "extends" else "key"
        names = ", ".join(f.blocks[:3]) + (f" and {len(f.blocks) - 3} more" if len(f.blocks) > 3 else "")
        because = (
            f"{_theirs(f)} changed {word}{'s' if len(f.blocks) > 1 else ''} {names}, which {quote_path(f.file)} sets"
        )
        return because, s.settle(f, "I have seen the change")
    c = f.comparison or Comparison("none")
    what = (
        "only white space, line ends or comments"
        if c.layout_only
        else (ranges(c.parent_lines) if c.parent_lines else "the file")
    )
    verb = "merges" if len(c.own_lines) == 1 and c.own_lines[0][0] == c.own_lines[0][1] else "merge"
    own = f"your {ranges(c.own_lines)} {verb} with it" if c.own_lines else "yours is as it was taken"
    return f"{_theirs(f)} changed {what} of {quote_path(f.unit.path)}; {own}", s.update(f.now_from)


def _say_conflicted(f: Facts, s: Steps) -> Said:
    c = f.comparison or Comparison("none")
    if not c.places:
        because = f"both {_theirs(f)} and you changed {quote_path(f.unit.path)}, and it can't be merged by lines"
    else:
        theirs = ranges(tuple(_span(p.theirs) for p in c.places))
        ours = ranges(tuple(_span(p.ours) for p in c.places))
        here = "" if f.file == f.unit.path else f" of {quote_path(f.file)}"
        because = f"{quote_path(f.unit.path)}: {theirs} of {_theirs(f)} and your {ours}{here} change the same place"
    if f.file in s.proposals:
        because += f"; the proposal in proposals/{s.child}/{quote_path(f.file)} waits for you"
    return because, s.update(f.now_from)


def _span(place: tuple[int, int]) -> tuple[int, int]:
    start, count = place
    return (max(start, 1), max(start + count - 1, start, 1))


def _say_unknown(f: Facts, s: Steps) -> Said:
    if f.cut and f.theirs == "?":
        return f"{f.cut}, so what the platform would use instead can't be told", Survey()
    if f.theirs == "?":
        because = f"{f.origin} comes with the platform and its text is not in this bench, so nothing can be compared"
        return f"{because}; a copy of it in themes/ would help", Survey()
    wanted = (
        f"{_taken(f)}, which it was taken from, is not in this store, so the change to {_theirs(f)} can't be merged"
    )
    parts = (f"{wanted}; keep that release (", Keep("PATH", f.taken or ""), "), or say that yours stands")
    return parts, s.settle(f, "compared by hand")


Say = Callable[[Facts, Steps], Said]
_LADDER: tuple[tuple[str, Callable[[Facts], bool], Say], ...] = (
    ("fatal", lambda f: bool(f.fatal), _say_fatal),
    ("missing", lambda f: f.listed and f.ours is None, _say_missing),
    ("idle", lambda f: f.ours is not None and f.theirs is not None and f.reach == "no", _say_idle),
    ("moved", _is_moved, _say_moved),
    ("stranded", _is_stranded, _say_stranded),
    ("needless", lambda f: f.ours == f.theirs and not f.clash, _say_needless),
    ("unlisted", _is_unlisted, _say_unlisted),
    ("holds", _holds, _say_holds),
    ("drifted", _is_drifted, _say_drifted),
    ("conflicted", lambda f: merge_of(f) == "conflict" or bool(f.clash), _say_conflicted),
    ("unknown", lambda f: True, _say_unknown),
)
