"""Expressions of PHP (https://www.php.net/manual/en/language.expressions.php) in the form that all code shares."""

from __future__ import annotations

import re
from typing import Any

from protypon.core.languages.code import MOST_ITEMS, Fn, Invoke, Items, Lit, Node, Op, Opaque, Var
from protypon.core.languages.trees import Reader, place


def _string(r: Reader, node: Any) -> Node:
    """A text in single quotes, where only \\\\ and \\' are escapes."""
    text = r.text(node)[1:-1]
    return Lit(re.sub(r"\\([\\'])", r"\1", text) if "\\" in text else text)


_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "v": "\v", "f": "\f", "e": "\x1b", "\\": "\\", "$": "$", '"': '"'}


def _unescaped(text: str) -> str | None:
    """A text in double quotes without its escapes; None for the rarer ones."""
    out = re.sub(r"\\([ntrvfe\\$\"])", lambda found: _ESCAPES[found[1]], text)
    return None if re.search(r"\\[0-7xu]", text) else out


def _encapsed(r: Reader, node: Any) -> Node:
    parts: list[Node] = []
    if not node.named_children:
        return Lit("")
    position = node.start_byte + 1
    for child in node.named_children:
        position = _raw(r, parts, position, child)
    return parts[0] if len(parts) == 1 and parts[0].tag != "var" else Op(".", tuple(parts))


def _raw(r: Reader, parts: list[Node], position: int, child: Any) -> int:
    if child.type in ("string_content", "escape_sequence"):
        text = _unescaped(r.text(child))
        parts.append(Lit(text) if text is not None else Opaque(r.text(child)))
    else:
        parts.append(r.expression(child))
    if len(parts) > 1 and parts[-1].tag == parts[-2].tag == "lit":
        parts[-2:] = [Lit(parts[-2].value + parts[-1].value)]
    return int(child.end_byte)


def _number(r: Reader, node: Any) -> Node:
    text = r.text(node).replace("_", "").lower()
    try:
        if node.type == "float":
            return Lit(float(text))
        number = int(text, 8) if re.fullmatch(r"0\d+", text) else int(text, 0)
        return Lit(number) if number.bit_length() < 64 else Opaque("a very large number")
    except ValueError:
        return Opaque(text)


OPERATORS = {
    ".": ".", "+": "+", "-": "-", "*": "*", "==": "==", "===": "===", "!=": "!=", "<>": "!=", "!==": "!==", "<": "<", ">": ">",
    "<=": "<=", ">=": ">=", "&&": "and", "and": "and", "||": "or", "or": "or", "??": "??",
}  # fmt: skip


def _binary(r: Reader, node: Any) -> Node:
    """A chain of the same operator is one operation, so that a long one is not deep."""
    op = node.child_by_field_name("operator").type.lower()
    parts = [node.child_by_field_name("right")]
    left = node.child_by_field_name("left")
    while (
        left.type == "binary_expression"
        and left.child_by_field_name("operator").type.lower() == op
        and op in (".", "+", "&&", "||")
    ):
        parts.append(left.child_by_field_name("right"))
        left = left.child_by_field_name("left")
    values = tuple([r.expression(part) for part in (left, *reversed(parts))])
    return Op(OPERATORS[op], values) if op in OPERATORS else Opaque(r.text(node)[:80], values)


def _unary(r: Reader, node: Any) -> Node:
    value = r.expression(node.child_by_field_name("argument"))
    op = node.children[0].type
    if op == "!":
        return Op("not", (value,))
    if op == "-" and value.tag == "lit" and isinstance(value.value, int | float):
        return Lit(-value.value)
    return value if op == "+" else Opaque(r.text(node)[:80], (value,))


def arguments(r: Reader, node: Any | None) -> tuple[tuple[Node, ...], tuple[tuple[str, Node], ...]]:
    given: list[Node] = []
    named: list[tuple[str, Node]] = []
    for part in node.named_children if node is not None else ():
        if part.type == "argument":
            inner = part.named_children
            if len(inner) > 1 and part.child_by_field_name("name") is not None:
                named.append((r.text(inner[0]), r.expression(inner[-1])))
            elif inner[-1].type == "variadic_unpacking":
                given.append(Op("*", (r.expression(inner[-1]),)))
            else:
                given.append(r.expression(inner[-1]))
        elif part.type == "variadic_placeholder":
            given.append(Var("..."))
    return tuple(given), tuple(named)


def declared(r: Reader, name: str) -> str:
    """The full name of what is declared as ``name``."""
    return f"{r.namespace}\\{name}" if r.namespace else name


def class_name(r: Reader, node: Any) -> str:
    """The full name of a class (Language Reference, Name resolution rules)."""
    text = r.text(node)
    if text.startswith("\\"):
        return text[1:]
    if text in ("self", "static", "parent"):
        return text
    first, _, rest = text.partition("\\")
    if first in r.used:
        return f"{r.used[first]}\\{rest}" if rest else r.used[first]
    return declared(r, text)


def _function_name(r: Reader, node: Any) -> str:
    """The full name of a function that is called; a bare one is looked for in the namespace and then outside of any."""
    text = r.text(node)
    if node.type == "relative_name":
        return declared(r, text.partition("\\")[2])
    if "\\" not in text:
        return r.used.get(text) or declared(r, text)
    return class_name(r, node)


def _call(r: Reader, node: Any) -> Node:
    parts = node.named_children
    function = parts[0]
    given, named = arguments(r, parts[-1])
    line, column = place(node)
    if function.type in ("name", "qualified_name", "relative_name"):
        name = _function_name(r, function)
        if given == (Var("..."),):
            return Opaque(r.text(node)[:80])
        return Invoke(name, None, given, named, line, column)
    return Invoke("", r.expression(function), given, named, line, column)


def _method(r: Reader, node: Any) -> Node:
    given, named = arguments(r, node.child_by_field_name("arguments"))
    name = node.child_by_field_name("name")
    if node.type == "scoped_call_expression":
        scope = node.child_by_field_name("scope")
        owner = class_name(r, scope) if scope.type in ("name", "qualified_name", "relative_scope") else r.text(scope)
        return Invoke(f"{owner}::{r.text(name)}", None, given, named, *place(node))
    on = r.expression(node.child_by_field_name("object"))
    if name.type != "name":
        return Opaque(r.text(node)[:80], (on, *given))
    if given == (Var("..."),):
        return Opaque(r.text(node)[:80], (on,))
    return Invoke(r.text(name), on, given, named, *place(node))


def _new(r: Reader, node: Any) -> Node:
    given, named = arguments(r, next((n for n in node.named_children if n.type == "arguments"), None))
    first = node.named_children[0] if node.named_children else None
    if first is None or first.type not in ("name", "qualified_name"):
        return Opaque(r.text(node)[:80], given)
    return Invoke("new " + class_name(r, first), None, given, named, *place(node))


def _array(r: Reader, node: Any) -> Node:
    if node.named_child_count > MOST_ITEMS:
        return Opaque("a very long list")
    pairs: list[tuple[Node | None, Node]] = []
    for part in node.named_children:
        if part.type != "array_element_initializer":
            continue
        inner = [n for n in part.named_children if n.type != "comment"]
        if len(inner) == 2:
            pairs.append((r.expression(inner[0]), r.expression(inner[1])))
        elif inner and inner[0].type == "variadic_unpacking":
            pairs.append((Lit("..."), Opaque(r.text(part)[:80], (r.expression(inner[0]),))))
        elif inner:
            pairs.append((None, r.expression(inner[0])))
    return Items(tuple(pairs))


def _closure(r: Reader, node: Any) -> Node:
    clause = next((n for n in node.named_children if n.type == "anonymous_function_use_clause"), None)
    captured = (
        tuple(r.text(n) for n in clause.named_children if n.type == "variable_name") if clause is not None else ()
    )
    return Fn(r.function(r, node, "", ("*",) if node.type == "arrow_function" else captured))


def construct(r: Reader, node: Any) -> Node:
    """``require`` and its kind: a call of that name."""
    name = node.type.removesuffix("_expression")
    return Invoke(name, None, tuple(r.expression(n) for n in node.named_children[:1]), (), *place(node))


def _conditional(r: Reader, node: Any) -> Node:
    parts = [node.child_by_field_name(field) for field in ("condition", "body", "alternative")]
    if parts[1] is None:
        return Opaque(r.text(node)[:80], (r.expression(parts[0]), r.expression(parts[2])))
    return Op("?:", tuple(r.expression(part) for part in parts))


def _subscript(r: Reader, node: Any) -> Node:
    return Op("[]", tuple(r.expression(n) for n in node.named_children[:2]))


def _member(r: Reader, node: Any) -> Node:
    return Op("attr", (r.expression(node.child_by_field_name("object")), Lit(r.text(node.child_by_field_name("name")))))


def _class_constant(r: Reader, node: Any) -> Node:
    owner, name = class_name(r, node.named_children[0]), r.text(node.named_children[-1])
    owner = r.owner if owner == "self" else owner
    if owner in ("static", "parent", "") or not owner.replace("\\", "_").isidentifier():
        return Opaque(r.text(node)[:80])
    return Lit(owner) if name == "class" else Var(f"{owner}::{name}")


def _bare_name(r: Reader, node: Any) -> Node:
    text = r.text(node)
    return Lit(r.namespace) if text == "__NAMESPACE__" else Var(text)


def _inside(r: Reader, node: Any) -> Node:
    inner = [n for n in node.named_children if n.type != "comment"]
    return r.expression(inner[-1]) if inner else Opaque("")


def _assigned(r: Reader, node: Any) -> Node:
    """An assignment used as a value: what it assigns is not followed."""
    return Opaque(r.text(node)[:80], (r.expression(node.child_by_field_name("right")),))


EXPRESSIONS: dict[str, Any] = {
    "string": _string, "encapsed_string": _encapsed, "integer": _number, "float": _number,
    "boolean": lambda r, node: Lit(r.text(node).lower() == "true"), "null": lambda r, node: Lit(None),
    "variable_name": lambda r, node: Var(r.text(node)), "name": _bare_name,
    "qualified_name": lambda r, node: Var(r.text(node).rpartition("\\")[2]),
    "binary_expression": _binary, "unary_op_expression": _unary, "parenthesized_expression": _inside, "error_suppression_expression": _inside,
    "function_call_expression": _call, "member_call_expression": _method, "nullsafe_member_call_expression": _method,
    "scoped_call_expression": _method, "object_creation_expression": _new, "array_creation_expression": _array,
    "anonymous_function": _closure, "arrow_function": _closure, "conditional_expression": _conditional, "subscript_expression": _subscript,
    "member_access_expression": _member, "class_constant_access_expression": _class_constant, "assignment_expression": _assigned,
    "require_expression": construct, "require_once_expression": construct, "include_expression": construct,
    "include_once_expression": construct, "augmented_assignment_expression": _assigned,
}  # fmt: skip
