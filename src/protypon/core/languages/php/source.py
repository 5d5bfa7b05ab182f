"""PHP (https://www.php.net/manual/en/langref.php) and the HTML round it, read by tree-sitter: what the code says."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

from protypon.core.files.programs import identity, program
from protypon.core.languages.code import (
    Code,
    Declare,
    Do,
    Each,
    Function,
    Halt,
    If,
    Invoke,
    Let,
    Lit,
    Node,
    Op,
    Opaque,
    Param,
    Print,
    Return,
    Var,
)
from protypon.core.languages.mentions import mentions
from protypon.core.languages.php.expressions import EXPRESSIONS, OPERATORS, arguments, class_name, construct, declared
from protypon.core.languages.source import SourceFacts
from protypon.core.languages.trees import DEEPEST, LONGEST_CHAIN, Reader, first_error, parser, place
from protypon.core.model.nouns import Problem

INTERPRETER = program("php")
VERSION = f"php/1 {identity(INTERPRETER)}"
"""With the interpreter at hand it has the last word on what parses."""
SECONDS = 10
ANY_ENCODING = True
"""PHP takes every byte above 127 as a letter (Language Reference, Variables)."""
HOISTS = True
"""Functions at the top of a file are there before its first statement runs (Language Reference, Functions)."""
FOLDS_CASE = True
"""Letter case makes no difference in the names of functions."""


def _tree(source: bytes) -> Any:
    return parser("tree_sitter_php", "language_php").parse(source)


def facts(text: str) -> SourceFacts:
    return SourceFacts(mentions=mentions(text))


def code(data: bytes) -> Code:
    reader = Reader(data, EXPRESSIONS, _function)
    root = _tree(reader.source).root_node
    return reader.code(_statements(reader, root), not root.has_error)


def problems(text: str, file: str) -> list[Problem]:
    """Where a file does not parse; where the grammar does not know something that the interpreter does, nothing is wrong."""
    source = text.encode("utf-8", "surrogateescape")
    found = first_error(_tree(source), file)
    if not found or INTERPRETER is None:
        return found
    command = [INTERPRETER, "-n", "-d", "display_errors=1", "-l"]
    try:
        done = subprocess.run(command, input=source, capture_output=True, timeout=SECONDS)
    except (OSError, subprocess.TimeoutExpired):
        return found
    if done.returncode == 0:
        return []
    said = re.search(r"(?:Parse|Fatal) error:\s*(.+) in .* on line (\d+)", done.stdout.decode("utf-8", "replace"))
    if said is None:
        return found
    column = next((p.column for p in found if p.line == int(said[2])), None)
    return [Problem(file, said[1], int(said[2]), column)]


def significant(text: str) -> str:
    """The tokens, one a line, without comments; white space in HTML counts as one space."""
    source = text.encode("utf-8", "surrogateescape")
    return "\n".join(_tokens(_tree(source).root_node, source))


def _tokens(root: Any, source: bytes) -> Iterator[str]:
    waiting = [root]
    while waiting:
        node = waiting.pop()
        if node.type == "comment":
            continue
        whole = node.type in ("string", "encapsed_string", "heredoc", "nowdoc", "text")
        if whole or node.child_count == 0:
            text = source[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape")
            yield " ".join(text.split()) if node.type == "text" else text
        else:
            waiting.extend(reversed(node.children))


@lru_cache(maxsize=1)
def _own_functions() -> tuple[frozenset[str], tuple[str, ...]]:
    """Names of functions that come with PHP, and beginnings of names."""
    lines = Path(__file__).with_name("functions.txt").read_text("utf-8").split("\n")
    rows = [line for line in lines if line and not line.startswith("#")]
    return frozenset(r for r in rows if r[-1] != "*"), tuple(r[:-1] for r in rows if r[-1] == "*")


def is_own(name: str) -> bool:
    """Whether a function may come with the interpreter: which ones do depends on its release and extensions."""
    names, beginnings = _own_functions()
    return name.lower() in names or name.lower().startswith(beginnings)


# Statements


def _statements(r: Reader, parent: Any) -> tuple[Node, ...]:
    """Every statement below a node, in order. A doc comment belongs to what follows it."""
    found: list[Node] = []
    echo = False
    for node in parent.named_children:
        kind = node.type
        if kind == "php_tag":
            echo = node.end_byte - node.start_byte == 3
        elif kind == "text":
            found.append(Print(Lit(r.text(node)), node.start_point[0] + 1))
        elif kind == "text_interpolation":
            found += _statements(r, node)
            echo = any(n.type == "php_tag" and n.end_byte - n.start_byte == 3 for n in node.named_children)
        elif echo and kind == "expression_statement":
            echo = False
            found += [Print(r.expression(n), node.start_point[0] + 1) for n in node.named_children]
        elif kind in _STATEMENTS and r.depth < DEEPEST:
            r.depth += 1
            found += _STATEMENTS[kind](r, node)
            r.depth -= 1
    return tuple(found)


def _expression_statement(r: Reader, node: Any) -> Iterator[Node]:
    for inner in node.named_children:
        line = node.start_point[0] + 1
        if inner.type == "assignment_expression":
            yield _assignment(r, inner, line)
        elif inner.type == "augmented_assignment_expression":
            yield _augmented(r, inner, line)
        elif inner.type == "include_expression":
            yield Do(construct(r, inner), line)
        elif inner.type == "print_intrinsic":
            yield Print(r.expression(inner.named_children[0]), line)
        elif inner.type in ("exit_statement", "throw_expression"):
            yield Halt(line)
        elif inner.type != "comment":
            value = r.expression(inner)
            yield Do(value, line)
            if value.tag == "call" and value.name.lower() in ("die", "exit"):
                yield Halt(line)


def _assignment(r: Reader, node: Any, line: int) -> Node:
    left, value = node.child_by_field_name("left"), r.expression(node.child_by_field_name("right"))
    if left.type == "variable_name":
        return Let(r.text(left), value, line)
    if left.type == "member_access_expression" and left.child_by_field_name("name").type == "name":
        holder, name = left.child_by_field_name("object"), left.child_by_field_name("name")
        return Do(Op("set", (r.expression(holder), Lit(r.text(name)), value)), line)
    if left.type in ("list_literal", "array_creation_expression"):
        return Let(",".join(r.text(n) for n in left.named_children), Opaque(r.text(left)[:80], (value,)), line)
    changed = _changed_variable(r, left)
    return Let(changed, Opaque(r.text(left), (value,)), line) if changed else Do(Opaque(r.text(left), (value,)), line)


def _changed_variable(r: Reader, left: Any) -> str:
    """The variable whose inside an assignment changes: ``$x`` of ``$x['a'][]``."""
    while left is not None and left.type in ("subscript_expression", "member_access_expression"):
        left = left.named_children[0] if left.named_children else None
    return r.text(left) if left is not None and left.type == "variable_name" and r.text(left) != "$this" else ""


def _augmented(r: Reader, node: Any, line: int) -> Node:
    left, value = node.child_by_field_name("left"), r.expression(node.child_by_field_name("right"))
    op = r.text(node.child_by_field_name("operator")).rstrip("=")
    name = _changed_variable(r, left)
    if left.type == "variable_name" and op in OPERATORS:
        return Let(name, Op(OPERATORS[op], (Var(name), value)), line)
    return Let(name, Opaque(r.text(node), (value,)), line) if name else Do(Opaque(r.text(node), (value,)), line)


def _block(r: Reader, node: Any | None) -> tuple[Node, ...]:
    if node is None:
        return ()
    if node.type in ("compound_statement", "colon_block", "else_clause", "declaration_list", "switch_block"):
        body = node.child_by_field_name("body")
        return _block(r, body) if body is not None else _statements(r, node)
    found = _STATEMENTS.get(node.type)
    return tuple(found(r, node)) if found else ()


def _if(r: Reader, node: Any) -> Iterator[Node]:
    clauses = node.children_by_field_name("alternative")
    other: tuple[Node, ...] = ()
    if len(clauses) > LONGEST_CHAIN:
        rest = tuple(s for clause in clauses[LONGEST_CHAIN:] for s in _block(r, clause))
        clauses, other = clauses[:LONGEST_CHAIN], (If(Opaque("a very long chain"), rest, (), node.start_point[0] + 1),)
    for clause in reversed(clauses):
        other = (_one_if(r, clause, other),) if clause.type == "else_if_clause" else _block(r, clause)
    yield _one_if(r, node, other)


def _one_if(r: Reader, node: Any, other: tuple[Node, ...]) -> Node:
    test = r.expression(node.child_by_field_name("condition"))
    return If(test, _block(r, node.child_by_field_name("body")), other, node.start_point[0] + 1)


def _left(body: Any) -> bool:
    """Whether a loop may be left, or go on, before the end of its body."""
    waiting = [body]
    while waiting:
        node = waiting.pop()
        if node.type in ("break_statement", "continue_statement"):
            return True
        waiting += [n for n in node.named_children if n.type in _STATEMENTS or n.type.endswith(("clause", "statement"))]
    return False


def _foreach(r: Reader, node: Any) -> Iterator[Node]:
    over, target = [n for n in node.named_children if n.type != "comment"][:2]
    names = [r.text(n) for n in (target.named_children if target.type == "pair" else [target])]
    plain = [n if n.startswith("$") else "" for n in names]
    key, item = (plain[0], plain[1]) if len(plain) == 2 else ("", plain[0])
    body = node.child_by_field_name("body")
    found = Opaque("a loop that may be left") if body is not None and _left(body) else r.expression(over)
    yield Each(key, item, found, _block(r, body), node.start_point[0] + 1)


def _loop(r: Reader, node: Any) -> Iterator[Node]:
    """A loop of which it is not known how often it runs."""
    line = node.start_point[0] + 1
    for field in ("initialize", "condition"):
        part = node.child_by_field_name(field)
        if part is not None and part.type in EXPRESSIONS:
            yield Do(r.expression(part), line)
    yield Each("", "", Opaque("a loop"), _block(r, node.child_by_field_name("body")), line)


def _switch(r: Reader, node: Any) -> Iterator[Node]:
    """Cases one after the other, each with a test; one that falls through is not known."""
    value = r.expression(node.child_by_field_name("condition"))
    body = node.child_by_field_name("body")
    other: tuple[Node, ...] = ()
    cases = [n for n in body.named_children if n.type in ("case_statement", "default_statement")]
    if len(cases) > LONGEST_CHAIN:
        yield If(
            Opaque("a very long chain"),
            tuple(s for case in cases for s in _statements(r, case)),
            (),
            node.start_point[0] + 1,
        )
        return
    for case in reversed(cases):
        statements = [
            n for n in case.named_children if n.type in _STATEMENTS or n.type in ("break_statement", "return_statement")
        ]
        inner = _statements(r, case)
        wanted = case.child_by_field_name("value")
        leaves = bool(statements) and statements[-1].type in ("break_statement", "return_statement", "exit_statement")
        last = case.next_named_sibling is None
        if not (leaves or last):
            other = (If(Opaque("a case that falls through"), inner, (), case.start_point[0] + 1), *other)
        elif wanted is None:
            other = inner if not other else (If(Opaque("default"), inner, other, case.start_point[0] + 1),)
        else:
            other = (If(Op("==", (value, r.expression(wanted))), inner, other, case.start_point[0] + 1),)
    yield from other


def _try(r: Reader, node: Any) -> Iterator[Node]:
    yield from _block(r, node.child_by_field_name("body"))
    for clause in node.named_children:
        body = clause.child_by_field_name("body")
        if clause.type == "catch_clause":
            yield If(Opaque("an error is caught"), _block(r, body), (), clause.start_point[0] + 1)
        elif clause.type == "finally_clause":
            yield from _block(r, body)


def _echo(r: Reader, node: Any) -> Iterator[Node]:
    for inner in node.named_children:
        parts = inner.named_children if inner.type == "sequence_expression" else [inner]
        yield from (Print(r.expression(part), node.start_point[0] + 1) for part in parts if part.type != "comment")


def _return(r: Reader, node: Any) -> Iterator[Node]:
    values = [n for n in node.named_children if n.type != "comment"]
    yield Return(r.expression(values[0]) if values else None, node.start_point[0] + 1)


def _constants(r: Reader, node: Any) -> Iterator[Node]:
    for element in node.named_children:
        if element.type == "const_element" and len(element.named_children) == 2:
            yield Let(
                r.text(element.named_children[0]), r.expression(element.named_children[1]), node.start_point[0] + 1
            )


def _unset(r: Reader, node: Any) -> Iterator[Node]:
    for part in node.named_children:
        name = _changed_variable(r, part)
        if name:
            yield Let(name, Lit(None) if part.type == "variable_name" else Opaque("unset"), node.start_point[0] + 1)


def _outer_names(r: Reader, node: Any) -> Iterator[Node]:
    for part in node.named_children:
        name = part if part.type == "variable_name" else part.child_by_field_name("name")
        if name is not None:
            yield Let(r.text(name), Opaque("a variable from outside"), node.start_point[0] + 1)


def _function_statement(r: Reader, node: Any) -> Iterator[Node]:
    number = _function(r, node, declared(r, r.text(node.child_by_field_name("name"))))
    yield Declare(number, r.functions[number].line)


def _class(r: Reader, node: Any) -> Iterator[Node]:
    name = declared(r, r.text(node.child_by_field_name("name")))
    base = next((n for n in node.named_children if n.type == "base_clause"), None)
    r.classes.append((name, class_name(r, base.named_children[0]) if base is not None and base.named_children else ""))
    outer, r.owner = r.owner, name
    for member in node.child_by_field_name("body").named_children:
        if member.type == "method_declaration":
            _function(r, member, f"{name}::{r.text(member.child_by_field_name('name'))}")
        elif member.type == "const_declaration":
            r.constants += [Let(f"{name}::{let.name}", let.value, let.line) for let in _constants(r, member)]
    r.owner = outer
    return iter(())


def _namespace(r: Reader, node: Any) -> Iterator[Node]:
    """From here on, or in its braces, names belong to a namespace (Language Reference, Namespaces)."""
    name = node.child_by_field_name("name")
    r.namespace = r.text(name) if name is not None else ""
    yield from _block(r, node.child_by_field_name("body"))


def _use(r: Reader, node: Any) -> Iterator[Node]:
    for clause in node.named_children:
        names = [r.text(n) for n in clause.named_children if n.type in ("name", "qualified_name")]
        if clause.type == "namespace_use_clause" and names:
            r.used[names[-1].rpartition("\\")[2]] = names[0].lstrip("\\")
    return iter(())


def _label(r: Reader, node: Any) -> Iterator[Node]:
    yield from _statements(r, node)


_STATEMENTS: dict[str, Any] = {
    "expression_statement": _expression_statement, "compound_statement": _label, "if_statement": _if, "foreach_statement": _foreach,
    "while_statement": _loop, "do_statement": _loop, "for_statement": _loop, "switch_statement": _switch, "try_statement": _try,
    "echo_statement": _echo, "return_statement": _return, "const_declaration": _constants, "unset_statement": _unset,
    "global_declaration": _outer_names, "function_static_declaration": _outer_names, "function_definition": _function_statement,
    "class_declaration": _class, "namespace_definition": _namespace, "namespace_use_declaration": _use, "ERROR": _label,
    "exit_statement": lambda r, node: iter((Halt(node.start_point[0] + 1),)),
    "text_interpolation": _label,
}  # fmt: skip


# Functions


def _function(r: Reader, node: Any, name: str, captured: tuple[str, ...] = ()) -> int:
    """Read a function and return its number."""
    number = len(r.functions)
    r.functions.append(None)
    body = node.child_by_field_name("body")
    if r.depth > DEEPEST:
        statements: tuple[Node, ...] = (Do(Opaque("nested too deeply"), node.start_point[0] + 1),)
    elif body is not None and node.type == "arrow_function":
        statements = (Return(r.expression(body), body.start_point[0] + 1),)
    else:
        statements = _block(r, body)
    line, column = place(next((n for n in node.children if n.type in ("function", "fn", "static")), node))
    r.functions[number] = Function(
        name, _params(r, node.child_by_field_name("parameters")), _marks(r, node), _doc(r, node), statements,
        line, node.end_point[0] + 1, column, node.start_byte + r.shift, node.end_byte + r.shift, captured,
    )  # fmt: skip
    return number


def _params(r: Reader, node: Any | None) -> tuple[Param, ...]:
    found = []
    for part in node.named_children if node is not None and node.type == "formal_parameters" else ():
        name = part.child_by_field_name("name")
        if name is None:
            continue
        default, type_ = part.child_by_field_name("default_value"), part.child_by_field_name("type")
        way = (
            "*"
            if part.type == "variadic_parameter"
            else ("&" if part.child_by_field_name("reference_modifier") else "")
        )
        found.append(
            Param(r.text(name), r.expression(default) if default else None, r.text(type_) if type_ else "", way)
        )
    return tuple(found)


def _marks(r: Reader, node: Any) -> tuple[Invoke, ...]:
    attributes = node.child_by_field_name("attributes")
    found = []
    for group in attributes.named_children if attributes is not None else ():
        for mark in group.named_children:
            if mark.type == "attribute" and mark.named_children:
                given, named = arguments(r, mark.child_by_field_name("parameters"))
                found.append(Invoke(r.text(mark.named_children[0]).lstrip("\\"), None, given, named, *place(mark)))
    return tuple(found)


def _doc(r: Reader, node: Any) -> str:
    """The comment right above a function, without its marks."""
    before = node.prev_named_sibling
    if before is None or before.type != "comment" or node.start_point[0] - before.end_point[0] > 1:
        return ""
    text = r.text(before)
    lines = (
        [line.strip().lstrip("*").strip() for line in text[2:-2].lstrip("*").split("\n")]
        if text.startswith("/*")
        else [re.sub(r"^(//|#)\s*", "", text)]
    )
    return "\n".join(lines).strip()
