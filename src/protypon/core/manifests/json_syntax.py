"""JSON manifests (RFC 8259)."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

from protypon.core.manifests import ManifestError


def read(text: str) -> dict[str, Any]:
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise ManifestError(error.msg, error.lineno, error.colno) from error
    except RecursionError as error:
        raise ManifestError("nested too deeply") from error
    if not isinstance(data, dict):
        raise ManifestError("the top of the file is not an object", 1, 1)
    return data


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
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
