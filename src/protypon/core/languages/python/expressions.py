"""Expressions of Python (https://docs.python.org/3/reference/expressions.html) in the form that all code shares."""

from __future__ import annotations

import ast
from typing import Any

from protypon.core.languages.code import (
    MOST_ITEMS,
    Assignment,
    Clause,
    Comprehend,
    Expression,
    Fn,
    Invoke,
    Items,
    Lit,
    Op,
    Opaque,
    Var,
    Yield,
    anything,
)
from protypon.core.languages.python.names import PythonReader
from protypon.core.languages.trees import field, inner, place


def literal(text: str) -> Any:
    """A value as it is written in code. Raises ValueError for one that has no plain form."""
    try:
        return ast.literal_eval(text)
    except (ValueError, SyntaxError, MemoryError, RecursionError):
        return None


def _string(r: PythonReader, node: Any) -> Expression:
    text = r.text(node)
    if not any(n.type == "interpolation" for n in node.named_children):
        if text[0] in "'\"" and "\\" not in text and not text.startswith(("'''", '"""')):
            return Lit(text[1:-1])
        value = literal(text)
        if value is None and text[:1] in "fF":
            value = literal(text[1:])
            value = value.replace("{{", "{").replace("}}", "}") if isinstance(value, str) else None
        return Lit(value) if isinstance(value, str) else Opaque(r.beginning_of(node))
    raw = "r" in text[: text.find(text.rstrip()[-1])].lower()
    parts: list[Expression] = []
    for child in inner(node):
        if child.type == "string_content":
            parts.append(_content(r.text(child), raw))
        elif child.type == "interpolation":
            parts.append(_lower_interpolation(r, child))
    return Op(".", tuple(parts))


def _content(text: str, raw: bool) -> Expression:
    """A piece of a text between interpolations."""
    if "\\" in text and not raw:
        value = literal(f'"""{text}"""') if '"' not in text else None
        if not isinstance(value, str):
            return Opaque(text)
        text = value
    return Lit(text.replace("{{", "{").replace("}}", "}"))


def _lower_interpolation(r: PythonReader, node: Any) -> Expression:
    """``{x!r:>5}``, ``{x=}`` (https://docs.python.org/3/reference/lexical_analysis.html#f-strings)."""
    value: Expression = r.expression(field(node, "expression"))
    named = next((n for n in node.children if n.type == "="), None)
    turned = next((r.text(n) for n in node.children if n.type == "type_conversion"), "")
    form = next((n for n in node.children if n.type == "format_specifier"), None)
    if turned not in ("", "!r", "!s", "!a") or any(n.type in ("comment", "yield") for n in inner(node)):
        return Opaque(r.beginning_of(node), (value, *(part for n in inner(node)[1:] for part in r.parts_of(n))))
    if turned or (named is not None and form is None):
        value = Op(turned or "!r", (value,))
    if form is not None:
        value = Op("format", (value, _form(r, form)))
    elif not turned and not isinstance(value, Lit) and named is None:
        value = Op("format", (value, Lit("")))
    if named is None:
        return value
    text = r.text(node)[1 : named.end_byte - node.start_byte]
    spaces = len(r.text(node)[len(text) + 1 :]) - len(r.text(node)[len(text) + 1 :].lstrip())
    return Op(".", (Lit(text + " " * spaces), value)) if text.isascii() else Opaque(r.beginning_of(node), (value,))


def _form(r: PythonReader, node: Any) -> Expression:
    """The form in which a value is put, which may have values in it."""
    text, parts, at = node.text or b"", list[Expression](), 1
    for child in node.named_children:
        begin = child.start_byte - node.start_byte
        parts.append(Lit(text[at:begin].decode("utf-8", "surrogateescape")))
        parts.append(_lower_interpolation(r, child) if field(child, "expression") is not None else r.parts_of(child)[0])
        at = child.end_byte - node.start_byte
    return Op(".", (*parts, Lit(text[at:].decode("utf-8", "surrogateescape"))))


def _lower_concatenation(r: PythonReader, node: Any) -> Expression:
    parts = tuple(r.expression(n) for n in inner(node))
    if all(isinstance(p, Lit) for p in parts):
        return Lit("".join(str(p.value) for p in parts if isinstance(p, Lit)))
    return Op(".", parts)


_OPERATORS = ("+", "-", "*", "/", "//", "%", "**", "@", "&", "|", "^", "<<", ">>", "and", "or")


def _binary(r: PythonReader, node: Any) -> Expression:
    op = r.text(field(node, "operator"))
    parts = [field(node, "right")]
    left = field(node, "left")
    while left.type == node.type and r.text(field(left, "operator")) == op and op in ("+", "and", "or"):
        parts.append(field(left, "right"))
        left = field(left, "left")
    values = tuple(r.expression(part) for part in (left, *reversed(parts)))
    return Op(op, values) if op in _OPERATORS else r.unclear(node)


_COMPARISONS = {
    "==": "==", "!=": "!=", "<>": "!=", "<": "<", ">": ">", "<=": "<=", ">=": ">=", "is": "is", "is not": "is not", "in": "in", "not in": "not in",
}  # fmt: skip


def _comparison(r: PythonReader, node: Any) -> Expression:
    """One comparison, or a chain of them, of which the middle ones are done once."""
    values = [r.expression(n) for n in inner(node)]
    signs = [_COMPARISONS.get(" ".join(n.type.split())) for n in node.children_by_field_name("operators")]
    if None in signs or len(signs) != len(values) - 1:
        return r.unclear(node)
    if len(signs) == 1 and signs[0] in ("is", "is not") and values[0] == values[1] and _is_imported(r, inner(node)):
        return Lit(signs[0] == "is")
    if len(signs) == 1:
        return Op(str(signs[0]), tuple(values))
    chain = [values[0]]
    for sign, value in zip(signs, values[1:], strict=True):
        chain += [Lit(sign), value]
    return Op("chain", tuple(chain))


def _is_imported(r: PythonReader, nodes: list[Any]) -> bool:
    """Whether names stand for what was imported: the same from one place is one object."""
    return all(node.type == "identifier" and r.name(node) != r.bare(node) for node in nodes)


def _unary(r: PythonReader, node: Any) -> Expression:
    value = r.expression(field(node, "argument"))
    sign = node.children[0].type
    number = isinstance(value, Lit) and isinstance(value.value, int | float) and not isinstance(value.value, bool)
    if number and sign == "-":
        return Lit(-value.value)  # type: ignore[union-attr,operator]
    found = {"-": "neg", "+": "pos", "~": "~"}.get(sign)
    return Op(found, (value,)) if found else r.unclear(node)


def call_arguments(r: PythonReader, node: Any) -> tuple[tuple[Expression, ...], tuple[tuple[str, Expression], ...]]:
    """What stands in the brackets of a call: by position, and by name."""
    given: list[Expression] = []
    named: list[tuple[str, Expression]] = []
    for part in inner(node) if node.type == "argument_list" else [node]:
        if part.type == "keyword_argument":
            named.append((r.text(field(part, "name")), r.expression(field(part, "value"))))
        else:
            given.append(r.expression(part))
    return tuple(given), tuple(named)


def _call(r: PythonReader, node: Any) -> Expression:
    given, named = call_arguments(r, field(node, "arguments"))
    function = field(node, "function")
    name = r.name(function)
    if name in ("eval", "exec"):
        if named:
            return anything(r.beginning_of(node), (*given, *(value for _, value in named)))
        return Op(name, given)
    if name:
        return Invoke(name, None, given, named, *place(node))
    if function.type == "attribute":
        on = r.expression(field(function, "object"))
        return Invoke(r.bare(field(function, "attribute")), on, given, named, *place(node))
    return Invoke("", r.expression(function), given, named, *place(node))


def _attribute(r: PythonReader, node: Any) -> Expression:
    name = r.name(node)
    if name:
        return Var(name)
    return Op("attr", (r.expression(field(node, "object")), Lit(r.bare(field(node, "attribute")))))


def _list(r: PythonReader, node: Any) -> Expression:
    values = tuple(r.expression(n) for n in inner(node))
    kind = {"list": "list", "set": "set"}.get(node.type, "tuple")
    if len(values) > MOST_ITEMS:
        return Opaque("a very long list", tuple(v for v in values if not isinstance(v, Lit)))
    return Items(tuple((None, value) for value in values), kind)


def _dictionary(r: PythonReader, node: Any) -> Expression:
    pairs: list[tuple[Expression | None, Expression]] = []
    for part in inner(node):
        if part.type == "pair":
            pairs.append((r.expression(field(part, "key")), r.expression(field(part, "value"))))
        else:
            pairs.append((None, r.expression(part)))
    if len(pairs) > MOST_ITEMS:
        return Opaque("a very long table", tuple(p for pair in pairs for p in pair if p and not isinstance(p, Lit)))
    return Items(tuple(pairs), "dict")


def _conditional(r: PythonReader, node: Any) -> Expression:
    parts = inner(node)
    if len(parts) != 3:
        return r.unclear(node)
    value, test, other = (r.expression(n) for n in parts)
    return Op("?:", (test, value, other))


def _number(r: PythonReader, node: Any) -> Expression:
    text = r.text(node)
    plain = len(text) < 20 and text.isdecimal() and (text[0] != "0" or text == "0")
    value = int(text) if plain else literal(text)
    if isinstance(value, int) and value.bit_length() > 63:
        return Opaque("a very large number")
    return Lit(value) if isinstance(value, int | float) else Opaque(text[:80])


def _subscript(r: PythonReader, node: Any) -> Expression:
    keys = [r.expression(n) for n in node.children_by_field_name("subscript")]
    whole = any(n.type == "," for n in node.children)
    key = keys[0] if len(keys) == 1 and not whole else Items(tuple((None, k) for k in keys), "tuple")
    return Op("[]", (r.expression(field(node, "value")), key))


def _slice(r: PythonReader, node: Any) -> Expression:
    parts: list[Expression] = [Lit(None), Lit(None), Lit(None)]
    number = 0
    for child in node.children:
        if child.type == ":":
            number += 1
        elif child.is_named and child.type != "comment" and number < 3:
            parts[number] = r.expression(child)
    return Op("slice", tuple(parts))


def _comprehension(r: PythonReader, node: Any) -> Expression:
    body = field(node, "body")
    kind = node.type.partition("_")[0].replace("dictionary", "dict")
    with r.scope() as scope:
        clauses = tuple(_clause(r, n) for n in inner(node) if n.type in ("for_in_clause", "if_clause"))
        values = [field(body, "key"), field(body, "value")] if body.type == "pair" else [body]
        made = tuple(r.expression(n) for n in values)
    r.assigned |= scope.walrus
    r.walrus |= scope.walrus
    if any(n.type == "async" for c in inner(node) for n in c.children):
        return anything(r.beginning_of(node), made)
    return Comprehend(kind, made, clauses)


def _clause(r: PythonReader, node: Any) -> Clause:
    if node.type == "if_clause":
        return Clause(None, r.expression(inner(node)[0]))
    right = [r.expression(n) for n in node.children_by_field_name("right") if n.is_named]
    over = right[0] if len(right) == 1 else Items(tuple((None, v) for v in right), "tuple")
    return Clause(target(r, field(node, "left")), over)


def _walrus(r: PythonReader, node: Any) -> Expression:
    made = target(r, field(node, "name"))
    if isinstance(made, Var):
        r.walrus.add(made.name)
    return Assignment(made, r.expression(field(node, "value")))


def target(r: PythonReader, node: Any) -> Expression:
    """What stands on the left of an assignment."""
    if node.type == "identifier":
        return Var(r.assigning(r.bare(node)))
    if node.type in ("pattern_list", "tuple_pattern", "list_pattern", "tuple", "list", "expression_list"):
        return Items(tuple((None, target(r, n)) for n in inner(node)), "list")
    if node.type in ("list_splat_pattern", "list_splat"):
        return Op("*", (target(r, inner(node)[0]),))
    if node.type == "parenthesized_expression":
        return target(r, inner(node)[0])
    if node.type == "attribute":
        return Op("attr", (r.expression(field(node, "object")), Lit(r.bare(field(node, "attribute")))))
    if node.type == "subscript":
        return _subscript(r, node)
    return r.unclear(node)


def _yield(r: PythonReader, node: Any) -> Expression:
    r.generates = True
    return Yield(tuple(r.expression(n) for n in inner(node)), any(n.type == "from" for n in node.children))


def _inside(r: PythonReader, node: Any) -> Expression:
    parts = inner(node)
    return r.expression(parts[0]) if len(parts) == 1 else r.unclear(node)


EXPRESSIONS: dict[str, Any] = {
    "string": _string, "concatenated_string": _lower_concatenation, "integer": _number, "float": _number,
    "true": lambda r, node: Lit(True), "false": lambda r, node: Lit(False), "none": lambda r, node: Lit(None),
    "ellipsis": lambda r, node: Var("Ellipsis"),
    "identifier": lambda r, node: Var(r.name(node)), "dotted_name": lambda r, node: Var(r.text(node)), "attribute": _attribute,
    "call": _call, "binary_operator": _binary, "boolean_operator": _binary,
    "not_operator": lambda r, node: Op("not", (r.expression(field(node, "argument")),)),
    "comparison_operator": _comparison, "unary_operator": _unary, "list": _list, "tuple": _list, "set": _list, "expression_list": _list,
    "pattern_list": _list, "dictionary": _dictionary, "conditional_expression": _conditional, "parenthesized_expression": _inside,
    "subscript": _subscript, "slice": _slice, "lambda": lambda r, node: Fn(r.function(node, "", ())), "named_expression": _walrus,
    "list_comprehension": _comprehension, "set_comprehension": _comprehension, "dictionary_comprehension": _comprehension,
    "generator_expression": _comprehension, "yield": _yield,
    "await": lambda r, node: Op("await", (r.expression(inner(node)[0]),)),
    "list_splat": lambda r, node: Op("*", (r.expression(inner(node)[0]),)),
    "parenthesized_list_splat": lambda r, node: Op("*", (_inside(r, inner(node)[0]),)),
    "dictionary_splat": lambda r, node: Op("**", (r.expression(inner(node)[0]),)),
    "type": lambda r, node: Opaque(r.shown(node), r.parts_of(node), False), "as_pattern": lambda r, node: r.unclear(node),
}  # fmt: skip
