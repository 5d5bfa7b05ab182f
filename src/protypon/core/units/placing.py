"""What is asked of an override of a unit inside code, and what comes of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from protypon.core.model.actions import Action
from protypon.core.model.nouns import Record, Theme
from protypon.core.units.draft import Draft


@dataclass(frozen=True, slots=True)
class Asked:
    """What the options of ``protypon override`` say."""

    why: str = ""
    detach: bool = False
    order: int | None = None
    attach: str = ""
    remove: bool = False
    value: Any = None
    valued: bool = False
    kind: str = ""
    """The kind of page that a template is meant for."""
    around: bool = False
    """Of a block: print the lineage's text, and write around it."""
    declared: tuple[str, ...] = ()
    """Of a rule: what it says, each as ``PROPERTY=VALUE``."""

    @property
    def options(self) -> list[str]:
        """The options that were given, as they are typed."""
        given = {"--detach": self.detach, "--order": self.order is not None, "--attach": bool(self.attach)}
        given |= {"--remove": self.remove, "--value": self.valued, "--for": bool(self.kind), "--around": self.around}
        given |= {"--set": bool(self.declared)}
        return [name for name, there in given.items() if there]


NOTHING = Asked()


@dataclass(frozen=True, slots=True)
class Outcome:
    """What was written into a draft."""

    draft: Draft
    records: tuple[Record, ...]
    texts: tuple[tuple[Theme | None, bytes], ...]
    """What the records' digests stand for."""
    words: str
    file: str
    notes: tuple[tuple[str, Action | None], ...] = ()
    chain: tuple[str, ...] = ()
    """Other functions that had to be copied with it."""
    called: str = ""
