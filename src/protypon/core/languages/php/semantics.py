"""PHP, as it is run: what its operations give, and what its own functions do."""

from __future__ import annotations

from protypon.core.languages.php.classes import bases, contract
from protypon.core.languages.php.conversion import fit_value
from protypon.core.languages.php.defaults import defaults_in
from protypon.core.languages.php.natives import METHODS, NATIVES, constant, is_own, own, takes_texts
from protypon.core.languages.php.operations import (
    entries,
    item,
    literal_value,
    operate,
    text,
    truth,
    with_item,
    without_item,
)
from protypon.core.languages.semantics import Pull

HOISTS = True
"""Functions at the top of a file are there before its first statement runs (Language Reference, Functions)."""
LANGUAGE = "php"
FOLDS_CASE = True
COPIES = True
SIGN = "$"
PULLS = {
    "include": Pull(False, False), "require": Pull(False, True), "include_once": Pull(True, False), "require_once": Pull(True, True),
}  # fmt: skip
"""Language Reference, Control Structures."""

__all__ = [
    "COPIES", "FOLDS_CASE", "HOISTS", "LANGUAGE", "METHODS", "NATIVES", "PULLS", "SIGN", "bases", "constant", "contract", "defaults_in",
    "entries", "fit_value", "is_own", "item", "literal_value", "operate", "own", "takes_texts", "text", "truth", "with_item",
    "without_item",
]  # fmt: skip
