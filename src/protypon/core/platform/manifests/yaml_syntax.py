"""YAML manifests (YAML 1.2), read and written by ruamel.yaml so that comments and order stay."""

from __future__ import annotations

from collections.abc import Mapping
from io import StringIO
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.model.limits import YAML_EVENTS

DEEPEST = 50


def read(text: str) -> dict[str, Any]:
    """Plain tables, lists and texts only: anchors that repeat, and deep nesting, are refused."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    _shallow(text)
    try:
        data = YAML(typ="safe", pure=True).load(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise NotRead(
            error.problem or "does not parse", mark.line + 1 if mark else None, mark.column + 1 if mark else None
        ) from error
    except (YAMLError, RecursionError, ValueError, TypeError) as error:
        raise NotRead(str(error).split("\n")[0] or "does not parse") from error
    if not isinstance(data, dict):
        raise NotRead("the top of the file is not a table", 1, 1)
    return data


def _shallow(text: str) -> None:
    """Refuse what makes a reader run for ever: aliases (which can multiply) and deep nesting."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError
    from ruamel.yaml.events import AliasEvent, MappingEndEvent, MappingStartEvent, SequenceEndEvent, SequenceStartEvent

    depth = 0
    try:
        for number, event in enumerate(YAML(typ="safe", pure=True).parse(text)):
            if number > YAML_EVENTS:
                raise NotRead(f"has more than {YAML_EVENTS:,} keys and values", event.start_mark.line + 1)
            if isinstance(event, AliasEvent):
                raise NotRead("an alias (*) is not read", event.start_mark.line + 1, event.start_mark.column + 1)
            depth += isinstance(event, MappingStartEvent | SequenceStartEvent)
            depth -= isinstance(event, MappingEndEvent | SequenceEndEvent)
            if depth > DEEPEST:
                raise NotRead("nested too deeply", event.start_mark.line + 1, event.start_mark.column + 1)
    except (YAMLError, RecursionError, ValueError):
        return


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
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
