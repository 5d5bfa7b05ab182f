"""Jinja, as it is rendered: its values are those of Python (https://jinja.palletsprojects.com/en/stable/templates/#expressions)."""

from __future__ import annotations

from collections.abc import Mapping

from protypon.core.languages.code import Code
from protypon.core.languages.python import operations
from protypon.core.languages.python.natives import contract
from protypon.core.languages.python.operations import entries, item, literal_value, text, truth, with_item, without_item
from protypon.core.languages.python.semantics import constant, fit_value, takes_texts
from protypon.core.languages.semantics import Default, Native, OwnFunction, Pull
from protypon.core.languages.values import Markup, Unknown

HOISTS = False
LANGUAGE = "jinja"
FOLDS_CASE = False
COPIES = False
SIGN = ""
PULLS: Mapping[str, Pull] = {}
NATIVES: Mapping[str, Native] = {}
METHODS: Mapping[str, Native] = {}


def defaults_in(code: Code) -> tuple[Default, ...]:
    """None: what is not set yet is asked for in too many ways."""
    return ()


def operate(op: str, values: list[object]) -> object:
    """As in Python; a text with signs of HTML in it is printed as it is or not, as the platform says."""
    if op == "escape":
        shown = values[0] if isinstance(values[0], Markup) else text(values[0])
        if isinstance(shown, str) and not isinstance(shown, Markup) and any(sign in shown for sign in "&<>'\""):
            return Unknown("whether signs of HTML are escaped")
        return str(shown) if isinstance(shown, str) else shown
    return operations.operate(op, values)


def is_own(name: str) -> bool:
    """No name stands for a function of Jinja's own."""
    return False


def own(name: str) -> OwnFunction | None:
    """What a function of the language does to its arguments; None where none is called so."""
    return None


def bases(name: str) -> tuple[str, ...] | None:
    """All that a class of the language's own inherits; None where it has no class of that name."""
    return None


__all__ = [
    "constant", "contract", "entries", "fit_value", "item", "literal_value", "takes_texts", "text", "truth", "with_item", "without_item",
]  # fmt: skip
