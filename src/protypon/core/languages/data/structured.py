"""Languages whose files are keys and values: whether one parses, whether only layout changed, and what stands under each key."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem


@dataclass(frozen=True)
class Structured:
    """What such a language offers, from how its texts are read."""

    read: Callable[[str], Any]
    """The value of a text; raises NotRead."""
    ordered: Callable[[str], Any] | None = None
    """The same, so that also a key that stands twice can be told."""

    def facts(self, text: str) -> SourceFacts:
        return SourceFacts()

    def problems(self, text: str, file: str) -> list[Problem]:
        try:
            self.read(text)
        except NotRead as error:
            return [] if error.refused else [Problem(file, error.message, error.line, error.column)]
        return []

    def significant(self, text: str) -> str:
        """The values in their order; comments and layout aside."""
        try:
            return repr((self.ordered or self.read)(text))
        except (NotRead, RecursionError):
            return text

    def parts(self, text: str) -> dict[str, str] | None:
        """The leaves, each under its keys with dots between them; None for a text that is not read."""
        try:
            return dict(_leaves(self.read(text), ""))
        except (NotRead, RecursionError):
            return None


def _leaves(value: Any, prefix: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, dict) and (value or not prefix):
        for key, item in value.items():
            name = json.dumps(key) if not isinstance(key, str) or "." in key else key
            yield from _leaves(item, f"{prefix}.{name}" if prefix else name)
    else:
        yield prefix, json.dumps(value, sort_keys=True, default=str)
