"""How the next step for an override of one child is said: as an action with everything in it that must be typed."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field

from protypon.core.model.actions import Action, Check, Compare, Drop, Explain, Mend, OpenInEditor, Settle, Update
from protypon.core.model.evidence import Evidence, moved_to
from protypon.core.model.nouns import Unit
from protypon.core.units.world import World


def by_hand(world: World, slug: str, path: str) -> Action:
    """What to do about a file that only a person can mend: of a theme of one's own, edit it; at a parent's one can only look."""
    own = own_file(world, slug, path)
    if own:
        return OpenInEditor(own)
    rule = world.platform.rule_of(path)
    return Explain(Unit(rule.kind, path).address, world.child.slug) if rule is not None else Check(world.child.slug)


def own_file(world: World, slug: str, path: str) -> str:
    """The absolute path of a file of a theme of the lineage, where it is the maintainer's own; else empty."""
    theme = world.child if slug == world.child.slug else world.ancestor(slug)
    return os.path.join(theme.folder, path) if theme is not None and (theme is world.child or theme.maintained) else ""


@dataclass(frozen=True, slots=True)
class NextSteps:
    """For which child, and whether ``--child`` must be said."""

    child: str
    only_child: bool = True
    against: str | None = None
    """The path of ``--against``."""
    against_theme: str | None = None
    proposals: Mapping[str, str] = field(default_factory=dict)
    """Files of this child for which a proposal waits, and the absolute path of what is to be finished; empty: nothing is."""

    @property
    def named_child(self) -> str:
        """The child, where it must be named."""
        return "" if self.only_child else self.child

    def to_unit(self, step: type[Mend | Drop], evidence: Evidence) -> Action:
        """A step to the override in question."""
        return step(evidence.subject.unit.address, self.named_child)

    def settle(self, evidence: Evidence, why: str) -> Action:
        """Keep the child's text, and say why."""
        return Settle(evidence.subject.unit.address, self.named_child, why)

    def compare(self, evidence: Evidence) -> Action:
        """Look at both sides of it."""
        return Compare(evidence.subject.unit.address, self.named_child, self.against or "")

    def update(self, theme: str | None) -> Action:
        """Carry over to the release that is looked at, or to the one that is here."""
        if self.against:
            return Update(self.against_theme or "", self.against)
        return Update(theme or "")

    def finish(self, name: str, otherwise: Action) -> Action:
        """Finish the proposal of a name, where a person has to before anything can be carried over; else another step."""
        unfinished = "" if self.against else self.proposals.get(name, "")
        return OpenInEditor(unfinished) if unfinished else otherwise

    def of(self, step: type[Update | Mend | Drop | Settle] | Action | None, evidence: Evidence) -> Action | None:
        """A step of a kind, to the unit in question."""
        if not isinstance(step, type):
            return step
        if issubclass(step, Update):
            moved = moved_to(evidence)
            return self.update(evidence.subject.now_from or (moved[0].theme if moved else evidence.subject.origin))
        if self.against and issubclass(step, Mend | Settle):
            return self.update(self.against_theme)
        return (
            self.settle(evidence, "I have seen the change")
            if issubclass(step, Settle)
            else self.to_unit(step, evidence)
        )
