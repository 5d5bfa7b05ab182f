"""Functions and classes of Python (https://docs.python.org/3/reference/compound_stmts.html) in the form that all code shares."""

from __future__ import annotations

from typing import Any

from protypon.core.languages.code import (
    Class,
    Do,
    Expression,
    Function,
    Invoke,
    Member,
    Param,
    Return,
    Statement,
    anything,
)
from protypon.core.languages.python.expressions import EXPRESSIONS, literal
from protypon.core.languages.python.names import PythonReader
from protypon.core.languages.python.statements import STATEMENTS, body, statements
from protypon.core.languages.trees import DEEPEST, Grammar, doubtful, field, inner, line_of, place

PARTS = frozenset(
    (
        "aliased_import", "argument_list", "as_pattern_target", "case_clause", "case_pattern", "chevron", "class_pattern", "comment",
        "complex_pattern", "constrained_type", "assignment", "augmented_assignment", "decorator", "default_parameter", "dict_pattern",
        "dictionary_splat_pattern", "elif_clause",
        "else_clause", "escape_interpolation", "escape_sequence", "except_clause", "finally_clause", "for_in_clause", "format_expression",
        "format_specifier", "generic_type", "if_clause", "import_prefix", "interpolation", "keyword_argument", "keyword_pattern",
        "keyword_separator", "lambda_parameters", "line_continuation", "list_pattern", "list_splat_pattern", "member_type", "module", "pair",
        "parameters", "positional_separator", "relative_import", "splat_pattern", "splat_type", "string_content", "string_end", "string_start",
        "tuple_pattern", "type_conversion", "type_parameter", "typed_default_parameter", "typed_parameter", "union_pattern", "union_type",
        "wildcard_import", "with_clause", "with_item",
    )
)  # fmt: skip
"""Kinds of node that only stand in others, whose tables look after them."""
GRAMMAR: Grammar[Any] = Grammar(EXPRESSIONS, STATEMENTS, PARTS)


class PythonFile(PythonReader):
    """A reader of a whole file."""

    def __init__(self, source: bytes, shadowed: frozenset[str] = frozenset()) -> None:
        super().__init__(source, GRAMMAR, shadowed)

    def function(self, node: Any, name: str, decorators: tuple[Any, ...]) -> int:
        """Read a function; its number in the file."""
        number = len(self.functions)
        self.functions.append(None)
        marks = tuple(self.mark(n) for n in decorators)
        wrapping = tuple(self.expression(inner(n)[0]) for n in decorators)
        block = field(node, "body")
        defaults = _params(self, field(node, "parameters"))
        outer, owner = self.generates, self.owner
        self.generates, self.owner = False, ""
        with self.scope() as scope:
            scope.assigned |= {p.name for p in defaults}
            self.clashing |= {p.name for p in defaults if p.name in self.imported} - self.shadowed
            stated = self._body(node, block)
            own = tuple(sorted(scope.assigned - scope.outer))
        whole = node.parent if decorators and node.parent is not None else node
        line, column = place(node)
        modifiers = ("async",) if any(n.type == "async" for n in node.children) else ()
        self.functions[number] = Function(
            name, defaults, marks, _doc(self, block, whole), stated, line, node.end_point[0] + 1, column,
            whole.start_byte + self.shift, node.end_byte + self.shift, ("*",), own, self.generates, modifiers, "", wrapping,
        )  # fmt: skip
        self.generates, self.owner = outer, owner
        return number

    def _body(self, node: Any, block: Any) -> tuple[Statement, ...]:
        if self.depth > DEEPEST:
            return (Do(anything("nested too deeply"), line_of(node)),)
        if node.type == "lambda":
            return (Return(self.expression(block), line_of(node)),)
        found = statements(self, block.named_children)
        return doubtful(self, node, found) if node.has_error else found

    def mark(self, node: Any) -> Invoke:
        """Read a decorator, as a call."""
        part = inner(node)[0]
        made = self.expression(part)
        if isinstance(made, Invoke):
            return made
        return Invoke(self.name(part) or self.text(part)[:80], None, (), (), *place(node))

    def read_class(self, node: Any, decorators: tuple[Any, ...]) -> int:
        """Read a class; its number in the file."""
        number = len(self.classes)
        self.classes.append(None)
        name = self.text(field(node, "name"))
        outer, self.owner = self.owner, name
        within, self.within = self.within, name
        first = len(self.functions)
        bases, keywords, unclear = _bases(self, field(node, "superclasses"))
        wrapping = tuple(self.expression(inner(n)[0]) for n in decorators)
        if node.has_error:
            unclear = f"line {line_of(node)} can't be read"
        with self.scope():
            stated = body(self, node)
        own = tuple(
            n for n in range(first, len(self.functions)) if (f := self.functions[n]) is not None and f.name.rpartition("::")[0] == name
        )  # fmt: skip
        self.owner, self.within = outer, within
        marks = tuple(self.mark(n) for n in decorators)
        self.classes[number] = Class(
            name, "class", bases, _fields(self, field(node, "body")), own, line_of(node), node.end_point[0] + 1,
            node.start_byte + self.shift, node.end_byte + self.shift, (), (), stated, marks, unclear, (), (), wrapping, keywords,
        )  # fmt: skip
        return number


def _bases(r: PythonReader, node: Any | None) -> tuple[tuple[str, ...], tuple[tuple[str, Expression], ...], str]:
    """The classes that one extends by name, what is given to those, and why that is not all."""
    found: list[str] = []
    keywords: list[tuple[str, Expression]] = []
    unclear = ""
    for part in inner(node) if node is not None else ():
        name = r.name(part) or (r.text(part) if part.type == "attribute" else "")
        if name:
            found.append(name)
        elif part.type == "keyword_argument":
            keywords.append((r.text(field(part, "name")), r.expression(field(part, "value"))))
        else:
            unclear = unclear or f"line {line_of(part)} is made from {r.beginning_of(part)}"
    return tuple(found), tuple(keywords), unclear


def _fields(r: PythonReader, block: Any | None) -> tuple[Member, ...]:
    """Names that a class gives a type, in their order."""
    found = []
    for statement in inner(block) if block is not None else ():
        part = inner(statement)[0] if statement.type == "expression_statement" and inner(statement) else None
        type_ = field(part, "type") if part is not None and part.type == "assignment" else None
        if part is not None and type_ is not None and field(part, "left").type == "identifier":
            found.append(Member("field", r.bare(field(part, "left")), None, line_of(part), r.text(type_)))
    return tuple(found)


def _params(r: PythonReader, node: Any | None) -> tuple[Param, ...]:
    found: list[Param] = []
    only_named = False
    for part in inner(node) if node is not None else ():
        first = part.named_children[0] if part.type == "typed_parameter" else part
        type_, default = field(part, "type"), field(part, "value")
        name = field(part, "name") or first
        way = {"list_splat_pattern": "*", "dictionary_splat_pattern": "**"}.get(first.type, "!" if only_named else "")
        if first.type in ("keyword_separator", "list_splat_pattern"):
            only_named = True
        if first.type == "positional_separator":
            found = [Param(p.name, p.default, p.type, "/") for p in found]
        if first.type in ("keyword_separator", "positional_separator"):
            continue
        made: Expression | None = r.expression(default) if default is not None else None
        found.append(Param(r.text(name).lstrip("*"), made, r.text(type_) if type_ is not None else "", way))
    return tuple(found)


def _doc(r: PythonReader, block: Any, whole: Any) -> str:
    """The docstring, or else the comments right above."""
    first = block.named_children[0] if block is not None and block.named_children else None
    if first is not None and first.type == "expression_statement" and first.named_children[0].type == "string":
        value = literal(r.text(first.named_children[0]))
        if isinstance(value, str):
            return "\n".join(line.strip() for line in value.strip().split("\n"))
    lines: list[str] = []
    before, row = whole.prev_named_sibling, whole.start_point[0]
    while before is not None and before.type == "comment" and before.end_point[0] == row - 1:
        lines.insert(0, r.text(before).lstrip("#").strip())
        before, row = before.prev_named_sibling, before.start_point[0]
    return "\n".join(lines)
