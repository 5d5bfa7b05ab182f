"""JSON files (RFC 8259): whether they parse, and whether only layout changed."""

from __future__ import annotations

import json

from protypon.core.languages import SourceFacts
from protypon.core.model import Problem

VERSION = "json/1"
ANY_ENCODING = False


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        return [Problem(file, error.msg, error.lineno, error.colno)]
    except RecursionError:
        return [Problem(file, "nested too deeply")]
    return []


def significant(text: str) -> str:
    """The values in their order; a key that stands twice stays twice."""
    try:
        return repr(json.loads(text, object_pairs_hook=tuple))
    except (ValueError, RecursionError):
        return text
