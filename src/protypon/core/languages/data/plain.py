"""Text without a grammar: only its white space is layout."""

from __future__ import annotations

from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "plain/1"
ANY_ENCODING = False


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    """Say where a file does not parse."""
    return []


def significant(text: str) -> str:
    """Return a form that two texts share when they differ in white space, line ends and comments only."""
    return " ".join(text.split())
