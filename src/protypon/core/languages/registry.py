"""The languages: one small module each, behind one Protocol. A new language is one new file and a line here."""

from __future__ import annotations

from importlib import import_module
from typing import Protocol, cast

from protypon.core.languages.code import Code
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem


class Coded(Protocol):
    """What a language whose files can *do* something offers besides."""

    VERSION: str
    HOISTS: bool
    FOLDS_CASE: bool

    @staticmethod
    def is_own(name: str) -> bool:
        """Say whether a function of that name may come with the language itself."""

    @staticmethod
    def code(data: bytes) -> Code:
        """Say what a file says; of one that is broken, what could be read. Positions count in its own bytes."""


class Language(Protocol):
    """What a language module offers."""

    VERSION: str
    """Changes whenever the facts of an unchanged file would."""

    ANY_ENCODING: bool
    """Whether a file need not be UTF-8."""

    @staticmethod
    def facts(text: str) -> SourceFacts:
        """Read what a file names and declares; never raises."""

    @staticmethod
    def problems(text: str, file: str) -> list[Problem]:
        """Say where a file does not parse."""

    @staticmethod
    def significant(text: str) -> str:
        """Return a form that two texts share when they differ in white space, line ends and comments only."""


MODULES = {
    "jinja": "jinja.source",
    "css": "css.source",
    "javascript": "javascript.source",
    "python": "python.source",
    "php": "php.source",
    "php-piece": "php.piece",
    "json": "data.json_source",
    "toml": "data.plain",
    "plain": "data.plain",
}


CODED = ("jinja", "python", "php")
"""Languages whose files can do something."""


def coded(name: str) -> Coded:
    """Return the module of one of ``CODED``."""
    return cast(Coded, import_module(f"{__package__}.{MODULES[name]}"))


def language(name: str) -> Language:
    """Return the module for a language, imported when first asked for."""
    return cast(Language, import_module(f"{__package__}.{MODULES[name]}"))
