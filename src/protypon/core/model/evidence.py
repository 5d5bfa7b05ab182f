"""Evidence: one override and what has become of it, typed. All that the judge sees, and the headline that it gives."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import Enum

from protypon.core.model.actions import Action, Drop, Mend, Settle, Update, Words
from protypon.core.model.nouns import Unit, Written


@dataclass(frozen=True, slots=True)
class Place:
    """Where two sides meet: line ranges (first, count), 1-based, in the child's and the ancestor's text."""

    ours: tuple[int, int]
    theirs: tuple[int, int]


@dataclass(frozen=True, slots=True)
class Comparison:
    """What B, O and T say of each other."""

    merge: str
    """``clean``, ``conflict``, ``rewrite`` (the child's is a text of its own, into which nothing is merged) or ``none``."""
    layout_only: bool = False
    parent_lines: tuple[tuple[int, int], ...] = ()
    """Ranges of T that differ from B."""
    own_lines: tuple[tuple[int, int], ...] = ()
    """Ranges of O that differ from B."""
    places: tuple[Place, ...] = ()
    by: str = ""
    """What it merges by where lines alone would not do: ``units``, ``elements``, ``keys``, ``rules`` or ``layout``."""
    alike: float = 1.0
    """Of a rewrite: how much of B is left in O."""


NOT_COMPARED = Comparison("none")


@dataclass(frozen=True, slots=True)
class Candidate:
    """Another name under which a text that is gone may live on."""

    theme: str
    path: str
    alike: float


@dataclass(frozen=True, slots=True)
class Part:
    """A unit inside files: O and T as texts of their own, in the parent's words, and where they begin."""

    ours: bytes
    theirs: bytes
    language: str
    """Of a piece by itself."""
    own_line: int = 1
    parent_line: int = 1
    parent_file: str = ""
    """The parent's file; empty where it has the unit's own path."""
    base: bytes | None = None
    """B, where it is a part of a text that is kept, and not kept by itself."""


class LinesOf(Enum):
    """A place in a sentence for lines of a :class:`Part`, which are known once B, O and T have been compared."""

    PARENT = "what the parent changed"
    OWN = "what the child changed, and whether it merges"
    THEIRS = "the parent's side of the places that meet"
    OURS = "the child's side of the places that meet"


Sentence = str | tuple[str | Action | LinesOf, ...]


@dataclass(frozen=True, slots=True)
class Told:
    """What a kind has to say itself of a verdict, and what to do: to the unit in question, an action of its own, or nothing."""

    because: Sentence
    step: type[Update | Mend | Drop | Settle] | Action | None = None


@dataclass(frozen=True, slots=True)
class Subject:
    """What an override is and where it stands, whatever has become of it."""

    unit: Unit
    listed: bool
    how: str
    file: str
    """Where O is or should be, relative to the child."""
    line: int | None = None
    base: str | None = None
    """Digest of B; None without a record."""
    base_here: bool = True
    """The bytes of B are in the store."""
    origin: str | None = None
    """The ancestor it was taken from."""
    taken: str | None = None
    """The release it was taken from."""
    now_from: str | None = None
    """The ancestor that supplies T."""
    now_at: str = ""
    """Where T lies in that one."""
    now: str | None = None
    """The release of that one."""
    sure: str = ""
    written: Written = field(default_factory=Written)
    """For a unit inside code that has no record: what one would say."""
    inside: bool = False
    """It is a copy of a part of a file, with a proposal of its own."""
    told: Mapping[str, Told] = field(default_factory=dict)
    """Sentences of the kind's own, by verdict."""


@dataclass(frozen=True, slots=True)
class Own:
    """What stands in the child."""

    text: str | None
    """Digest of O; None for what does something and is no text of its own."""
    reach: str = "yes"
    """Whether the platform comes to use it: ``yes``, ``no`` or ``unknown``."""
    why: str = ""
    """Why it is not used, or not known to be."""
    adds: tuple[str, ...] | None = None
    """Of what only adds to a text further up, and is never merged as a copy: the blocks or keys that it sets and that changed there."""
    part: Part | None = None
    comparison: Comparison = NOT_COMPARED


# What stands further up


@dataclass(frozen=True, slots=True)
class Went:
    """Lines of B (from and to) that stand in another file of the parent's now."""

    path: str
    lines: tuple[int, int]


@dataclass(frozen=True, slots=True)
class Supplied:
    """T: what the platform would use without the subject."""

    digest: str
    text: bytes = b""
    """For a unit inside code: what ``digest`` is of."""
    left: float = 1.0
    """How much of B is left in T, where that is little."""
    went: tuple[Went, ...] = ()
    """Where the rest of B went, as far as new files have it."""
    of_platform: bool = False
    """It comes with the platform: there is no release that an override could be said to be taken from."""


@dataclass(frozen=True, slots=True)
class Lost:
    """Nothing stands further up any more."""

    moved: tuple[Candidate, ...] = ()
    since: str | None = None
    referred: str = ""
    """Who still refers to the name."""
    went: tuple[Went, ...] = ()
    """Where lines of it went, where it was split or joined with others."""
    referring: str = ""
    """The absolute path of what refers to it, where that is a file of the maintainer's own."""


@dataclass(frozen=True, slots=True)
class Unseen:
    """What stands further up can't be told."""

    why: str = ""
    """Why; empty where the platform has a text of its own that is not in this bench."""


Source = Supplied | Lost | Unseen


# The evidence


@dataclass(frozen=True, slots=True)
class Present:
    """It is here, and so is what it stands in the place of."""

    subject: Subject
    own: Own
    source: Supplied
    same: bool = False
    """It says or does just what stands further up."""
    clash: str = ""
    """What breaks with it as it stands, though its text may merge."""
    needed: str = ""
    """Why one that says the same has to stay: then it holds."""
    nearer: str = ""
    """Of an override with ``--from``: the nearer ancestor that overrides the unit too."""
    newcomer: bool = False
    """Of one without a record: what stands further up came with the present release, and no earlier one had it."""

    @property
    def changed(self) -> bool:
        """Whether T is not B."""
        return self.subject.base is not None and self.source.digest != self.subject.base

    @property
    def unedited(self) -> bool:
        """Whether it is as it was taken, and that still stands further up."""
        return self.same and self.own.text is not None and self.subject.base == self.source.digest


@dataclass(frozen=True, slots=True)
class Gone:
    """It is here, and what it was taken from is not further up any more."""

    subject: Subject
    own: Own
    source: Lost


@dataclass(frozen=True, slots=True)
class Unknowable:
    """It is here, and what stands further up can't be told."""

    subject: Subject
    own: Own
    source: Unseen


@dataclass(frozen=True, slots=True)
class Unreached:
    """It is here, and the platform never comes to use it."""

    subject: Subject
    own: Own
    source: Source
    step: type[Mend | Drop] = Drop
    moved: tuple[Candidate, ...] = ()
    """Under which name it would be used."""


@dataclass(frozen=True, slots=True)
class Stops:
    """It is here, and stops the site."""

    subject: Subject
    own: Own
    source: Source
    why: str


@dataclass(frozen=True, slots=True)
class Missing:
    """It is recorded, and not here."""

    subject: Subject
    source: Source


Evidence = Present | Gone | Unknowable | Unreached | Stops | Missing


def own_of(evidence: Evidence) -> Own | None:
    """What stands in the child, if anything."""
    return None if isinstance(evidence, Missing) else evidence.own


def reach_of(evidence: Evidence) -> str:
    """``yes``, ``no`` or ``unknown``."""
    own = own_of(evidence)
    return own.reach if own is not None else "no"


def comparison_of(evidence: Evidence) -> Comparison:
    """What B, O and T say of each other; NOT_COMPARED of what is not here."""
    own = own_of(evidence)
    return own.comparison if own is not None else NOT_COMPARED


def with_comparison(evidence: Evidence, comparison: Comparison) -> Evidence:
    """The same evidence, with what B, O and T say of each other."""
    if isinstance(evidence, Missing):
        return evidence
    return replace(evidence, own=replace(evidence.own, comparison=comparison))


def moved_to(evidence: Evidence) -> tuple[Candidate, ...]:
    """The names under which what it was taken from may live on."""
    if isinstance(evidence, Unreached):
        return evidence.moved
    return evidence.source.moved if isinstance(evidence.source, Lost) else ()


def text_of(evidence: Evidence) -> bytes:
    """For a unit inside code: T, or today's claim; empty where there is none."""
    return evidence.source.text if isinstance(evidence.source, Supplied) else b""


@dataclass(frozen=True, slots=True)
class Verdict:
    """The headline of one subject, with its reason and the next step."""

    evidence: Evidence
    verdict: str
    weight: str
    because: Words
    next: Action | None = None
    look: Action | None = None
    """Where a person has to look at both sides: how."""

    @property
    def subject(self) -> Subject:
        """What it is about."""
        return self.evidence.subject

    @property
    def unit(self) -> Unit:
        """The unit that is overridden."""
        return self.evidence.subject.unit
