"""The languages: a folder each, behind Protocols, and a line here."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from types import ModuleType
from typing import NamedTuple, Protocol, cast

from protypon.core.languages.code import Code
from protypon.core.languages.semantics import Semantics
from protypon.core.languages.source import SourceFacts
from protypon.core.model.limits import SOURCE_BYTES, TEMPLATE_BYTES
from protypon.core.model.nouns import Problem


class Coded(Protocol):
    """What a language whose files can *do* something offers besides."""

    VERSION: str
    SEMANTICS: Semantics

    @staticmethod
    def code(data: bytes) -> Code:
        """Say what a file says; of one that is broken, what could be read. Positions count in its own bytes."""

    @staticmethod
    def in_text(text: str, how: str) -> Code | None:
        """What code in a text says that a program runs by ``eval`` or ``exec``; None where it can't be read."""


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


class LanguageRow(NamedTuple):
    """One language: where its modules are (a dot before those of this package), and what is so of all its files."""

    source: str
    """What a file says: a :class:`Language`, or :class:`Coded`."""
    writer: str = ""
    """How its code is edited; empty: it is not."""
    codes: bool = False
    """Files can *do* something."""
    extends: bool = False
    """Files are templates that name, include and extend one another in words of the language, block by block."""
    markup: bool = False
    """Files are markup with statements in it, and can be merged by their elements."""
    must_parse: bool = True
    """A merge that does not parse, where both sides did, is none."""
    piece: str = ""
    """The language in which a piece of a file stands by itself, where that is another one."""
    most: int = SOURCE_BYTES
    """Bytes of a file that is read."""
    named: bool = True
    """A platform file can name it."""


LANGUAGES: dict[str, LanguageRow] = {
    "jinja": LanguageRow(".jinja.source", codes=True, extends=True, markup=True, most=TEMPLATE_BYTES),
    "css": LanguageRow(".css.source", must_parse=False),
    "javascript": LanguageRow(".javascript.source", must_parse=False),
    "python": LanguageRow(".python.source", ".python.writer", codes=True),
    "php": LanguageRow(".php.source", ".php.writer", codes=True, piece="php-piece"),
    "php-piece": LanguageRow(".php.piece", named=False),
    "json": LanguageRow(".data.json_source"),
    "toml": LanguageRow(".data.toml_source"),
    "yaml": LanguageRow(".data.yaml_source"),
    "ini": LanguageRow(".data.ini_source"),
    "po": LanguageRow(".data.po_source"),
    "plain": LanguageRow(".data.plain", must_parse=False),
}
"""A new language is a folder and a line here."""


def is_coded(name: str) -> bool:
    """Whether files of a language can do something."""
    return LANGUAGES[name].codes


def is_written(name: str) -> bool:
    """Whether code of a language is edited."""
    return bool(LANGUAGES[name].writer)


def piece_of(name: str) -> str:
    """The language of a piece by itself."""
    return LANGUAGES[name].piece or name


def named_languages() -> tuple[str, ...]:
    """The languages that a platform file can name."""
    return tuple(name for name, row in LANGUAGES.items() if row.named)


@cache
def module_of(place: str) -> ModuleType:
    """A module, imported when first asked for."""
    return import_module(place, __package__)


def coded_language(name: str) -> Coded:
    """Return the module of a language whose files can do something."""
    return cast(Coded, module_of(LANGUAGES[name].source))


def language(name: str) -> Language:
    """Return the module for a language."""
    return cast(Language, module_of(LANGUAGES[name].source))
