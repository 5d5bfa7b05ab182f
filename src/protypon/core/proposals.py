"""Proposals: merged texts that need a person. They lie under ``proposals/CHILD/``, never in a live theme."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path, PurePosixPath
from typing import Any, NamedTuple

from protypon.core.errors import BadInput
from protypon.core.model import Unit

FORMAT = "protypon.proposals/1"
INDEX = ".protypon/proposals.json"


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


Index = dict[str, dict[str, Proposal]]


def read(root: Path) -> Index:
    """Every proposal that waits: child -> file -> proposal. Raises BadInput where the list is damaged."""
    try:
        data = json.loads((root / INDEX).read_bytes())
        return {
            child: {file: _proposal(row) for file, row in files.items()} for child, files in data["children"].items()
        }
    except FileNotFoundError:
        return {}
    except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise BadInput(f"{INDEX}: damaged: {error}", "take the last change back with: protypon undo") from error


def _proposal(row: Mapping[str, Any]) -> Proposal:
    return Proposal(**{**row, "labels": tuple(row["labels"])})


def written(index: Index) -> bytes:
    """The list as bytes."""
    children = {child: {file: p._asdict() for file, p in files.items()} for child, files in index.items() if files}
    return (json.dumps({"format": FORMAT, "children": children}, indent=1) + "\n").encode()


def waiting(root: Path, child: str) -> list[str]:
    """The files of a child for which a proposal waits."""
    return sorted(read(root).get(child, {}))


def path_of(unit: Unit, file: str) -> str:
    """Where the proposal for an override lies, below the folder of its child: a function has a file of its own."""
    return f"{unit.kind}/{unit.path}{PurePosixPath(file).suffix}" if unit.kind == "function" else file


def finished(proposal: Proposal, text: bytes, digest: str) -> bool:
    """A person has worked on it: its text has changed and our labelled markers are gone."""
    if not proposal.text or digest == proposal.text:
        return False
    return not any(label.encode() in text for label in proposal.labels)
