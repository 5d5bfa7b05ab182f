"""What the languages read by tree-sitter share: the parser, texts of nodes, places of errors, and a limit to depth."""

from __future__ import annotations

import codecs
from collections.abc import Callable
from functools import lru_cache
from importlib import import_module
from typing import Any

from protypon.core.languages.code import Code, Node, Op, Opaque
from protypon.core.model.nouns import Problem

DEEPEST = 60
"""Expressions and statements nested deeper are not looked into: no person wrote them."""
LONGEST_CHAIN = 30
"""Of a chain of conditions, so many are told apart."""
LONGEST = 200
"""Of what can't be known, so many bytes are shown."""


@lru_cache(maxsize=4)
def parser(module: str, function: str) -> Any:
    """The parser of a grammar package."""
    from tree_sitter import Language, Parser

    return Parser(Language(getattr(import_module(module), function)()))


class Reader:
    """One walk over one syntax tree. A language gives a table: type of node -> what to make of it."""

    def __init__(self, source: bytes, expressions: dict[str, Callable[..., Any]], function: Callable[..., int]) -> None:
        self.shift = 3 if source.startswith(codecs.BOM_UTF8) else 0
        self.source = source[self.shift :]
        self.depth = 0
        self.expressions = expressions
        self.function = function
        """Reads a function and gives its number; expressions need it for closures."""
        self.functions: list[Any] = []
        self.classes: list[tuple[str, str]] = []
        self.owner = ""
        self.namespace = ""
        self.used: dict[str, str] = {}
        """Names that stand for others in this file."""
        self.constants: list[Node] = []
        """Those of classes: known before the first statement."""

    def text(self, node: Any) -> str:
        return self.source[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape")

    def expression(self, node: Any) -> Node:
        """Make an expression of a node; what the language's table does not know is opaque, with what stands in it."""
        if node is None:
            return Opaque("")
        if self.depth > DEEPEST:
            return Opaque("nested too deeply")
        self.depth += 1
        make: Callable[..., Any] = self.expressions.get(node.type, _opaque)
        made = make(self, node)
        self.depth -= 1
        return made

    def opaque(self, node: Any) -> Node:
        """What the table does not know: its parts are done or not, and what comes of it is not known."""
        text = self.source[node.start_byte : min(node.end_byte, node.start_byte + LONGEST)].decode("utf-8", "replace")
        parts = [self.expression(n) for n in node.named_children if n.type in self.expressions]
        return Op("maybe", (Opaque(text), *parts)) if parts else Opaque(text)

    def code(self, body: tuple[Node, ...], sound: bool) -> Code:
        return Code(tuple(self.functions), (*self.constants, *body), tuple(self.classes), sound=sound)


def _opaque(r: Reader, node: Any) -> Node:
    return r.opaque(node)


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
            problems.append(Problem(file, f"can't make sense of {_shown(node)}", *place(node)))
        elif node.has_error:
            waiting.extend(reversed(node.children))
    return problems or [Problem(file, "does not parse")]


def _shown(node: Any) -> str:
    text = (node.text or b"")[:40].decode("utf-8", "replace").split("\n")[0].strip()
    return repr(text) if text else "what follows"
