"""PHP as text: its units, its calls, and how what is added is written."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from protypon.core.languages.spans import (
    CallSpan,
    DeclarationSpan,
    Piece,
    call_span,
    declaration_span,
    end_of_text,
    number_alike,
    source_of,
    text_of,
    walk,
    with_comments,
    with_trailing_comment,
    without_layout,
)
from protypon.core.languages.trees import parser

BLANKS = 1
HEAD = b"function "
SKELETON = "<?php\n"
_OPENED = ("class_declaration", "interface_declaration", "trait_declaration", "enum_declaration")
_DECLARED = (*_OPENED, "function_definition")
_METHOD = re.compile(rb"\b(?:public|protected|private|static|final|abstract)\s+(?:\w+\s+)*function\b")
"""What can stand in a class only."""
_TEXTS = ("string", "encapsed_string", "heredoc", "nowdoc", "text", "shell_command_expression")


def _root(data: bytes) -> Any:
    return parser("tree_sitter_php", "language_php").parse(source_of(data)).root_node


def split(data: bytes) -> list[Piece] | None:
    """The units of a file, in order; None for one that is no plain code from end to end."""
    root = _root(data)
    if root.has_error:
        return None
    try:
        return number_alike(_pieces(root.children, data, ""))
    except _Mixed:
        return None


class _Mixed(Exception):
    """HTML stands between the code."""


def _pieces(nodes: list[Any], data: bytes, owner: str) -> Iterator[Piece]:
    for number, node in enumerate(nodes):
        kind = node.type
        if kind == "text" and not (node.text or b"").strip():
            continue
        if kind in ("text", "text_interpolation"):
            if kind == "text_interpolation" and number == len(nodes) - 1 and (node.text or b"").strip() == b"?>":
                yield Piece("end of code", "statement", "", node.start_byte, node.start_byte, node.end_byte)
                continue
            raise _Mixed
        if kind == "comment" or not node.is_named:
            if kind == "?>":
                yield Piece("end of code", "statement", "", node.start_byte, node.start_byte, node.end_byte)
            continue
        begin, end = with_comments(node, nodes, number), with_trailing_comment(node, nodes, number)
        body = node.child_by_field_name("body")
        if kind in _OPENED or (kind == "namespace_definition" and body is not None):
            yield from _class_pieces(node, body, begin, end, data, owner)
        else:
            key, what, name = _known_by(node, owner)
            yield Piece(key, what, name, begin, node.start_byte, end, node.end_byte)


def _class_pieces(node: Any, body: Any, begin: int, end: int, data: bytes, owner: str) -> Iterator[Piece]:
    """A class or namespace: where it opens, its members, where it closes."""
    name_node = node.child_by_field_name("name")
    name = f"{owner}{text_of(name_node) if name_node else ''}"
    brace = body.children[0]
    if node.start_point[0] == body.end_point[0]:
        yield Piece(f"class {name}", "open", name, begin, node.start_byte, end)
        return
    yield Piece(f"class {name}", "open", name, begin, node.start_byte, brace.end_byte)
    inner = owner if node.type == "namespace_definition" else f"{name}::"
    yield from _pieces(list(body.children[1:-1]), data, inner)
    yield Piece(f"end of {name}", "close", name, body.children[-1].start_byte, body.children[-1].start_byte, end)


def _known_by(node: Any, owner: str) -> tuple[str, str, str]:
    """Key, kind and name of a statement."""
    kind = node.type
    if kind in ("function_definition", "method_declaration"):
        name = owner + text_of(node.child_by_field_name("name"))
        return f"function {name.lower()}", "method" if owner else "function", name
    if kind == "php_tag":
        return "head", "statement", ""
    inner = _only_declaration(node)
    if inner is not None:
        what = "function" if inner.type == "function_definition" else "class"
        return f"{what} {_name(inner).lower()}", what, _name(inner)
    if kind == "if_statement":
        return f"if {without_layout(node.child_by_field_name('condition').text)}", "statement", ""
    if kind == "expression_statement" and node.named_children:
        return _expression_key(node.named_children[0])
    if kind in ("property_declaration", "const_declaration"):
        return f"{owner}{kind} {without_layout(node.text or b'').split('=')[0]}", "statement", ""
    return f"{owner}{kind} {without_layout(node.text or b'')}", "statement", ""


def _expression_key(node: Any) -> tuple[str, str, str]:
    if node.type == "function_call_expression":
        name = text_of(node.child_by_field_name("function"))
        given = [n.named_children[-1] for n in node.child_by_field_name("arguments").named_children if n.named_children]
        return f"call {name} {' '.join(_argument_key(n) for n in given[:2])}", "call", name
    if node.type == "assignment_expression":
        return f"set {without_layout(node.child_by_field_name('left').text)}", "statement", ""
    return without_layout(node.text or b""), "statement", ""


def _argument_key(node: Any) -> str:
    """Texts and names tell one call from another; functions written out do not."""
    if node.type in ("anonymous_function", "anonymous_function_creation_expression", "arrow_function"):
        inner = [_expression_key(n) for n in walk(node) if n.type == "function_call_expression"]
        return f"function of {inner[0][0]}" if inner else "a function"
    return without_layout(node.text or b"", 60).strip("'\"")


def _only_declaration(node: Any) -> Any:
    """The function or class that is all there is in an ``if``."""
    if node.type != "if_statement" or node.child_by_field_name("alternative") is not None:
        return None
    body = node.child_by_field_name("body")
    inner = [n for n in body.named_children if n.type != "comment"] if body is not None else []
    return inner[0] if len(inner) == 1 and inner[0].type in _DECLARED else None


def declarations(data: bytes) -> list[DeclarationSpan]:
    """Every named function, and every class that all files know, with its methods behind it."""
    found = []
    for node in walk(_root(data), lambda n: n.type not in _DECLARED):
        if node.type not in _DECLARED:
            continue
        block = node.parent
        outer = block.parent if block is not None and block.type in ("compound_statement", "colon_block") else None
        guard = outer if outer is not None and _only_declaration(outer) is not None else None
        kind, name = "function" if node.type == "function_definition" else "class", _name(node)
        found.append(declaration_span(kind, name, node, node.end_byte, guard))
        if kind == "class":
            methods = (n for n in node.child_by_field_name("body").children if n.type == "method_declaration")
            found += [declaration_span("method", f"{name}::{_name(n)}", n, n.end_byte) for n in methods]
    return found


def _name(node: Any) -> str:
    return text_of(node.child_by_field_name("name"))


def calls(data: bytes) -> list[CallSpan]:
    """Every call, and every mark, in a file."""
    found = []
    for node in walk(_root(data)):
        if node.type == "function_call_expression":
            name, given = node.child_by_field_name("function"), node.child_by_field_name("arguments")
        elif node.type == "attribute" and node.named_children:
            name, given = node.named_children[0], node.child_by_field_name("parameters")
        else:
            continue
        arguments = []
        for argument in given.named_children if given is not None else ():
            keyword = argument.child_by_field_name("name")
            if argument.type == "argument" and argument.named_children:
                value = argument.named_children[-1]
                arguments.append((text_of(keyword) if keyword is not None else "", value.start_byte, value.end_byte))
        found.append(call_span(name, node, arguments))
    return found


_NAMING = {
    "class_declaration": "name", "interface_declaration": "name", "trait_declaration": "name", "enum_declaration": "name",
    "object_creation_expression": "", "base_clause": "", "class_interface_clause": "", "use_declaration": "", "named_type": "", "type_list": "",
    "class_constant_access_expression": "0", "scoped_call_expression": "scope", "scoped_property_access_expression": "scope",
}  # fmt: skip
"""What names a class -> where in it: a field, a number, or anywhere among its own parts."""


def class_names(data: bytes) -> list[tuple[str, int, int]]:
    """Every place that names a class which all files know: the name, and where it stands."""
    found = []
    for node in walk(_root(data)):
        around = node.parent
        if node.type != "name" or around is None:
            continue
        where = _NAMING.get(around.type)
        if where is None and not _is_type_test(around, node):
            continue
        part = (
            around.child_by_field_name(where)
            if where and where != "0"
            else around.named_children[0]
            if where == "0"
            else node
        )
        if part is not None and part.id == node.id:
            found.append((text_of(node), node.start_byte, node.end_byte))
    return found


def _is_type_test(around: Any, node: Any) -> bool:
    """``$x instanceof Name``"""
    operator = around.child_by_field_name("operator") if around.type == "binary_expression" else None
    right = around.child_by_field_name("right")
    return operator is not None and operator.type == "instanceof" and right is not None and right.id == node.id


def protected_spans(data: bytes) -> list[tuple[int, int]]:
    """Texts whose lines must not be moved to the right or left."""
    return [
        (n.start_byte, n.end_byte) for n in walk(_root(data)) if n.type in _TEXTS and n.start_point[0] != n.end_point[0]
    ]


def end_of_code(data: bytes) -> int:
    """Before the last ``?>`` at the top, where nothing but space follows it; else behind all that is no space."""
    root = _root(data)
    last = root.children[-1] if root.children else None
    if last is not None and (last.text or b"").strip() == b"?>":
        return end_of_text(data[: last.start_byte])
    return end_of_text(data)


def quotes(data: bytes) -> tuple[int, int]:
    """How many texts stand in single and in double quotes."""
    kinds = [node.type for node in walk(_root(data))]
    return kinds.count("string"), kinds.count("encapsed_string")


def whole(piece: bytes) -> bytes:
    """A piece as a file of its own."""
    made = b"<?php\n" + piece + b"\n"
    if _METHOD.search(piece) and _root(made).has_error:
        inside = b"<?php\nclass A {\n" + piece + b"\n}\n"
        return made if _root(inside).has_error else inside
    return made


def preamble(data: bytes) -> bytes:
    """What a file says at its top of the names in it: a piece of it can't be read without."""
    return b""


def globals_of(data: bytes) -> dict[str, str]:
    """Functions, classes and constants of PHP are known to all files."""
    return {}


def uses(piece: bytes) -> set[str]:
    """The names that a piece takes from around it."""
    return set()


JOIN = " . "


def literal(value: Any, quote: str) -> str:
    """A value as it is written in code. Raises ValueError for one that has no plain form."""
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    if isinstance(value, int | float):
        return repr(value)
    if isinstance(value, str):
        plain = quote == "'" or re.search(r"[$\\\n\r\t\x00-\x1f\"]", value)
        return "'" + re.sub(r"([\\'])", r"\\\1", value) + "'" if plain else f'"{value}"'
    if isinstance(value, list):
        return "[" + ", ".join(literal(item, quote) for item in value) + "]"
    if isinstance(value, dict):
        return "[" + ", ".join(f"{literal(k, quote)} => {literal(v, quote)}" for k, v in value.items()) + "]"
    raise ValueError(f"{value!r} has no plain form")


def array(pairs: Sequence[tuple[str | None, str]]) -> str:
    """A list or table, its keys and items as they are written; None for an item without a key."""
    return "[" + ", ".join(value if key is None else f"{key} => {value}" for key, value in pairs) + "]"


def default(name: str, value: str, quote: str) -> str:
    """An expression that sets a constant or global variable unless it is set; empty where the language has none."""
    if name.startswith("$"):
        return f"$GLOBALS[{literal(name[1:], quote)}] ??= {value}"
    known_as = literal(name, quote)
    return f"defined({known_as}) || define({known_as}, {value})"


def named_argument(keyword: str, value: str) -> str:
    """An argument given by name."""
    return f"{keyword}: {value}"


def statement(expression: str) -> str:
    """An expression as a statement."""
    return expression + ";"


def comment(words: str) -> str:
    """A comment of one line; nothing in the words ends it."""
    return "// " + words.replace("?>", "? >")


def mark(expression: str) -> str:
    """An attribute, above a function."""
    return f"#[{expression}]"


def closure(expression: str, indent: str) -> str:
    """A function without a name that does one thing."""
    return f"function () {{\n{indent}{expression};\n}}"


def function(name: str, parameters: list[str], body: list[str], indent: str) -> str:
    """A declaration of a function, without a line end behind it."""
    return f"function {name}({', '.join(parameters)}) {{\n" + "".join(f"{indent}{line}\n" for line in body) + "}"


def variable(name: str) -> str:
    """A variable of that name."""
    return "$" + name


def object_at(root: str, owner: str, name: str, attributes: Sequence[str], quote: str) -> str:
    """An expression that gives an object in any file, by a global variable, a class or a call; empty where other files can't ask so."""
    cls, name = "\\" + owner if "\\" in owner else owner, name.removeprefix("$")
    roots = {
        "global": f"$GLOBALS[{literal(name, quote)}]",
        "attribute": f"{cls}::${name}",
        "call": f"{cls}::{name}()" if owner else f"{name}()",
    }
    return "->".join([roots[root], *attributes])


def method(on: str, name: str, quote: str) -> str:
    """A method of an object as a callback."""
    return f"[{on}, {literal(name, quote)}]"


def rest(name: str) -> str:
    """A parameter that takes all that is given, and all of it handed on."""
    return "...$" + name


def guard_declaration(kind: str, name: str, text: str, indent: str, quote: str) -> str:
    """A declaration that gives way to one that is there already; ``kind`` is ``function``, ``class``, ``interface`` …"""
    return f"if (!{kind}_exists({literal(name, quote)})) {{\n{text}\n}}"


def end_of_body(data: bytes, span: DeclarationSpan) -> int:
    """Where a further member of a class can be put."""
    return data.rindex(b"}", span.start, span.end)


def needs(call: str, data: bytes) -> str:
    """The line that must stand at the top of a file before a name can be called in it; empty where none must."""
    return ""


def after_head(data: bytes) -> int:
    """Where such a line belongs."""
    return 0
