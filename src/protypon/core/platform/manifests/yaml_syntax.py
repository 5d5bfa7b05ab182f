"""YAML manifests (YAML 1.2), read and written by ruamel.yaml so that comments and order stay."""

from __future__ import annotations

from collections.abc import Mapping
from io import StringIO
from typing import Any

from protypon.core.files.structured import NotRead, yaml_value


def read(text: str) -> dict[str, Any]:
    """Plain tables, lists and texts only."""
    data = yaml_value(text)
    if not isinstance(data, dict):
        raise NotRead("the top of the file is not a table", 1, 1)
    return data


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """A manifest with some values changed; comments, quotes and order stay."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError

    yaml = YAML()
    yaml.preserve_quotes = True
    yaml.width = 4096
    try:
        data = (yaml.load(text) if text.strip() else None) or yaml.map()
    except YAMLError as error:
        raise NotRead(" ".join(str(error).split())[:200]) from error
    for keys, value in changes.items():
        table = data
        for key in keys[:-1]:
            table = table.setdefault(key, yaml.map())
        if value is None:
            table.pop(keys[-1], None)
        else:
            table[keys[-1]] = list(value) if isinstance(value, tuple) else value
    out = StringIO()
    yaml.dump(data, out)
    return out.getvalue()
