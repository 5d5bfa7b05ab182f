"""TOML manifests (https://toml.io/en/v1.0.0), read with tomllib, written with tomlkit."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from typing import Any

from protypon.core.manifests import ManifestError


def read(text: str) -> dict[str, Any]:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        message = str(error).split(" (at ")[0]
        if place:
            raise ManifestError(message, int(place[1]), int(place[2])) from error
        raise ManifestError(message, text.count("\n") + 1, 1) from error
    except RecursionError as error:
        raise ManifestError("nested too deeply") from error


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
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
