"""What becomes of a value that goes where a type is asked for (PHP manual, Type declarations, Coercive typing mode and Strict typing)."""

from __future__ import annotations

import math

from protypon.core.languages.php.operations import number, text
from protypon.core.languages.values import Failure, Unknown

_NAMES = {int: "int", float: "float", str: "string", bool: "bool", type(None): "null", list: "array", dict: "array"}
_SCALARS = ("int", "float", "string", "bool")
REFUSED = Failure("TypeError")


def fit_value(value: object, parts: list[str], strict: bool) -> object:
    """A text, number, truth value, array or nothing as one of some types, by their names in small letters; or an error.

    ``strict``: the code that gives it says ``declare(strict_types=1)``.
    """
    kind = _NAMES.get(type(value), "array" if isinstance(value, dict) else "string" if isinstance(value, str) else "")
    if kind in parts or "mixed" in parts or (kind == "bool" and ("true" if value else "false") in parts):
        return value
    if kind == "array" and "iterable" in parts:
        return value
    if kind == "null" and "void" in parts:
        return value
    if isinstance(value, int) and kind == "int" and "float" in parts:
        return float(value)
    scalars = [part for part in _SCALARS if part in parts]
    if kind in ("null", "array") or strict or not scalars:
        return REFUSED
    if len(scalars) > 1 or not set(parts) & set(scalars):
        return Unknown("which of several types it becomes")
    return _convert(value, scalars[0])


def _convert(value: object, wanted: str) -> object:
    if wanted == "string":
        return text(value)
    if wanted == "bool":
        return bool(value) and value != "0"
    found = number(value)
    if found is None:
        return (
            Unknown("a text that begins with a number") if isinstance(value, str) and value[:1].isdigit() else REFUSED
        )
    if wanted == "float":
        return float(found)
    if isinstance(found, int):
        return found
    whole = math.isfinite(found) and found.is_integer() and abs(found) < 1 << 53
    return int(found) if whole else Unknown("a number with a fraction becomes a whole one")
