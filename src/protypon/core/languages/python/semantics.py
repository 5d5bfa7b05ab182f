"""Python, as it is run: what its operations give, and what its own functions do."""

from __future__ import annotations

from collections.abc import Mapping

from protypon.core.languages.code import Code
from protypon.core.languages.python.natives import CONSTANTS, METHODS, NATIVES, bases, contract, is_own, own
from protypon.core.languages.python.operations import (
    entries,
    item,
    literal_value,
    operate,
    text,
    truth,
    with_item,
    without_item,
)
from protypon.core.languages.semantics import Default, Pull
from protypon.core.languages.values import ABSENT

HOISTS = False
LANGUAGE = "python"
FOLDS_CASE = False
COPIES = False
SIGN = ""
PULLS: Mapping[str, Pull] = {}


def defaults_in(code: Code) -> tuple[Default, ...]:
    """None: what is not set yet is asked for in too many ways."""
    return ()


def takes_texts(name: str) -> bool:
    """No function makes texts of what it is given on its own account."""
    return False


def constant(name: str) -> object:
    """Numbers and texts of its own modules."""
    return CONSTANTS.get(name, ABSENT)


def fit_value(value: object, parts: list[str], strict: bool) -> object:
    """Types are not looked at."""
    return value


__all__ = [
    "COPIES", "FOLDS_CASE", "HOISTS", "LANGUAGE", "METHODS", "NATIVES", "PULLS", "SIGN", "bases", "constant", "contract", "entries",
    "fit_value", "is_own", "item", "literal_value", "operate", "own", "takes_texts", "text", "truth", "with_item", "without_item",
]  # fmt: skip
