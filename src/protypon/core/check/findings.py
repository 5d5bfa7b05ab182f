"""What a check says of anything that is not one override: what files show, and each kind of unit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.check.file_findings import of_files
from protypon.core.model.actions import Adopt, Explain, Mend
from protypon.core.model.evidence import Verdict
from protypon.core.model.nouns import Finding, Release
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.registry import finders
from protypon.core.units.world import World


def findings(
    world: World, packed: tuple[Release, ...], verdicts: list[Verdict], steps: NextSteps, before: World
) -> Iterator[Finding]:
    """Every finding for one child, but those of how themes stand in the bench. ``before`` is the child without what lies elsewhere."""
    yield from of_files(world, packed, verdicts)
    stopped = {v.unit.address.lower() for v in verdicts if v.verdict == "fatal"}
    found = list(of_units(world))
    waits = steps.against is not None and any(isinstance(finding.next, Mend) for finding in found)
    now = {(f.code, f.file, f.line) for f in of_units(before)} if waits else set()
    for finding in found:
        if finding.code == "declared-twice" and finding.about and finding.about.address.lower() in stopped:
            continue
        there = (finding.code, finding.file, finding.line) in now
        yield _before_the_update(finding, steps) if steps.against and not there else finding


LOOKED_AT = ("outranked", "rule-stranded", "not-in-editor", "sheet-instead")
"""What a release does to something of the child's own: it can be mended once that is here, and looked at before."""


def _before_the_update(finding: Finding, steps: NextSteps) -> Finding:
    """What comes with a release can only be mended once that is here: the update does it, for what has a record."""
    if not isinstance(finding.next, Mend):
        return finding
    if finding.code in LOOKED_AT:
        return replace(finding, next=Explain(finding.next.what, finding.next.child))
    known = finding.code == "lighter-way"
    return replace(finding, next=steps.update(steps.against_theme) if known else Adopt(steps.child))


def of_units(world: World) -> Iterator[Finding]:
    """What each kind of unit has to say; of those that hang on code nothing where the platform file says nothing of it, or a file that loads is broken."""
    if not world.lineage.cut:
        runs = world.behaviour.speaks and world.behaviour.broken is None
        for kind in finders(followed=runs):
            yield from kind.find(world)
