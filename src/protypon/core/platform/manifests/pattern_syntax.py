"""Manifests that nothing else can read: each field is a regular expression whose first group is the value."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.model.actions import Adopt
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.expressions import search


class SearchedText(dict[str, Any]):
    """A manifest that is looked into by regular expressions: every key is one."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.text = text

    def find(self, pattern: str) -> str | None:
        """What the first group of an expression matches in the text, or None."""
        found = search(pattern, self.text[: 1 << 16])
        if found is None or len(found.spans) < 2 or found.spans[1][0] < 0:
            return None
        start, end = found.spans[1]
        return self.text[start:end]


def read(text: str) -> dict[str, Any]:
    """The text, in which expressions are looked for."""
    return SearchedText(text)


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """Set fields where their expressions find them; what is not there can't be put in."""
    for keys, value in changes.items():
        found = search(".".join(keys), text)
        if found is None or len(found.spans) < 2 or found.spans[1][0] < 0:
            raise ProtyponError(
                f"this manifest has no place for {value!r}", ("write the manifest by hand, and then run: ", Adopt())
            )
        start, end = found.spans[1]
        text = text[:start] + str(value or "") + text[end:]
    return text
