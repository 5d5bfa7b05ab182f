"""What the languages read by tree-sitter share: the parser, texts of nodes, places of errors, and a limit to depth."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from importlib import import_module
from typing import Any, Generic, TypeVar

from protypon.core.languages.code import ANY, Class, Code, Do, Expression, Function, If, Opaque, Statement, anything
from protypon.core.model.nouns import Problem

DEEPEST = 60
"""Expressions and statements nested deeper are not looked into: no person wrote them."""
LONGEST_CHAIN = 60
"""Of a chain of conditions, so many are told apart."""
LONGEST = 80
"""Of what can't be known, so many bytes are shown."""

MISSHAPEN = (AttributeError, IndexError, StopIteration, TypeError)
"""What reading a node raises that lacks a part: in a file that does not parse, any node may."""

R = TypeVar("R", bound="Reader")
Making = Callable[[Any, Any], Expression]
"""A reader and a node -> the expression that it stands for."""
Stating = Callable[[Any, Any], Iterable[Statement]]


@lru_cache(maxsize=4)
def parser(module: str, function: str) -> Any:
    """The parser of a grammar package."""
    from tree_sitter import Language, Parser

    return Parser(Language(getattr(import_module(module), function)()))


class Grammar(Generic[R]):
    """What a language makes of each kind of node that its grammar knows.

    A kind that stands in neither table is made into what may do anything, so that nothing is passed over; ``parts`` are those that
    only stand inside others, which look after them.
    """

    def __init__(
        self, expressions: Mapping[str, Making], statements: Mapping[str, Stating], parts: frozenset[str]
    ) -> None:
        self.expressions, self.statements, self.parts = dict(expressions), dict(statements), parts


class Reader:
    """One walk over one syntax tree."""

    def __init__(self, source: bytes, grammar: Grammar[Any]) -> None:
        self.shift = 3 if source.startswith(codecs.BOM_UTF8) else 0
        self.source = source[self.shift :]
        self.depth = 0
        self.strict = False
        self.grammar = grammar
        self.functions: list[Function | None] = []
        self.classes: list[Class | None] = []
        self.owner = ""
        """The class in which it is."""
        self.generates = False
        """Whether the function in which it is has a ``yield``."""

    def text(self, node: Any) -> str:
        """The text of a node; bytes that are no UTF-8 survive."""
        return self.source[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape")

    def beginning_of(self, node: Any) -> str:
        """The beginning of what a node says, for people."""
        return self.source[node.start_byte : min(node.end_byte, node.start_byte + LONGEST)].decode("utf-8", "replace")

    def expression(self, node: Any) -> Expression:
        """Make an expression of a node."""
        if node is None:
            return anything("something that is missing")
        if self.depth > DEEPEST:
            return anything("nested too deeply")
        make = self.grammar.expressions.get(node.type)
        if make is None:
            return self.unclear(node)
        depth = self.depth
        self.depth += 1
        try:
            return make(self, node)
        except MISSHAPEN:
            return self.unclear(node)
        finally:
            self.depth = depth

    def statement(self, node: Any) -> tuple[Statement, ...]:
        """Make statements of a node; of a kind that is not known, what may do anything."""
        make = self.grammar.statements.get(node.type)
        if self.depth > DEEPEST:
            return (Do(anything("nested too deeply"), line_of(node)),)
        if make is None:
            return (Do(self.unclear(node), line_of(node)),)
        depth = self.depth
        self.depth += 1
        try:
            return tuple(make(self, node))
        except MISSHAPEN:
            return (Do(self.unclear(node), line_of(node)),)
        finally:
            self.depth = depth

    def unclear(self, node: Any) -> Opaque:
        """What may do anything that can be done here, and its parts."""
        return Opaque(self.beginning_of(node), self.parts_of(node), False, ANY, ANY)

    def parts_of(self, node: Any) -> tuple[Expression, ...]:
        """The expressions below a node, with those of statements among them."""
        found: list[Expression] = []
        for part in inner(node):
            if part.type in self.grammar.expressions:
                found.append(self.expression(part))
            elif self.depth <= DEEPEST:
                self.depth += 1
                found += self.parts_of(part)
                self.depth -= 1
        return tuple(found)

    def code(self, body: tuple[Statement, ...], sound: bool) -> Code:
        """All that was read, as the code of a file; ``sound``: the grammar could read all of it."""
        functions = tuple(f for f in self.functions if f is not None)
        classes = tuple(c for c in self.classes if c is not None)
        return Code(functions, body, classes, sound=sound, strict=self.strict)


def doubtful(r: Reader, node: Any, body: tuple[Statement, ...]) -> tuple[Statement, ...]:
    """What stands where the grammar could make nothing of some of it: none of it is sure, and it may do anything besides."""
    line = line_of(node)
    return (
        Do(anything(r.beginning_of(node)), line),
        If(Opaque("what stands beside what can't be read"), body, (), line),
    )


def inner(node: Any) -> list[Any]:
    """The named nodes right below one, without comments."""
    return [n for n in node.named_children if n.type != "comment"]


def field(node: Any, name: str) -> Any:
    """The child of a node by the name that the grammar gives it, or None."""
    return node.child_by_field_name(name)


def line_of(node: Any) -> int:
    """The line in which a node begins, from 1."""
    return int(node.start_point[0]) + 1


def place(node: Any) -> tuple[int, int]:
    """Line and column, both from 1; columns in bytes, as tree-sitter counts."""
    row, column = node.start_point
    return row + 1, column + 1


def first_error(tree: Any, file: str, most: int = 5) -> list[Problem]:
    """Where a tree has errors: the places that the parser skipped or missed something."""
    if not tree.root_node.has_error:
        return []
    problems: list[Problem] = []
    waiting = [tree.root_node]
    while waiting and len(problems) < most:
        node = waiting.pop()
        if node.is_missing:
            problems.append(Problem(file, f"{node.type!r} is missing", *place(node)))
        elif node.type == "ERROR":
            problems.append(Problem(file, f"can't make sense of {_node_beginning(node)}", *place(node)))
        elif node.has_error:
            waiting.extend(reversed(node.children))
    return problems or [Problem(file, "does not parse")]


def _node_beginning(node: Any) -> str:
    text = (node.text or b"")[:40].decode("utf-8", "replace").split("\n")[0].strip()
    return repr(text) if text else "what follows"
