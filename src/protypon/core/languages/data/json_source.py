"""JSON files (RFC 8259): whether they parse, and whether only layout changed."""

from __future__ import annotations

from protypon.core.files.structured import NotRead, json_value
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "json/2"
ANY_ENCODING = False


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    try:
        json_value(text)
    except NotRead as error:
        return [Problem(file, error.message, error.line, error.column)]
    return []


def significant(text: str) -> str:
    """The values in their order; a key that stands twice stays twice."""
    try:
        return repr(json_value(text, tuple))
    except (NotRead, RecursionError):
        return text
