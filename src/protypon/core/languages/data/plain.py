"""Text without a grammar: only its white space is layout."""

from __future__ import annotations

from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "plain/1"
ANY_ENCODING = False


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    return []


def significant(text: str) -> str:
    return " ".join(text.split())
