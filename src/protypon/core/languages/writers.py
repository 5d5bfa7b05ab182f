"""The languages whose code is edited: one small module each, behind one Protocol."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol, cast

from protypon.core.languages.registry import LANGUAGES, module_of
from protypon.core.languages.spans import CallSpan, DeclarationSpan, Piece


class Writer(Protocol):
    """What a language offers whose files are edited. Every offset counts bytes of the text that was handed in."""

    BLANKS: int
    """Empty lines between two declarations."""
    HEAD: bytes
    """The word that a function begins with; marks stand before it."""
    SKELETON: str
    """What a new file begins with."""

    @staticmethod
    def split(data: bytes) -> list[Piece] | None:
        """The units of a file, in order; None for one that is no plain code from end to end."""

    @staticmethod
    def calls(data: bytes) -> list[CallSpan]:
        """Every call, and every mark, in a file."""

    @staticmethod
    def declarations(data: bytes) -> list[DeclarationSpan]:
        """Every named function, and every class that all files know, with its methods behind it."""

    @staticmethod
    def class_names(data: bytes) -> list[tuple[str, int, int]]:
        """Every place that names a class which all files know: the name, and where it stands."""

    @staticmethod
    def protected_spans(data: bytes) -> list[tuple[int, int]]:
        """Texts whose lines must not be moved to the right or left."""

    @staticmethod
    def end_of_code(data: bytes) -> int:
        """Where a further statement can be put."""

    @staticmethod
    def quotes(data: bytes) -> tuple[int, int]:
        """How many texts stand in single and in double quotes."""

    @staticmethod
    def whole(piece: bytes) -> bytes:
        """A piece as a file of its own."""

    @staticmethod
    def preamble(data: bytes) -> bytes:
        """What a file says at its top of the names in it: a piece of it can't be read without."""

    @staticmethod
    def globals_of(data: bytes) -> dict[str, str]:
        """The names that a file gives a meaning to, and no other file sees: with the line that does it, for an import."""

    @staticmethod
    def uses(piece: bytes) -> set[str]:
        """The names that a piece takes from around it."""

    JOIN: str
    """What puts two texts together."""

    @staticmethod
    def literal(value: Any, quote: str) -> str:
        """A value as it is written in code. Raises ValueError for one that has no plain form."""

    @staticmethod
    def array(pairs: Sequence[tuple[str | None, str]]) -> str:
        """A list or table, its keys and items as they are written; None for an item without a key."""

    @staticmethod
    def default(name: str, value: str, quote: str) -> str:
        """An expression that sets a constant or global variable unless it is set; empty where the language has none."""

    @staticmethod
    def named_argument(keyword: str, value: str) -> str:
        """An argument given by name."""

    @staticmethod
    def statement(expression: str) -> str:
        """An expression as a statement."""

    @staticmethod
    def comment(words: str) -> str:
        """A comment of one line; nothing in the words ends it."""

    @staticmethod
    def mark(expression: str) -> str:
        """An attribute or decorator, above a function."""

    @staticmethod
    def closure(expression: str, indent: str) -> str:
        """A function without a name that does one thing."""

    @staticmethod
    def function(name: str, parameters: list[str], body: list[str], indent: str) -> str:
        """A declaration of a function, without a line end behind it."""

    @staticmethod
    def variable(name: str) -> str:
        """A variable of that name."""

    @staticmethod
    def object_at(root: str, owner: str, name: str, attributes: Sequence[str], quote: str) -> str:
        """An expression that gives an object in any file: a ``global`` variable, an ``attribute`` of a class or what a
        ``call`` gives, and attributes of that; empty where other files can't ask so."""

    @staticmethod
    def method(on: str, name: str, quote: str) -> str:
        """A method of an object as a callback."""

    @staticmethod
    def rest(name: str) -> str:
        """A parameter that takes all that is given, and all of it handed on."""

    @staticmethod
    def guard_declaration(kind: str, name: str, text: str, indent: str, quote: str) -> str:
        """A declaration that gives way to one that is there already; ``kind`` is ``function``, ``class``, ``interface`` …"""

    @staticmethod
    def end_of_body(data: bytes, span: DeclarationSpan) -> int:
        """Where a further member of a class can be put."""

    @staticmethod
    def needs(call: str, data: bytes) -> str:
        """The line that must stand at the top of a file before a name can be called in it; empty where none must."""

    @staticmethod
    def after_head(data: bytes) -> int:
        """Where such a line belongs."""


def writer(language: str) -> Writer:
    """The module of a language whose code is edited."""
    return cast(Writer, module_of(LANGUAGES[language].writer))
