"""Expressions of PHP (https://www.php.net/manual/en/language.expressions.php) in the form that all code shares."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from protypon.core.languages.code import (
    MOST_ITEMS,
    Arm,
    Assignment,
    ClassName,
    Expression,
    Fn,
    Invoke,
    Items,
    Leave,
    Lit,
    Matching,
    Op,
    Opaque,
    Var,
    Yield,
    anything,
)
from protypon.core.languages.php.names import PhpReader
from protypon.core.languages.trees import field, inner, line_of, place

_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "v": "\v", "f": "\f", "e": "\x1b", "\\": "\\", "$": "$", '"': '"'}
_ESCAPE = re.compile(r"\\(?:([ntrvfe\\$\"])|x([0-9A-Fa-f]{1,2})|u\{([0-9A-Fa-f]{1,8})\}|([0-7]{1,3}))")


def _string(r: PhpReader, node: Any) -> Expression:
    """A text in single quotes, where only \\\\ and \\' are escapes; one in double quotes without variables."""
    text = r.text(node)
    if text[:1] in "bB":
        text = text[1:]
    text = text[1:-1]
    return Lit(re.sub(r"\\([\\'])", r"\1", text) if "\\" in text else text)


def _unescape(text: str, quote: bool) -> str:
    """A text without its escapes (Language Reference, Strings); a quote is one in double quotes only."""

    def character(found: re.Match[str]) -> str:
        if found[1]:
            return found[0] if found[1] == '"' and not quote else _ESCAPES[found[1]]
        if found[3]:
            return chr(int(found[3], 16)) if int(found[3], 16) < 0x110000 else found[0]
        number = int(found[2], 16) if found[2] else int(found[4], 8) & 255
        return chr(number) if number < 128 else bytes((number,)).decode("utf-8", "surrogateescape")

    return _ESCAPE.sub(character, text)


def _lower_encapsed(r: PhpReader, node: Any) -> Expression:
    return _joined_text(_pieces(r, node, node.start_byte + 1, node.end_byte - 1, True))


def _pieces(r: PhpReader, node: Any, start: int, end: int, quote: bool) -> Iterator[Expression]:
    """Texts and expressions between two offsets; what the grammar has no node for is text."""
    for child in node.named_children:
        if child.type in ("string_content", "escape_sequence", "comment"):
            continue
        braced = r.source[child.start_byte - 1 : child.start_byte] == b"{"
        yield _text(r, start, child.start_byte - braced, quote)
        start = child.end_byte
        yield _subscript_in_text(r, child) if child.type == "subscript_expression" else r.expression(child)
        start += braced and r.source[start : start + 1] == b"}"
    yield _text(r, start, end, quote)


def _text(r: PhpReader, start: int, end: int, quote: bool) -> Expression:
    text = r.source[start:end].decode("utf-8", "surrogateescape")
    return Lit(_unescape(text, quote))


def _subscript_in_text(r: PhpReader, node: Any) -> Expression:
    """``$a[key]`` within a text, where a bare word is a key."""
    parts = inner(node)
    if len(parts) == 2 and parts[1].type == "name" and not r.text(node).startswith("{"):
        return Op("[]", (r.expression(parts[0]), Lit(r.text(parts[1]))))
    return r.expression(node)


def _joined_text(pieces: Iterable[Expression]) -> Expression:
    parts: list[Expression] = []
    for piece in pieces:
        last = parts[-1] if parts else None
        if isinstance(piece, Lit) and isinstance(last, Lit):
            parts[-1] = Lit(f"{last.value}{piece.value}")
        elif piece != Lit(""):
            parts.append(piece)
    if not parts:
        return Lit("")
    return parts[0] if len(parts) == 1 and isinstance(parts[0], Lit) else Op(".", tuple(parts))


def _heredoc(r: PhpReader, node: Any) -> Expression:
    """A text over several lines; the indentation of the closing mark is taken from each (Language Reference, Strings)."""
    body, end = field(node, "value"), field(node, "end_tag")
    if body is None or end is None:
        return Lit("")
    indent = int(end.start_point[1])
    start = r.source.index(b"\n", node.start_byte) + 1
    stop = r.source.rindex(b"\n", start - 1, end.start_byte)
    if stop < start:
        return Lit("")
    stop -= r.source[stop - 1 : stop] == b"\r"
    if node.type == "nowdoc":
        return Lit(_dedent(r.source[start:stop].decode("utf-8", "surrogateescape"), indent))
    return _joined_text(_lines(r, body, start, stop, indent))


def _lines(r: PhpReader, body: Any, start: int, stop: int, indent: int) -> Iterator[Expression]:
    """The pieces of a text over several lines, each text without the indentation of its lines."""
    first = True
    for child in [n for n in body.named_children if n.type not in ("string_content", "escape_sequence", "comment")]:
        braced = r.source[child.start_byte - 1 : child.start_byte] == b"{"
        at = child.start_byte - braced
        yield from _line(r, start, at, indent, first)
        yield _subscript_in_text(r, child) if child.type == "subscript_expression" else r.expression(child)
        start, first = child.end_byte, False
        start += braced and r.source[start : start + 1] == b"}"
    yield from _line(r, start, stop, indent, first)


def _line(r: PhpReader, start: int, stop: int, indent: int, first: bool) -> Iterator[Expression]:
    text = r.source[start:stop].decode("utf-8", "surrogateescape")
    yield Lit(_unescape(_dedent(text, indent, first), False))


def _dedent(text: str, indent: int, first: bool = True) -> str:
    lines = text.split("\n")
    return "\n".join(_without(line, indent) if number or first else line for number, line in enumerate(lines))


def _without(line: str, indent: int) -> str:
    return line[indent:] if not line[:indent].strip() else line


def _number(r: PhpReader, node: Any) -> Expression:
    text = r.text(node).replace("_", "").lower()
    if text[0] == "e":
        return Var(r.constant_name(r.text(node)))  # the grammar takes some names for numbers
    try:
        if node.type == "float":
            return Lit(float(text))
        number = int(text, 8) if re.fullmatch(r"0\d+", text) else int(text, 0)
        return Lit(number) if number < 1 << 63 else Lit(float(number))
    except (ValueError, OverflowError):
        return Opaque(text)


OPERATORS = {
    ".": ".", "+": "+", "-": "-", "*": "*", "/": "/", "%": "%", "**": "**", "==": "==", "===": "===", "!=": "!=", "<>": "!=", "!==": "!==",
    "<": "<", ">": ">", "<=": "<=", ">=": ">=", "<=>": "<=>", "&&": "and", "and": "and", "||": "or", "or": "or", "xor": "xor", "??": "??",
    "&": "&", "|": "|", "^": "^", "<<": "<<", ">>": ">>",
}  # fmt: skip
_CHAINED = (".", "+", "&&", "||")


def _binary(r: PhpReader, node: Any) -> Expression:
    """A chain of the same operator is one operation, so that a long one is not deep."""
    op = field(node, "operator").type.lower()
    left, right = field(node, "left"), field(node, "right")
    if op == "instanceof":
        return Op("instanceof", (r.expression(left), _class(r, right)))
    if op not in OPERATORS:
        return r.unclear(node)
    parts = [right]
    while left.type == "binary_expression" and field(left, "operator").type.lower() == op and op in _CHAINED:
        parts.append(field(left, "right"))
        left = field(left, "left")
    return Op(OPERATORS[op], tuple([r.expression(part) for part in (left, *reversed(parts))]))


def _unary(r: PhpReader, node: Any) -> Expression:
    value = r.expression(field(node, "argument"))
    op = node.children[0].type
    if (
        op == "-"
        and isinstance(value, Lit)
        and isinstance(value.value, int | float)
        and not isinstance(value.value, bool)
    ):
        return Lit(-value.value)
    found = {"!": "not", "-": "neg", "+": "pos", "~": "~"}.get(op)
    return Op(found, (value,)) if found else r.unclear(node)


def arguments(r: PhpReader, node: Any | None) -> tuple[tuple[Expression, ...], tuple[tuple[str, Expression], ...]]:
    """What the function was given that calls it."""
    given: list[Expression] = []
    named: list[tuple[str, Expression]] = []
    for part in inner(node) if node is not None else ():
        if part.type == "argument":
            parts = inner(part)
            if field(part, "name") is not None:
                named.append((r.text(field(part, "name")), r.expression(parts[-1])))
            elif parts:
                given.append(r.expression(parts[-1]))
        elif part.type != "variadic_placeholder":
            given.append(r.unclear(part))
    return tuple(given), tuple(named)


def _is_handle(node: Any | None) -> bool:
    """``f(...)``: the function itself."""
    return node is not None and any(n.type == "variadic_placeholder" for n in node.named_children)


def _lower_call(node: Any, given: Any, call: Expression) -> Expression:
    return Op("handle", (call,)) if _is_handle(given) else call


_NAMES = ("name", "qualified_name", "relative_name")


def _call(r: PhpReader, node: Any) -> Expression:
    function, list_ = field(node, "function"), field(node, "arguments")
    given, named = arguments(r, list_)
    line, column = place(node)
    if function.type not in _NAMES:
        return _lower_call(node, list_, Invoke("", r.expression(function), given, named, line, column))
    bare = r.text(function).lower()
    if bare in ("isset", "empty"):
        return Op(bare, given)
    if bare in ("exit", "die"):
        return Leave("exit", given[0] if given else None)
    if bare in ("eval", "__halt_compiler"):
        return Leave("exit") if bare != "eval" else Op("eval", given)
    return _lower_call(node, list_, Invoke(r.function_name(function), None, given, named, line, column))


def _method(r: PhpReader, node: Any) -> Expression:
    list_ = field(node, "arguments")
    given, named = arguments(r, list_)
    name, line, column = field(node, "name"), *place(node)
    on = r.expression(field(node, "object"))
    if name.type == "name":
        safe = node.type.startswith("nullsafe")
        return _lower_call(node, list_, Invoke(r.text(name), on, given, named, line, column, safe))
    if node.type.startswith("nullsafe"):
        return r.unclear(node)
    return _lower_call(
        node, list_, Invoke("", Items(((None, on), (None, r.expression(name)))), given, named, line, column)
    )


def _static_method(r: PhpReader, node: Any) -> Expression:
    list_ = field(node, "arguments")
    given, named = arguments(r, list_)
    scope, name, line, column = field(node, "scope"), field(node, "name"), *place(node)
    owner = _class(r, scope)
    if name.type == "name" and isinstance(owner, ClassName):
        return _lower_call(node, list_, Invoke(f"{owner.name}::{r.text(name)}", None, given, named, line, column))
    if name.type == "name":
        return _lower_call(node, list_, Invoke(f"::{r.text(name)}", owner, given, named, line, column))
    if isinstance(owner, ClassName) and owner.name not in ("self", "parent", "static"):
        pair = Items(((None, Lit(owner.name)), (None, r.expression(name))))
        return _lower_call(node, list_, Invoke("", pair, given, named, line, column))
    return r.unclear(node)


def _class(r: PhpReader, node: Any) -> Expression:
    """What stands where a class must stand."""
    if node.type in (*_NAMES, "relative_scope", "static_modifier"):
        return ClassName(r.class_name(node))
    return r.expression(node)


def _new(r: PhpReader, node: Any) -> Expression:
    parts = inner(node)
    if not parts:
        return r.unclear(node)
    list_ = next((n for n in parts if n.type == "arguments"), None)
    if parts[0].type == "anonymous_class":
        given, named = arguments(r, next((n for n in inner(parts[0]) if n.type == "arguments"), None))
        return Invoke(f"new {r.anonymous(parts[0])}", None, given, named, *place(node))
    given, named = arguments(r, list_)
    owner = _class(r, parts[0])
    if isinstance(owner, ClassName):
        return Invoke(f"new {owner.name}", None, given, named, *place(node))
    return Invoke("new", owner, given, named, *place(node))


def _array(r: PhpReader, node: Any) -> Expression:
    elements = [n for n in inner(node) if n.type == "array_element_initializer"]
    pairs: list[tuple[Expression | None, Expression]] = []
    for part in elements:
        parts = inner(part)
        if not parts:
            return r.unclear(node)
        value = r.expression(parts[-1])
        pairs.append((r.expression(parts[0]) if len(parts) == 2 else None, value))
    if len(pairs) > MOST_ITEMS:
        return Opaque(
            "a very long list", tuple(part for pair in pairs for part in pair if part and not isinstance(part, Lit))
        )
    return Items(tuple(pairs))


def _reference(r: PhpReader, node: Any) -> Expression:
    """``&$x`` inside something: from there it may be changed."""
    return Op("&", (r.expression(inner(node)[0]),))


def target(r: PhpReader, node: Any) -> Expression:
    """What stands on the left of an assignment."""
    if node.type in ("list_literal", "array_creation_expression"):
        return _several(r, node)
    made = r.expression(node)
    if isinstance(made, Var | Opaque) or (isinstance(made, Op) and made.op in ("[]", "attr", "static", "named", "&")):
        return made
    return r.unclear(node)


def _several(r: PhpReader, node: Any) -> Expression:
    """Targets that take a list apart: ``[$a, 'k' => $b, , $c]`` (Language Reference, Arrays)."""
    elements = inner(node)
    if node.type == "array_creation_expression" and any(n.type != "array_element_initializer" for n in elements):
        return r.unclear(node)
    pairs: list[tuple[Expression | None, Expression]] = []
    number = 0
    for group in _between_commas(node):
        parts = [n for each in group for n in (inner(each) if each.type == "array_element_initializer" else [each])]
        if not parts:
            number += 1
        elif len(parts) == 1:
            pairs.append((Lit(number), target(r, parts[0])))
            number += 1
        else:
            pairs.append((r.expression(parts[0]), target(r, parts[1])))
    return Items(tuple(pairs))


def _between_commas(node: Any) -> Iterator[list[Any]]:
    group: list[Any] = []
    for child in node.children:
        if child.type == ",":
            yield group
            group = []
        elif child.is_named and child.type != "comment":
            group.append(child)
    if group:
        yield group


def _lower_assignment(r: PhpReader, node: Any) -> Expression:
    left = target(r, field(node, "left"))
    return Assignment(left, r.expression(field(node, "right")))


def _lower_alias(r: PhpReader, node: Any) -> Expression:
    return Assignment(target(r, field(node, "left")), r.expression(field(node, "right")), "=&")


def _lower_augmented(r: PhpReader, node: Any) -> Expression:
    op = field(node, "operator").type.removesuffix("=")
    if op not in OPERATORS:
        return r.unclear(node)
    return Assignment(target(r, field(node, "left")), r.expression(field(node, "right")), OPERATORS[op])


def _update(r: PhpReader, node: Any) -> Expression:
    after = not node.children[0].type.startswith(("+", "-"))
    return Assignment(target(r, field(node, "argument")), Lit(1), field(node, "operator").type, after)


def _closure(r: PhpReader, node: Any) -> Expression:
    clause = next((n for n in node.named_children if n.type == "anonymous_function_use_clause"), None)
    captured = tuple(r.text(n) for n in inner(clause)) if clause is not None else ()
    return Fn(r.function(node, "", ("*",) if node.type == "arrow_function" else captured))


def construct(r: PhpReader, node: Any) -> Expression:
    """``require`` and its kind: a call of that name."""
    name = node.type.removesuffix("_expression")
    return Invoke(name, None, tuple(r.expression(n) for n in inner(node)[:1]), (), *place(node))


def _conditional(r: PhpReader, node: Any) -> Expression:
    test, value, other = (field(node, name) for name in ("condition", "body", "alternative"))
    if value is None:
        return Op("or else", (r.expression(test), r.expression(other)))
    return Op("?:", (r.expression(test), r.expression(value), r.expression(other)))


def _subscript(r: PhpReader, node: Any) -> Expression:
    return Op("[]", tuple(r.expression(n) for n in inner(node)[:2]))


def _member(r: PhpReader, node: Any) -> Expression:
    name = field(node, "name")
    key = Lit(r.text(name)) if name.type == "name" else r.expression(name)
    return Op("?attr" if node.type.startswith("nullsafe") else "attr", (r.expression(field(node, "object")), key))


def _static_property(r: PhpReader, node: Any) -> Expression:
    name = field(node, "name")
    if name.type != "variable_name":
        return r.unclear(node)
    return Op("static", (_class(r, field(node, "scope")), Lit(r.text(name)[1:])))


def _class_constant(r: PhpReader, node: Any) -> Expression:
    parts = inner(node)
    owner = _class(r, parts[0])
    if len(parts) < 2:
        return Op("constant", (owner, Lit("class")))
    name = Lit(r.text(parts[-1])) if parts[-1].type == "name" else r.expression(parts[-1])
    if isinstance(owner, ClassName) and name == Lit("class") and owner.name not in ("self", "static", "parent"):
        return Lit(owner.name)
    return Op("constant", (owner, name))


def _bare_name(r: PhpReader, node: Any) -> Expression:
    text = r.text(node)
    match text.upper():
        case "__NAMESPACE__":
            return Lit(r.namespace)
        case "__LINE__":
            return Lit(line_of(node))
        case "__CLASS__":
            return Op("constant", (ClassName("self"), Lit("class"))) if r.owner else Lit("")
        case "__FUNCTION__" | "__METHOD__":
            known = r.named is not None
            return Lit(_named_here(r, text.upper() == "__METHOD__")) if known else Opaque(text)
        case "__TRAIT__":
            return Lit(r.owner if r.owner_kind == "trait" else "")
        case "__PROPERTY__":
            return Opaque(text)
        case "__DIR__" | "__FILE__":
            return Var(text.upper())
    return Var(r.constant_name(text))


def _named_here(r: PhpReader, with_class: bool) -> str:
    """The name of the function in which something stands; of a method, with its class or without."""
    name = r.named or ""
    return name if with_class else name.rpartition("::")[2]


def _variable_by_name(r: PhpReader, node: Any) -> Expression:
    """``$$x``, ``${'a'}``: any variable."""
    parts = inner(node)
    if len(parts) == 1 and parts[0].type == "name":
        return Var("$" + r.text(parts[0]))
    return (
        Op("named", (r.expression(parts[-1]),)) if len(parts) == 1 else anything(r.beginning_of(node), r.parts_of(node))
    )


def _inside(r: PhpReader, node: Any) -> Expression:
    parts = inner(node)
    return r.expression(parts[-1]) if parts else r.unclear(node)


_CASTS = {
    "int": "int", "integer": "int", "float": "float", "double": "float", "real": "float", "string": "string", "binary": "string",
    "bool": "bool", "boolean": "bool", "array": "array", "object": "object", "unset": "unset",
}  # fmt: skip


def _cast(r: PhpReader, node: Any) -> Expression:
    kind = _CASTS.get(r.text(field(node, "type")).strip().lower())
    return Op(f"({kind})", (r.expression(field(node, "value")),)) if kind else r.unclear(node)


def _match(r: PhpReader, node: Any) -> Expression:
    arms = []
    for arm in inner(field(node, "body")):
        tests = field(arm, "conditional_expressions")
        conditions = tuple(r.expression(n) for n in inner(tests)) if tests is not None else ()
        arms.append(Arm(conditions, r.expression(field(arm, "return_expression"))))
    return Matching(r.expression(field(node, "condition")), tuple(arms))


def _throw(r: PhpReader, node: Any) -> Expression:
    return Leave("throw", r.expression(inner(node)[0]) if inner(node) else None)


def _yield(r: PhpReader, node: Any) -> Expression:
    r.generates = True
    parts = [n for each in inner(node) for n in (inner(each) if each.type == "array_element_initializer" else [each])]
    return Yield(tuple(r.expression(n) for n in parts), any(n.type == "yield from" for n in node.children))


def sequence(r: PhpReader, node: Any) -> Expression:
    """Several, of which the last one counts."""
    return Op("last", tuple(r.expression(n) for n in comma_parts(node)))


def comma_parts(node: Any) -> list[Any]:
    """The expressions between commas, which the grammar hangs one into the other."""
    found: list[Any] = []
    waiting = [node]
    while waiting:
        each = waiting.pop()
        if each.type == "sequence_expression":
            waiting += reversed(inner(each))
        else:
            found.append(each)
    return found


EXPRESSIONS: dict[str, Any] = {
    "string": _string, "nowdoc_string": _string, "encapsed_string": _lower_encapsed, "heredoc": _heredoc, "nowdoc": _heredoc,
    "integer": _number, "float": _number,
    "boolean": lambda r, node: Lit(r.text(node).lower() == "true"), "null": lambda r, node: Lit(None),
    "variable_name": lambda r, node: Var(r.text(node)), "dynamic_variable_name": _variable_by_name, "name": _bare_name,
    "qualified_name": lambda r, node: Var(r.class_name(node)), "relative_name": lambda r, node: Var(r.class_name(node)),
    "namespace_name": lambda r, node: Var(r.text(node)),
    "binary_expression": _binary, "unary_op_expression": _unary, "update_expression": _update, "cast_expression": _cast,
    "clone_expression": lambda r, node: Op("clone", (_inside(r, node),)), "parenthesized_expression": _inside,
    "error_suppression_expression": _inside, "sequence_expression": sequence,
    "print_intrinsic": lambda r, node: Op("print", (_inside(r, node),)),
    "function_call_expression": _call, "member_call_expression": _method, "nullsafe_member_call_expression": _method,
    "scoped_call_expression": _static_method, "object_creation_expression": _new, "array_creation_expression": _array,
    "by_ref": _reference, "variadic_unpacking": lambda r, node: Op("*", (_inside(r, node),)),
    "anonymous_function": _closure, "arrow_function": _closure, "conditional_expression": _conditional, "match_expression": _match,
    "subscript_expression": _subscript, "member_access_expression": _member, "nullsafe_member_access_expression": _member,
    "scoped_property_access_expression": _static_property, "class_constant_access_expression": _class_constant,
    "assignment_expression": _lower_assignment, "reference_assignment_expression": _lower_alias, "augmented_assignment_expression": _lower_augmented,
    "list_literal": lambda r, node: r.unclear(node),
    "require_expression": construct, "require_once_expression": construct, "include_expression": construct,
    "include_once_expression": construct, "throw_expression": _throw, "yield_expression": _yield,
    "shell_command_expression": lambda r, node: Opaque(r.shown(node), r.parts_of(node)),
}  # fmt: skip
