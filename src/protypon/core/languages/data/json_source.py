"""JSON files (RFC 8259): whether they parse, and whether only layout changed."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

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


def parts(text: str) -> dict[str, str]:
    """The leaves, each under its keys with dots between them."""
    try:
        return dict(_leaves(json_value(text), ""))
    except (NotRead, RecursionError):
        return {}


def _leaves(value: Any, prefix: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, dict):
        for key, item in value.items():
            yield from _leaves(item, f"{prefix}.{key}" if prefix else key)
    else:
        yield prefix, json.dumps(value, sort_keys=True)
