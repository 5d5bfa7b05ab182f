"""What an override that is no text of its own claims of its parents, as a small text: kept in the store, and held against today's.

The form is TOML, one fact a line, so that two claims can be told apart fact by fact, by people and by programs.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import NotRead, toml_table

Claim = Mapping[str, Any]


def claim_text(claim: Claim) -> bytes:
    """A claim as text; facts that are None are left out."""
    return "".join(f"{key} = {_value(value)}\n" for key, value in claim.items() if value is not None).encode()


def _value(value: Any) -> str:
    if isinstance(value, str):
        return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(_value(item) for item in value) + "]"
    if isinstance(value, int | float):
        return repr(value)
    return _value(json.dumps(value, sort_keys=True, default=str))


def read(data: bytes | None) -> dict[str, Any]:
    """A claim's facts; empty where there is no text, or no claim."""
    try:
        return toml_table(data.decode("utf-8")) if data else {}
    except (UnicodeDecodeError, NotRead):
        return {}


def differences(before: Claim, after: Claim) -> list[str]:
    """The facts that changed, as words.

    >>> differences({"order": 20}, {"order": 30})
    ['order is 30, was 20']
    """
    found = []
    for key in [*before, *(k for k in after if k not in before)]:
        old, new = before.get(key), after.get(key)
        if old != new:
            found.append(f"{_NAMES.get(key, key)} is {_value_words(new)}, was {_value_words(old)}")
    return found


_NAMES = {
    "fired": "where it is fired",
    "gives": "the number of arguments",
    "when": "the moment",
    "set_in": "the file that sets it",
}


def _value_words(value: Any) -> str:
    if isinstance(value, list | tuple):
        return ", ".join(map(str, value)) or "nowhere"
    return "not said" if value is None else str(value)
