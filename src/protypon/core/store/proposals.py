"""Proposals: merged texts that need a person. They lie under ``proposals/CHILD/``, never in a live theme.

Whatever a person has touched there is never written again: it is told by its digest, in one place, for every command.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.files.folder import Folder
from protypon.core.files.listing import read_entry
from protypon.core.model.actions import RepairStore
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import STATE_BYTES
from protypon.core.model.paths import FILE, RUNNABLE, RelPath, rel_path

if TYPE_CHECKING:
    from protypon.core.model.nouns import Unit

FORMAT = "protypon.proposals/1"
FOLDER = "proposals"
INDEX = ".protypon/proposals.json"
FRESH, OPEN, FINISHED, ODD = "not begun yet", "begun, and markers are left", "finished", "no plain file"


class Proposal(NamedTuple):
    """One proposal: the texts it was made from, and itself as it was written, by digest."""

    unit: str
    base: str
    ours: str
    theirs: str
    text: str
    """Empty for a binary file: both versions lie there, and no text of ours."""
    labels: tuple[str, ...] = ()
    """The words behind our markers."""
    parent: str = ""
    """The theme whose update it is for."""

    def digests_by_path(self, place: RelPath) -> dict[RelPath, str]:
        """What was written where, by digest."""
        if self.text:
            return {place: self.text}
        return {RelPath(place + ".yours"): self.ours, RelPath(place + ".parents"): self.theirs}


Index = dict[str, dict[str, Proposal]]


def read(folder: Folder) -> Index:
    """Every proposal that waits: child -> file -> proposal. Raises BadInput where the list is damaged."""
    try:
        data = json.loads(folder.read(INDEX, STATE_BYTES))
        return {
            child: {file: _proposal(child, file, row) for file, row in files.items()}
            for child, files in data["children"].items()
        }
    except FileNotFoundError:
        return {}
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, BadInput) as error:
        raise BadInput(
            f"{INDEX}: damaged: {' '.join(str(error).split())[:120]}; what lies in {FOLDER}/ is as it was",
            ("set it aside with: ", RepairStore()),
        ) from error


def _proposal(child: str, file: str, row: Mapping[str, Any]) -> Proposal:
    place(child, file)
    made = Proposal(**{**row, "labels": tuple(row["labels"])})
    if not all(isinstance(text, str) for text in (*made[:5], *made.labels, made.parent)):
        raise ValueError(f"the row of {file!r} is none")
    return made


def place(child: str, file: str) -> RelPath:
    """Where the proposal for a file of a child lies."""
    return rel_path(FOLDER, child, file)


def path_of(unit: Unit, file: str, inside: bool) -> str:
    """The name of the proposal for an override, below the folder of its child: a function, class or method has a file of its own."""
    name = unit.path if unit.name is None else f"{unit.path}/{unit.name}"
    return f"{unit.kind}/{name}{PurePosixPath(file).suffix}" if inside else file


class Waiting(NamedTuple):
    """How far a proposal is."""

    state: str
    to_finish: str = ""
    """The file that a person is to finish, by its path in the bench; empty where it is finished or gone, or both versions lie there."""


def standing(folder: Folder, child: str) -> dict[str, Waiting]:
    """Every proposal of a child that waits: file -> how far it is."""
    found: dict[str, Waiting] = {}
    for file, proposal in read(folder).get(child, {}).items():
        where = place(child, file)
        far = state(folder, where, proposal)
        unfinished = proposal.text and far in (FRESH, OPEN) and folder.is_file(where)
        found[file] = Waiting(far, where if unfinished else "")
    return found


def state(folder: Folder, where: RelPath, proposal: Proposal) -> str:
    """How far a proposal is: as it was written, being worked on, or finished."""
    if not proposal.text:
        return FRESH
    try:
        found = read_entry(folder, where)
        if found is None or found.digest == proposal.text:
            return FRESH
        if found.mode not in (FILE, RUNNABLE):
            return ODD
        return FINISHED if _has_no_marker(proposal, folder.read(where)) else OPEN
    except (OSError, BadInput):
        return ODD


def _has_no_marker(proposal: Proposal, text: bytes) -> bool:
    return not any(label.encode("utf-8", "backslashreplace") in text for label in proposal.labels)
