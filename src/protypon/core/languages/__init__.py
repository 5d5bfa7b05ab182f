"""Source text -> syntax facts: one small module a language, behind one Protocol. A new language is one new file and a line here."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from importlib import import_module
from typing import Protocol, cast

from protypon.core.languages.code import Code
from protypon.core.model import Problem


@dataclass(frozen=True, slots=True)
class Reference:
    """One place where a file names other files."""

    how: str
    """``extends``, ``include``, ``import`` or ``url``."""
    names: tuple[str, ...]
    """The literal names, of which the first that is there is used; none: the name is made at run time."""
    line: int
    column: int
    optional: bool = False
    """Nothing breaks where none of the names is there."""
    block: int = -1
    """Number of the block that it stands in, in the same file; -1: in none."""


@dataclass(frozen=True, slots=True)
class Block:
    """A named part of a template that a child can replace alone."""

    name: str
    line: int
    last: int
    body: str
    """The text between its tags, without layout and comments."""
    within: int = -1
    """Number of the block around it; -1: none."""
    calls: tuple[str, ...] = ()
    """Blocks it calls by name; an empty name: the same block further up."""


@dataclass(frozen=True, slots=True)
class SourceFacts:
    references: tuple[Reference, ...] = ()
    blocks: tuple[Block, ...] = ()
    mentions: tuple[str, ...] = ()
    """Names of sheets and scripts that stand anywhere in the text."""
    calls: tuple[str, ...] = ()
    """Names of what a template calls."""
    bound: tuple[str, ...] = ()
    """Names that a template may give a value: set, counted through, imported."""


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
    "jinja": "jinja",
    "css": "css",
    "javascript": "javascript",
    "python": "python",
    "php": "php",
    "php-piece": "php_piece",
    "json": "json_text",
    "toml": "plain",
    "plain": "plain",
}


CODED = ("jinja", "python", "php")
"""Languages whose files can do something."""


def coded(name: str) -> Coded:
    """Return the module of one of ``CODED``."""
    return cast(Coded, import_module(f"{__name__}.{MODULES[name]}"))


def language(name: str) -> Language:
    """Return the module for a language, imported when first asked for."""
    return cast(Language, import_module(f"{__name__}.{MODULES[name]}"))


class Lines:
    """Offsets -> lines and columns, both from 1."""

    def __init__(self, text: str) -> None:
        self.starts = [0]
        position = text.find("\n")
        while position >= 0:
            self.starts.append(position + 1)
            position = text.find("\n", position + 1)

    def at(self, offset: int) -> tuple[int, int]:
        line = bisect_right(self.starts, offset)
        return line, offset - self.starts[line - 1] + 1
