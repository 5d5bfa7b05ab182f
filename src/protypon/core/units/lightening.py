"""A changed file of a parent as lighter overrides: each kind of unit takes off what it can say, until nothing is left."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.platform.platform import FileRule
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Outcome
from protypon.core.units.world import World


@dataclass(frozen=True)
class Lightening:
    """One file on its way."""

    draft: Draft
    """The child with what was written so far, and without a copy of the file; its parents are as they were released."""
    path: str
    rule: FileRule
    reference: World
    """The child as it is to be: with the change where it stands now."""
    theme: Theme
    """The parent whose file it is."""
    theirs: bytes
    """As the parent has it."""
    ours: bytes
    """As it is wanted, without what was taken off already."""
    records: tuple[Record, ...] = ()
    texts: tuple[tuple[Theme | None, bytes], ...] = ()
    """What the records' digests stand for."""
    done: tuple[tuple[Unit | None, str], ...] = ()
    """What was written: the unit, or None for what is the child's own; and words."""

    @property
    def is_done(self) -> bool:
        """Whether nothing is left that would have to be said."""
        return self.ours == self.theirs

    def took(self, outcome: Outcome, ours: bytes, words: str) -> Lightening:
        """The same with one more override, and what is left."""
        return replace(
            self,
            draft=outcome.draft,
            ours=ours,
            records=(*self.records, *outcome.records),
            texts=(*self.texts, *outcome.texts),
            done=(*self.done, (outcome.records[0].unit, words)),
        )

    def with_added(self, draft: Draft, ours: bytes, words: str) -> Lightening:
        """The same with something of the child's own."""
        return replace(self, draft=draft, ours=ours, done=(*self.done, (None, words)))


Peel = Callable[[Lightening], Lightening]


def peel_all(begun: Lightening, peels: Iterable[Peel]) -> Lightening:
    """What is left after each kind has taken off what it can; a kind that can't leaves all as it was."""
    state = begun
    for peel in peels:
        if state.is_done:
            break
        try:
            state = peel(state)
        except (ProtyponError, LookupError):
            continue
    return state
