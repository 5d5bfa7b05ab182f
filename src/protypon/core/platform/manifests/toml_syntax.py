"""TOML manifests (https://toml.io/en/v1.0.0), read with tomllib, written with tomlkit."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import toml_table as read

__all__ = ["read", "write"]


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """A manifest with some values changed; comments and order stay."""
    import tomlkit

    document: Any = tomlkit.parse(text)
    for keys, value in changes.items():
        table = document
        for key in keys[:-1]:
            if key not in table:
                table[key] = tomlkit.table()
            table = table[key]
        if value is None:
            table.pop(keys[-1], None)
        else:
            table[keys[-1]] = value
    return tomlkit.dumps(document)
