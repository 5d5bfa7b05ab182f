"""JSON manifests (RFC 8259)."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import NotRead, json_value


def read(text: str) -> dict[str, Any]:
    """Read a manifest into nested tables. Raises NotRead."""
    data = json_value(text)
    if not isinstance(data, dict):
        raise NotRead("the top of the file is not an object", 1, 1)
    return data


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """A manifest with some values changed; all else stays in its order."""
    data = read(text) if text.strip() else {}
    for keys, value in changes.items():
        table = data
        for key in keys[:-1]:
            table = table.setdefault(key, {})
        if value is None:
            table.pop(keys[-1], None)
        else:
            table[keys[-1]] = value
    indent = re.search(r"^[{\[]\r?\n([ \t]+)", text)
    return json.dumps(data, ensure_ascii=False, indent=indent[1] if indent else 2) + "\n"
