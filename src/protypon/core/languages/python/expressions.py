"""Expressions of Python (https://docs.python.org/3/reference/expressions.html) in the form that all code shares."""

from __future__ import annotations

import ast
from collections.abc import Callable
from typing import Any

from protypon.core.languages.code import MOST_ITEMS, Fn, Invoke, Items, Lit, Node, Op, Opaque, Var
from protypon.core.languages.trees import DEEPEST, Reader, place


class PythonReader(Reader):
    """A reader that knows which names were imported from where."""

    def __init__(self, source: bytes, function: Callable[..., int]) -> None:
        super().__init__(source, EXPRESSIONS, function)
        self.imported: dict[str, str] = {}

    def name(self, node: Any) -> str:
        """The full name that a name or a dotted name stands for; empty for anything else."""
        names: list[str] = []
        while node.type == "attribute":
            names.append(self.text(node.child_by_field_name("attribute")))
            node = node.child_by_field_name("object")
            if len(names) > DEEPEST:
                return ""
        if node.type != "identifier":
            return ""
        head = self.imported.get(self.text(node))
        if not names:
            return head or self.text(node)
        return ".".join([head, *reversed(names)]) if head else ""


def literal(text: str) -> Any:
    try:
        return ast.literal_eval(text)
    except (ValueError, SyntaxError, MemoryError, RecursionError):
        return None


def _string(r: PythonReader, node: Any) -> Node:
    if not any(n.type == "interpolation" for n in node.named_children):
        text = r.text(node)
        if text[0] in "'\"" and "\\" not in text and not text.startswith(("'''", '"""')):
            return Lit(text[1:-1])
        value = literal(text[1:] if text[:1] in "fF" else text)
        return Lit(value) if isinstance(value, str) else Opaque(text[:80])
    parts: list[Node] = []
    for child in node.named_children:
        if child.type == "string_content":
            text = r.text(child)
            parts.append(Opaque(text) if "\\" in text else Lit(text.replace("{{", "{").replace("}}", "}")))
        elif child.type == "interpolation":
            bare = len(child.named_children) == 1
            value = r.expression(child.named_children[0])
            parts.append(value if bare else Opaque(r.text(child)[:80], (value,)))
    return Op(".", tuple(parts))


def _joined(r: PythonReader, node: Any) -> Node:
    return Op(".", tuple(r.expression(n) for n in node.named_children if n.type == "string"))


def _binary(r: PythonReader, node: Any) -> Node:
    op = r.text(node.child_by_field_name("operator"))
    parts = [node.child_by_field_name("right")]
    left = node.child_by_field_name("left")
    while left.type == node.type and r.text(left.child_by_field_name("operator")) == op and op in ("+", "and", "or"):
        parts.append(left.child_by_field_name("right"))
        left = left.child_by_field_name("left")
    values = tuple(r.expression(part) for part in (left, *reversed(parts)))
    return Op(op, values) if op in ("+", "-", "*", "and", "or") else Opaque(r.text(node)[:80], values)


_COMPARISONS = {
    "==": "==",
    "!=": "!=",
    "<": "<",
    ">": ">",
    "<=": "<=",
    ">=": ">=",
    "is": "===",
    "is not": "!==",
    "in": "in",
    "not in": "not in",
}


def _comparison(r: PythonReader, node: Any) -> Node:
    values = tuple(r.expression(n) for n in node.named_children)
    ops = [r.text(n) for n in node.children_by_field_name("operators")]
    op = _COMPARISONS.get(ops[0]) if len(values) == 2 and len(ops) == 1 else None
    return Op(op, values) if op else Opaque(r.text(node)[:80], values)


def _unary(r: PythonReader, node: Any) -> Node:
    value = r.expression(node.child_by_field_name("argument"))
    negative = value.tag == "lit" and isinstance(value.value, int | float) and node.children[0].type == "-"
    return Lit(-value.value) if negative else Opaque(r.text(node)[:80], (value,))


def _call(r: PythonReader, node: Any) -> Node:
    given: list[Node] = []
    named: list[tuple[str, Node]] = []
    arguments = node.child_by_field_name("arguments")
    parts = arguments.named_children if arguments.type == "argument_list" else [arguments]
    for part in parts:
        if part.type == "keyword_argument":
            named.append((r.text(part.child_by_field_name("name")), r.expression(part.child_by_field_name("value"))))
        elif part.type in ("list_splat", "dictionary_splat"):
            given.append(Op("*", (r.expression(part.named_children[0]),)))
        elif part.type != "comment":
            given.append(r.expression(part))
    function = node.child_by_field_name("function")
    name = r.name(function)
    if name:
        return Invoke(name, None, tuple(given), tuple(named), *place(node))
    if function.type == "attribute":
        on = r.expression(function.child_by_field_name("object"))
        return Invoke(r.text(function.child_by_field_name("attribute")), on, tuple(given), tuple(named), *place(node))
    return Invoke("", r.expression(function), tuple(given), tuple(named), *place(node))


def _identifier(r: PythonReader, node: Any) -> Node:
    return Var(r.name(node))


def _attribute(r: PythonReader, node: Any) -> Node:
    name = r.name(node)
    if name:
        return Var(name)
    return Op(
        "attr", (r.expression(node.child_by_field_name("object")), Lit(r.text(node.child_by_field_name("attribute"))))
    )


def _list(r: PythonReader, node: Any) -> Node:
    if node.named_child_count > MOST_ITEMS:
        return Opaque("a very long list")
    return Items(tuple((None, r.expression(n)) for n in node.named_children if n.type != "comment"))


def _dictionary(r: PythonReader, node: Any) -> Node:
    parts = [n for n in node.named_children if n.type != "comment"] if node.named_child_count <= MOST_ITEMS else []
    if any(n.type != "pair" for n in parts):
        return r.opaque(node)
    return Items(
        tuple((r.expression(n.child_by_field_name("key")), r.expression(n.child_by_field_name("value"))) for n in parts)
    )


def _conditional(r: PythonReader, node: Any) -> Node:
    value, test, other = (r.expression(n) for n in node.named_children[:3])
    return Op("?:", (test, value, other))


def _number(r: PythonReader, node: Any) -> Node:
    text = r.text(node)
    plain = len(text) < 20 and text.isdecimal() and (text[0] != "0" or text == "0")
    value = int(text) if plain else literal(text)
    if isinstance(value, int) and value.bit_length() > 64:
        return Opaque("a very large number")
    return Lit(value) if isinstance(value, int | float) else Opaque(text[:80])


EXPRESSIONS: dict[str, Any] = {
    "string": _string, "concatenated_string": _joined, "integer": _number, "float": _number,
    "true": lambda r, node: Lit(True), "false": lambda r, node: Lit(False), "none": lambda r, node: Lit(None),
    "identifier": _identifier, "attribute": _attribute, "call": _call, "binary_operator": _binary, "boolean_operator": _binary,
    "not_operator": lambda r, node: Op("not", (r.expression(node.child_by_field_name("argument")),)),
    "comparison_operator": _comparison, "unary_operator": _unary, "list": _list, "tuple": _list, "set": _list, "expression_list": _list,
    "dictionary": _dictionary, "conditional_expression": _conditional,
    "parenthesized_expression": lambda r, node: r.expression(node.named_children[0]) if node.named_children else Opaque("()"),
    "subscript": lambda r, node: Op("[]", tuple(r.expression(n) for n in node.named_children[:2])),
    "lambda": lambda r, node: Fn(r.function(r, node, "", ())),
    "named_expression": lambda r, node: Opaque(r.text(node)[:80], (r.expression(node.child_by_field_name("value")),)),
}  # fmt: skip
