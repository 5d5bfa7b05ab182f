"""Python code files (https://docs.python.org/3/reference/): what the code says, read by tree-sitter; whether it parses, by Python itself."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from typing import Any

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
    Return,
    Var,
)
from protypon.core.languages.python.expressions import PythonReader, literal
from protypon.core.languages.source import SourceFacts
from protypon.core.languages.trees import DEEPEST, LONGEST_CHAIN, parser, place
from protypon.core.model.nouns import Problem

VERSION = f"python/2 {sys.version}"
"""The interpreter that this runs on has the last word on what parses."""
ANY_ENCODING = False
HOISTS = False
FOLDS_CASE = False


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def code(data: bytes) -> Code:
    reader = PythonReader(data, _function)
    root = parser("tree_sitter_python", "language").parse(reader.source).root_node
    return reader.code(_statements(reader, root), False)


def problems(text: str, file: str) -> list[Problem]:
    try:
        ast.parse(text)
    except SyntaxError as error:
        return [Problem(file, error.msg, error.lineno, error.offset)]
    except (RecursionError, MemoryError, ValueError) as error:
        return [Problem(file, f"does not parse: {error or 'nested too deeply'}")]
    return []


def significant(text: str) -> str:
    """The syntax tree as text; of a file that does not parse, the text itself."""
    try:
        return ast.dump(ast.parse(text))
    except (SyntaxError, RecursionError, MemoryError, ValueError):
        return text


def is_own(name: str) -> bool:
    """No name stands for a function of Python's own: callbacks given by name are functions that themes declare."""
    return False


# Statements


def _statements(r: PythonReader, parent: Any | None) -> tuple[Node, ...]:
    found: list[Node] = []
    for node in parent.named_children if parent is not None else ():
        made = _STATEMENTS.get(node.type)
        if made is not None and r.depth < DEEPEST:
            r.depth += 1
            found += made(r, node)
            r.depth -= 1
    return tuple(found)


def _line(node: Any) -> int:
    return int(node.start_point[0]) + 1


def _body(r: PythonReader, node: Any, field: str = "body") -> tuple[Node, ...]:
    block = node.child_by_field_name(field) or next((n for n in node.named_children if n.type == "block"), None)
    return _statements(r, block)


def _import(r: PythonReader, node: Any) -> Iterator[Node]:
    module = node.child_by_field_name("module_name")
    prefix = r.text(module) + "." if module is not None else ""
    for part in node.children_by_field_name("name"):
        if part.type == "aliased_import":
            name, alias = r.text(part.child_by_field_name("name")), r.text(part.child_by_field_name("alias"))
            r.imported[alias] = prefix + name
        else:
            first = r.text(part) if module is not None else r.text(part).split(".")[0]
            r.imported[first] = prefix + first
    return iter(())


def _expression_statement(r: PythonReader, node: Any) -> Iterator[Node]:
    for inner in node.named_children:
        if inner.type == "assignment":
            yield from _assignment(r, inner)
        elif inner.type == "augmented_assignment":
            yield _augmented(r, inner)
        elif inner.type not in ("comment", "string"):
            yield Do(r.expression(inner), _line(node))


def _assignment(r: PythonReader, node: Any) -> Iterator[Node]:
    targets = []
    right = node
    while right is not None and right.type == "assignment":
        targets.append(right.child_by_field_name("left"))
        right = right.child_by_field_name("right")
    if right is None:
        return
    value = r.expression(right)
    for target in targets:
        if target.type == "identifier":
            yield Let(r.text(target), value, _line(node))
        elif target.type == "attribute":
            holder, name = target.child_by_field_name("object"), target.child_by_field_name("attribute")
            yield Do(Op("set", (r.expression(holder), Lit(r.text(name)), value)), _line(node))
        else:
            changed = _names(r, target)
            yield from (Let(name, Opaque(r.text(target)[:80], (value,)), _line(node)) for name in changed)
            if not changed:
                yield Do(Opaque(r.text(target)[:80], (value,)), _line(node))


def _names(r: PythonReader, target: Any) -> list[str]:
    """The variables that an assignment to something other than a plain name changes."""
    if target.type in ("pattern_list", "tuple_pattern", "list_pattern"):
        return [name for part in target.named_children for name in _names(r, part)]
    while target.type in ("subscript", "attribute"):
        target = target.named_children[0]
    return [r.text(target)] if target.type == "identifier" and r.text(target) != "self" else []


def _augmented(r: PythonReader, node: Any) -> Node:
    target, value = node.child_by_field_name("left"), r.expression(node.child_by_field_name("right"))
    op = r.text(node.child_by_field_name("operator")).rstrip("=")
    if target.type == "identifier" and op in ("+", "-", "*"):
        return Let(r.text(target), Op(op, (Var(r.text(target)), value)), _line(node))
    names = _names(r, target)
    opaque = Opaque(r.text(node)[:80], (value,))
    return Let(names[0], opaque, _line(node)) if names else Do(opaque, _line(node))


def _if(r: PythonReader, node: Any) -> Iterator[Node]:
    other: tuple[Node, ...] = ()
    clauses = [n for n in node.named_children if n.type in ("elif_clause", "else_clause")]
    if len(clauses) > LONGEST_CHAIN:
        rest = tuple(
            s
            for c in clauses[LONGEST_CHAIN:]
            for s in _body(r, c, "body" if c.type == "else_clause" else "consequence")
        )
        clauses, other = clauses[:LONGEST_CHAIN], (If(Opaque("a very long chain"), rest, (), _line(node)),)
    for clause in reversed(clauses):
        if clause.type == "else_clause":
            other = _body(r, clause)
        else:
            test = r.expression(clause.child_by_field_name("condition"))
            other = (If(test, _body(r, clause, "consequence"), other, _line(clause)),)
    yield If(r.expression(node.child_by_field_name("condition")), _body(r, node, "consequence"), other, _line(node))


def _for(r: PythonReader, node: Any) -> Iterator[Node]:
    left = node.child_by_field_name("left")
    names = list(left.named_children) if left.type in ("pattern_list", "tuple_pattern") else [left]
    item = ",".join(r.text(n) if n.type == "identifier" else "" for n in names)
    leaves = any(_has(n, ("break_statement", "continue_statement")) for n in [node.child_by_field_name("body")])
    over = Opaque("a loop that may be left") if leaves else r.expression(node.child_by_field_name("right"))
    yield Each("", item, over, _body(r, node), _line(node))


def _has(node: Any, types: tuple[str, ...]) -> bool:
    waiting = [node]
    while waiting:
        found = waiting.pop()
        if found.type in types:
            return True
        waiting += [n for n in found.named_children if "statement" in n.type or "clause" in n.type or n.type == "block"]
    return False


def _while(r: PythonReader, node: Any) -> Iterator[Node]:
    yield Do(r.expression(node.child_by_field_name("condition")), _line(node))
    yield Each("", "", Opaque("a loop"), _body(r, node), _line(node))


def _try(r: PythonReader, node: Any) -> Iterator[Node]:
    yield from _body(r, node)
    for clause in node.named_children:
        if clause.type in ("except_clause", "except_group_clause"):
            yield If(Opaque("an error is caught"), _body(r, clause), (), _line(clause))
        elif clause.type in ("finally_clause", "else_clause"):
            yield from _body(r, clause)


def _with(r: PythonReader, node: Any) -> Iterator[Node]:
    for clause in node.named_children:
        if clause.type == "with_clause":
            for item in clause.named_children:
                value = item.child_by_field_name("value")
                if value is not None:
                    yield Do(
                        r.expression(value.named_children[0] if value.type == "as_pattern" else value), _line(node)
                    )
    yield from _body(r, node)


def _match(r: PythonReader, node: Any) -> Iterator[Node]:
    other: tuple[Node, ...] = ()
    for case in reversed([n for n in node.child_by_field_name("body").named_children if n.type == "case_clause"]):
        other = (If(Opaque("a case"), _body(r, case, "consequence"), other, _line(case)),)
    yield from other


def _return(r: PythonReader, node: Any) -> Iterator[Node]:
    yield Return(r.expression(node.named_children[0]) if node.named_children else None, _line(node))


def _definition(r: PythonReader, node: Any) -> Iterator[Node]:
    yield Declare(_function(r, node, r.text(node.child_by_field_name("name")), ()), _line(node))


def _decorated(r: PythonReader, node: Any) -> Iterator[Node]:
    inner = node.child_by_field_name("definition")
    marks = tuple(_mark(r, n) for n in node.named_children if n.type == "decorator")
    if inner.type == "function_definition":
        yield Declare(_function(r, inner, r.text(inner.child_by_field_name("name")), marks), _line(inner))
    else:
        yield from _class(r, inner)


def _mark(r: PythonReader, node: Any) -> Invoke:
    inner = node.named_children[0]
    made = r.expression(inner)
    if isinstance(made, Invoke):
        return made
    return Invoke(r.name(inner) or r.text(inner)[:80], None, (), (), *place(node))


def _class(r: PythonReader, node: Any) -> Iterator[Node]:
    name = r.text(node.child_by_field_name("name"))
    bases = node.child_by_field_name("superclasses")
    r.classes.append((name, r.text(bases.named_children[0]) if bases is not None and bases.named_children else ""))
    owner, r.owner = r.owner, name
    for member in node.child_by_field_name("body").named_children:
        inner = member.child_by_field_name("definition") if member.type == "decorated_definition" else member
        marks = tuple(_mark(r, n) for n in member.named_children if n.type == "decorator")
        if inner.type == "function_definition":
            _function(r, inner, f"{name}::{r.text(inner.child_by_field_name('name'))}", marks)
        elif inner.type == "expression_statement":
            yield from _expression_statement(r, inner)
    r.owner = owner


_STATEMENTS: dict[str, Any] = {
    "expression_statement": _expression_statement, "if_statement": _if, "for_statement": _for, "while_statement": _while,
    "try_statement": _try, "with_statement": _with, "match_statement": _match, "return_statement": _return,
    "function_definition": _definition, "decorated_definition": _decorated, "class_definition": _class,
    "import_statement": _import, "import_from_statement": _import, "block": lambda r, node: iter(_statements(r, node)),
    "raise_statement": lambda r, node: iter((Halt(_line(node)),)), "ERROR": lambda r, node: iter(_statements(r, node)),
    "delete_statement": lambda r, node: (Let(name, Opaque("deleted"), _line(node)) for n in node.named_children for name in _names(r, n)),
    "global_statement": lambda r, node: (Let(r.text(n), Opaque("a variable from outside"), _line(node)) for n in node.named_children),
}  # fmt: skip


# Functions


def _function(r: PythonReader, node: Any, name: str, marks: tuple[Invoke, ...]) -> int:
    """Read a function and return its number."""
    number = len(r.functions)
    r.functions.append(None)
    block = node.child_by_field_name("body")
    if r.depth > DEEPEST:
        body: tuple[Node, ...] = (Do(Opaque("nested too deeply"), _line(node)),)
    elif node.type == "lambda":
        body = (Return(r.expression(block), _line(node)),)
    else:
        body = _statements(r, block)
    whole = node.parent if node.parent is not None and node.parent.type == "decorated_definition" else node
    line, column = place(node)
    r.functions[number] = Function(
        name, _params(r, node.child_by_field_name("parameters")), marks, _doc(r, block, whole), body,
        line, node.end_point[0] + 1, column, whole.start_byte + r.shift, node.end_byte + r.shift, ("*",),
    )  # fmt: skip
    return number


def _params(r: PythonReader, node: Any | None) -> tuple[Param, ...]:
    found = []
    only_named = False
    for part in node.named_children if node is not None else ():
        inner = part.named_children[0] if part.type == "typed_parameter" else part
        type_, default = part.child_by_field_name("type"), part.child_by_field_name("value")
        name = part.child_by_field_name("name") or inner
        way = {"list_splat_pattern": "*", "dictionary_splat_pattern": "**"}.get(inner.type, "!" if only_named else "")
        if inner.type in ("keyword_separator", "list_splat_pattern"):
            only_named = True
        if inner.type in ("keyword_separator", "positional_separator", "comment"):
            continue
        found.append(
            Param(
                r.text(name).lstrip("*"),
                r.expression(default) if default else None,
                r.text(type_) if type_ else "",
                way,
            )
        )
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
