"""Manifests that nothing else can read: each field is a regular expression whose first group is the value."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from protypon.core.errors import ProtyponError


class Text(dict[str, Any]):
    """A manifest that is looked into by regular expressions: every key is one."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.text = text

    def find(self, pattern: str) -> str | None:
        found = re.search(pattern, self.text[: 1 << 16], re.MULTILINE)
        return found[1] if found and found.groups() else None


def read(text: str) -> dict[str, Any]:
    return Text(text)


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """Set fields where their expressions find them; what is not there can't be put in."""
    for keys, value in changes.items():
        found = re.search(".".join(keys), text, re.MULTILINE)
        if found is None or not found.groups():
            raise ProtyponError(
                f"this manifest has no place for {value!r}", "write the manifest by hand, and then run: protypon adopt"
            )
        text = text[: found.start(1)] + str(value or "") + text[found.end(1) :]
    return text
