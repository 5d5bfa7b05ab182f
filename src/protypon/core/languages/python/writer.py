"""Python as text: its units, its calls, and how what is added is written."""

from __future__ import annotations

import ast
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

BLANKS = 2
HEAD = b"def "
SKELETON = ""
_DEFINITIONS = ("function_definition", "decorated_definition", "class_definition")


def _root(data: bytes) -> Any:
    return parser("tree_sitter_python", "language").parse(source_of(data)).root_node


def split(data: bytes) -> list[Piece] | None:
    """The units of a file, in order; None for one that is no plain code from end to end."""
    root = _root(data)
    return None if root.has_error else number_alike(_pieces(list(root.named_children), ""))


def _pieces(nodes: list[Any], owner: str) -> Iterator[Piece]:
    for number, node in enumerate(nodes):
        if node.type == "comment":
            continue
        begin, end = with_comments(node, nodes, number), with_trailing_comment(node, nodes, number)
        inner = node.child_by_field_name("definition") if node.type == "decorated_definition" else node
        if inner.type == "class_definition":
            yield from _class(node, inner, begin, owner)
        else:
            key, what, name = _known_by(node, inner, owner, number)
            yield Piece(key, what, name, begin, node.start_byte, end, node.end_byte)


def _class(node: Any, inner: Any, begin: int, owner: str) -> Iterator[Piece]:
    """A class: where it opens, and its members."""
    name, body = owner + text_of(inner.child_by_field_name("name")), inner.child_by_field_name("body")
    if body.start_point[0] == inner.start_point[0]:
        yield Piece(f"class {name}", "open", name, begin, node.start_byte, node.end_byte)
        return
    colon = next(c for c in inner.children if c.type == ":")
    yield Piece(f"class {name}", "open", name, begin, node.start_byte, colon.end_byte)
    yield from _pieces(list(body.named_children), name + "::")


def _known_by(node: Any, inner: Any, owner: str, number: int) -> tuple[str, str, str]:
    kind = inner.type
    if kind == "function_definition":
        name = owner + text_of(inner.child_by_field_name("name"))
        return f"function {name}", "method" if owner else "function", name
    if kind == "expression_statement" and node.named_children:
        first = node.named_children[0]
        if first.type == "string" and not number:
            return f"{owner}doc", "statement", ""
        if first.type == "call":
            return _call_key(first)
        if first.type == "assignment":
            return f"{owner}set {without_layout(first.child_by_field_name('left').text)}", "statement", ""
    if kind == "if_statement":
        only = _only_function(node)
        if only is not None:
            return f"function {_name(only)}", "function", _name(only)
        return f"if {without_layout(node.child_by_field_name('condition').text)}", "statement", ""
    return f"{owner}{without_layout(node.text or b'')}", "statement", ""


def _name(node: Any) -> str:
    inner = node.child_by_field_name("definition") if node.type == "decorated_definition" else node
    return text_of(inner.child_by_field_name("name"))


def _call_key(node: Any) -> tuple[str, str, str]:
    name = without_layout(node.child_by_field_name("function").text or b"")
    given = node.child_by_field_name("arguments").named_children
    return f"call {name} {' '.join(_argument_key(n) for n in given[:2])}", "call", name


def _argument_key(node: Any) -> str:
    if node.type == "lambda":
        inner = [_call_key(n)[0] for n in walk(node) if n.type == "call"]
        return f"function of {inner[0]}" if inner else "a function"
    return without_layout(node.text or b"", 60).strip("'\"")


def _only_function(node: Any) -> Any:
    """The function that is all there is in an ``if``."""
    if node.type != "if_statement" or node.child_by_field_name("alternative") is not None:
        return None
    body = node.child_by_field_name("consequence")
    inner = [n for n in body.named_children if n.type != "comment"] if body is not None else []
    if len(inner) != 1 or inner[0].type not in ("function_definition", "decorated_definition"):
        return None
    found = inner[0].child_by_field_name("definition") if inner[0].type == "decorated_definition" else inner[0]
    return inner[0] if found.type == "function_definition" else None


def declarations(data: bytes) -> list[DeclarationSpan]:
    """Every named function, and every class that all files know, with its methods behind it."""
    found = []
    for node in walk(_root(data), lambda n: n.type not in ("class_definition", "function_definition")):
        if node.type != "function_definition":
            continue
        whole_node = node.parent if node.parent is not None and node.parent.type == "decorated_definition" else node
        block = whole_node.parent
        outer = block.parent if block is not None and block.type == "block" else None
        guard = outer if outer is not None and _only_function(outer) is not None else None
        found.append(declaration_span("function", _name(node), whole_node, node.end_byte, guard))
    return found


def calls(data: bytes) -> list[CallSpan]:
    """Every call, and every mark, in a file."""
    found = []
    for node in walk(_root(data)):
        if node.type != "call":
            continue
        name, given = node.child_by_field_name("function"), node.child_by_field_name("arguments")
        arguments = []
        for argument in given.named_children if given.type == "argument_list" else ():
            if argument.type == "keyword_argument":
                keyword, value = argument.child_by_field_name("name"), argument.child_by_field_name("value")
                arguments.append((text_of(keyword), value.start_byte, value.end_byte))
            elif argument.type != "comment":
                arguments.append(("", argument.start_byte, argument.end_byte))
        found.append(call_span(name, node, arguments))
    return found


def class_names(data: bytes) -> list[tuple[str, int, int]]:
    """Every place that names a class which all files know: the name, and where it stands."""
    return []


def protected_spans(data: bytes) -> list[tuple[int, int]]:
    """Texts whose lines must not be moved to the right or left."""
    return [
        (n.start_byte, n.end_byte)
        for n in walk(_root(data))
        if n.type == "string" and n.start_point[0] != n.end_point[0]
    ]


def end_of_code(data: bytes) -> int:
    """Where a further statement can be put."""
    return end_of_text(data)


def quotes(data: bytes) -> tuple[int, int]:
    """How many texts stand in single and in double quotes."""
    single = double = 0
    for node in walk(_root(data)):
        if node.type == "string":
            text = text_of(node).lstrip("rbufRBUF")
            single += text.startswith("'")
            double += text.startswith('"') and not text.startswith('"""')
    return single, double


def whole(piece: bytes) -> bytes:
    """A piece as a file of its own."""
    return piece + b"\n"


def preamble(data: bytes) -> bytes:
    """What a file says at its top of the names in it: a piece of it can't be read without."""
    return b"".join(
        (n.text or b"") + b"\n"
        for n in _root(data).named_children
        if n.type in ("import_statement", "import_from_statement")
    )


def globals_of(data: bytes) -> dict[str, str]:
    """Names of a module: of imports with the line, of all else without."""
    found: dict[str, str] = {}
    try:
        tree = ast.parse(data)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return found
    for node in tree.body:
        if isinstance(node, ast.Import | ast.ImportFrom):
            for alias in node.names:
                line = ast.unparse(type(node)(**{**vars(node), "names": [alias]}))
                found[(alias.asname or alias.name).partition(".")[0]] = line
        elif isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            found[node.name] = ""
        else:
            found |= {n.id: "" for n in ast.walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return found


def uses(piece: bytes) -> set[str]:
    """The names that a piece takes from around it."""
    try:
        tree = ast.parse(piece)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return set()
    names = [n for n in ast.walk(tree) if isinstance(n, ast.Name)]
    bound = {n.id for n in names if not isinstance(n.ctx, ast.Load)}
    bound |= {
        a.arg for n in ast.walk(tree) if isinstance(n, ast.arguments) for a in [*n.args, *n.kwonlyargs, *n.posonlyargs]
    }
    own = {n.name for n in ast.walk(tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)}
    return {n.id for n in names if isinstance(n.ctx, ast.Load)} - bound - own


JOIN = " + "


def literal(value: Any, quote: str) -> str:
    """A value as it is written in code. Raises ValueError for one that has no plain form."""
    if value is None or isinstance(value, bool | int | float):
        return repr(value)
    if isinstance(value, str):
        text = repr(value)
        if quote == '"' and text.startswith("'") and '"' not in value:
            return '"' + text[1:-1].replace("\\'", "'") + '"'
        if quote == "'" and text.startswith('"'):
            return "'" + re.sub("'", r"\\'", text[1:-1]) + "'"
        return text
    if isinstance(value, list):
        return "[" + ", ".join(literal(item, quote) for item in value) + "]"
    if isinstance(value, dict):
        return "{" + ", ".join(f"{literal(k, quote)}: {literal(v, quote)}" for k, v in value.items()) + "}"
    raise ValueError(f"{value!r} has no plain form")


def array(pairs: Sequence[tuple[str | None, str]]) -> str:
    """A list or table, its keys and items as they are written; None for an item without a key."""
    inside = ", ".join(value if key is None else f"{key}: {value}" for key, value in pairs)
    return f"[{inside}]" if all(key is None for key, _ in pairs) else f"{{{inside}}}"


def default(name: str, value: str, quote: str) -> str:
    """An expression that sets a constant or global variable unless it is set; empty where the language has none."""
    return ""


def named_argument(keyword: str, value: str) -> str:
    """An argument given by name."""
    return f"{keyword}={value}"


def statement(expression: str) -> str:
    """An expression as a statement."""
    return expression


def comment(words: str) -> str:
    """A comment of one line."""
    return "# " + words


def mark(expression: str) -> str:
    """A decorator, above a function."""
    return "@" + expression


def closure(expression: str, indent: str) -> str:
    """A function without a name that does one thing."""
    return f"lambda: {expression}"


def function(name: str, parameters: list[str], body: list[str], indent: str) -> str:
    """A declaration of a function, without a line end behind it."""
    return f"def {name}({', '.join(parameters)}):\n" + "\n".join(indent + line for line in body)


def variable(name: str) -> str:
    """A variable of that name."""
    return name


def object_at(root: str, owner: str, name: str, attributes: Sequence[str], quote: str) -> str:
    """An expression that gives an object in any file, by a global variable, a class or a call; empty where other files can't ask so."""
    return ""  # each file has its own names


def method(on: str, name: str, quote: str) -> str:
    """A method of an object as a callback."""
    return f"{on}.{name}"


def rest(name: str) -> str:
    """A parameter that takes all that is given, and all of it handed on."""
    return "*" + name


def end_of_body(data: bytes, span: DeclarationSpan) -> int:
    """Where a further member of a class can be put."""
    raise ValueError("no class of Python is known to all files")


def guard_declaration(kind: str, name: str, text: str, indent: str, quote: str) -> str:
    """A declaration that gives way to one that is there already; ``kind`` is ``function``, ``class``, ``interface`` …"""
    raise ValueError("Python has no guards")


def needs(call: str, data: bytes) -> str:
    """The line that must stand at the top of a file before a name can be called in it; empty where none must."""
    module = call.partition(".")[0] if "." in call else ""
    if not module or re.search(rb"(?m)^import (?:[\w.]+(?: as \w+)?, *)*" + module.encode() + rb"\b(?! as)", data):
        return ""
    return f"import {module}"


def after_head(data: bytes) -> int:
    """Behind the docstring, the first comments and imports from the future."""
    root = _root(data)
    nodes = list(root.named_children)
    at = 0
    for number, node in enumerate(nodes):
        first = node.named_children[0] if node.named_children else None
        doc = number == 0 or all(n.type == "comment" for n in nodes[:number])
        if not (
            (node.type == "expression_statement" and doc and first is not None and first.type == "string")
            or node.type == "future_import_statement"
            or (node.type == "comment" and node.start_point[0] == 0 and data.startswith(b"#!"))
        ):
            break
        at = node.end_byte
    return at
