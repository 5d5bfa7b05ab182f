"""What a check says of anything that is not one override: what files show, and each kind of unit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.check.file_findings import broken_addresses, of_files
from protypon.core.model.actions import Adopt, Mend
from protypon.core.model.evidence import Verdict
from protypon.core.model.nouns import Finding, Release
from protypon.core.units.next_steps import NextSteps
from protypon.core.units.registry import finders
from protypon.core.units.world import World


def findings(world: World, packed: tuple[Release, ...], verdicts: list[Verdict], steps: NextSteps) -> Iterator[Finding]:
    """Every finding for one child, but those of how themes stand in the bench."""
    yield from of_files(world, packed, verdicts)
    stopped = {v.unit.address.lower() for v in verdicts if v.verdict == "fatal"}
    for finding in of_code(world):
        if finding.code == "declared-twice" and finding.about and finding.about.address.lower() in stopped:
            continue
        yield _before_the_update(finding, steps) if steps.against else finding


def _before_the_update(finding: Finding, steps: NextSteps) -> Finding:
    """What can only be mended once the release is here: the update does it, for what has a record."""
    if not isinstance(finding.next, Mend):
        return finding
    known = finding.code == "lighter-way"
    return replace(finding, next=steps.update(steps.against_theme) if known else Adopt(steps.child))


def of_code(world: World) -> Iterator[Finding]:
    """What the code and templates of a lineage would do wrong; nothing where the platform file says nothing of code, or a file that loads is broken."""
    if world.behaviour.speaks and not world.lineage.cut and world.behaviour.broken is None:
        for kind in finders():
            yield from kind.find(world)


__all__ = ["broken_addresses", "findings", "of_code"]
