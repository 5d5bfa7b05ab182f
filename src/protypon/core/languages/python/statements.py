"""Statements of Python (https://docs.python.org/3/reference/compound_stmts.html) in the form that all code shares."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from protypon.core.languages.code import (
    ANY,
    Assignment,
    Declare,
    DeclareClass,
    Do,
    Each,
    Expression,
    Handler,
    If,
    Invoke,
    Items,
    Jump,
    Leave,
    Let,
    Op,
    Opaque,
    Return,
    Scope,
    Statement,
    Try,
    Unset,
    Var,
    While,
    With,
    anything,
)
from protypon.core.languages.python.expressions import target
from protypon.core.languages.python.names import PythonReader
from protypon.core.languages.python.patterns import sequence_of, test_of
from protypon.core.languages.trees import LONGEST_CHAIN, field, inner, line_of


def statements(r: PythonReader, nodes: Iterable[Any]) -> tuple[Statement, ...]:
    """Read statements, one node after the other."""
    found: list[Statement] = []
    for node in nodes:
        if node.type != "comment":
            found += r.statement(node)
    return tuple(found)


def body(r: PythonReader, node: Any | None, name: str = "body") -> tuple[Statement, ...]:
    """The block of a clause."""
    if node is None:
        return ()
    block = field(node, name) or next((n for n in node.named_children if n.type == "block"), None)
    return statements(r, block.named_children) if block is not None else ()


def _clause(node: Any, kind: str) -> Any | None:
    return next((n for n in node.named_children if n.type == kind), None)


def _import(r: PythonReader, node: Any) -> Iterator[Statement]:
    module = field(node, "module_name")
    prefix = r.text(module) + "." if module is not None else ""
    line = line_of(node)
    everything = any(n.type == "wildcard_import" for n in node.named_children)
    yield Do(Opaque(r.beginning_of(node), (), True, ANY if everything else ()), line)
    for part in node.children_by_field_name("name"):
        if part.type == "aliased_import":
            full, short = prefix + r.text(field(part, "name")), r.text(field(part, "alias"))
        else:
            short = r.text(part) if module is not None else r.text(part).split(".")[0]
            full = prefix + short
        if short in r.assigned:
            r.clashing.add(short)
        r.imported[short] = full
        if short in r.shadowed:
            r.assigned.add(short)
            yield Let(short, Opaque(r.beginning_of(node)), line)


def _expression_statement(r: PythonReader, node: Any) -> Iterator[Statement]:
    for part in inner(node):
        if part.type == "assignment":
            yield from _assignment(r, part)
        elif part.type == "augmented_assignment":
            op = r.text(field(part, "operator")).removesuffix("=")
            value = r.expression(field(part, "right"))
            yield Do(Assignment(target(r, field(part, "left")), value, op), line_of(part))
        elif part.type != "string":
            yield Do(r.expression(part), line_of(node))


def _assignment(r: PythonReader, node: Any) -> Iterator[Statement]:
    line = line_of(node)
    targets = []
    right = node
    while right is not None and right.type == "assignment":
        targets.append(field(right, "left"))
        yield from _annotation(r, field(right, "type"))
        right = field(right, "right")
    if right is None:
        if targets[0].type == "identifier":
            r.assigning(r.text(targets[0]))
        return
    value = r.expression(right)
    made = [target(r, each) for each in targets]
    if len(made) == 1 and isinstance(made[0], Var):
        yield Let(made[0].name, value, line)
    elif len(made) == 1:
        yield Do(Assignment(made[0], value), line)
    else:
        kept = f"assigned@{line}:{node.start_point[1]}"
        yield Let(kept, value, line)
        yield from (Do(Assignment(each, Var(kept)), line) for each in made)


def _annotation(r: PythonReader, node: Any | None) -> Iterator[Statement]:
    """A type is an expression, done or not; of interest only where it calls something."""
    if node is not None and "(" in r.text(node):
        yield Do(Opaque(r.beginning_of(node), r.parts_of(node), False), line_of(node))


def _if(r: PythonReader, node: Any) -> Iterator[Statement]:
    clauses = [n for n in node.named_children if n.type in ("elif_clause", "else_clause")]
    other: tuple[Statement, ...] = ()
    if len(clauses) > LONGEST_CHAIN:
        why = Opaque("a very long chain of conditions")
        rest = [body(r, c, "body" if c.type == "else_clause" else "consequence") for c in clauses[LONGEST_CHAIN:]]
        line = line_of(node)
        other = (While(why, tuple(If(why, each, (), line) for each in rest), line),)
        clauses = clauses[:LONGEST_CHAIN]
    for clause in reversed(clauses):
        if clause.type == "else_clause":
            other = body(r, clause)
        else:
            other = (
                If(r.expression(field(clause, "condition")), body(r, clause, "consequence"), other, line_of(clause)),
            )
    yield If(r.expression(field(node, "condition")), body(r, node, "consequence"), other, line_of(node))


def _for(r: PythonReader, node: Any) -> Iterator[Statement]:
    if any(n.type == "async" for n in node.children):
        yield Do(Opaque("async for", r.parts_of(node), False, ANY, ANY), line_of(node))
        return
    over, item = r.expression(field(node, "right")), target(r, field(node, "left"))
    yield Each(None, item, over, body(r, node), line_of(node), body(r, _clause(node, "else_clause")))


def _while(r: PythonReader, node: Any) -> Iterator[Statement]:
    test = r.expression(field(node, "condition"))
    yield While(test, body(r, node), line_of(node), other=body(r, _clause(node, "else_clause")))


def _try(r: PythonReader, node: Any) -> Iterator[Statement]:
    handlers = []
    for clause in inner(node):
        if clause.type == "except_clause":
            handlers.append(_handler(r, clause))
    made = Try(
        body(r, node), tuple(handlers), body(r, _clause(node, "else_clause")), body(r, _clause(node, "finally_clause")), line_of(node)
    )  # fmt: skip
    if any(n.type == "*" for c in inner(node) if c.type == "except_clause" for n in c.children):
        yield Do(anything("except*"), line_of(node))
    yield made


def _handler(r: PythonReader, clause: Any) -> Handler:
    value, name = field(clause, "value"), ""
    if value is not None and value.type == "as_pattern":
        wanted = inner(field(value, "alias"))[0]
        name = r.assigning(r.text(wanted))
        value = inner(value)[0]
    types = (
        () if value is None else tuple(r.expression(n) for n in (inner(value) if value.type == "tuple" else [value]))
    )
    return Handler(types, name, body(r, clause), line_of(clause))


def _with(r: PythonReader, node: Any) -> Iterator[Statement]:
    contexts: list[tuple[Expression, Expression | None]] = []
    for clause in inner(node):
        for item in inner(clause) if clause.type == "with_clause" else ():
            value = field(item, "value")
            if value is not None and value.type == "as_pattern":
                parts = inner(value)
                contexts.append((r.expression(parts[0]), target(r, inner(parts[1])[0])))
            elif value is not None:
                contexts.append((r.expression(value), None))
    if any(n.type == "async" for n in node.children):
        yield Do(anything("async with"), line_of(node))
    yield With(tuple(contexts), body(r, node), line_of(node))


def _match(r: PythonReader, node: Any) -> Iterator[Statement]:
    """Cases one after the other, each a condition on the subject."""
    line = line_of(node)
    subjects = [r.expression(n) for n in node.children_by_field_name("subject")]
    kept = f"match@{line}:{node.start_point[1]}"
    several = len(subjects) != 1 or any(n.type == "," for n in node.children)
    yield Let(kept, Items(tuple((None, s) for s in subjects), "tuple") if several else subjects[0], line)
    cases = [n for n in inner(field(node, "body")) if n.type == "case_clause"]
    made: list[tuple[Expression, tuple[Statement, ...], int]] = []
    for case in cases:
        patterns = [n for n in inner(case) if n.type == "case_pattern"]
        commas = any(n.type == "," for n in case.children)
        whole = Var(kept)
        test = test_of(r, patterns[0], whole) if not commas else sequence_of(r, case, patterns, whole)
        guard = field(case, "guard")
        if guard is not None:
            test = Op("and", (test, r.expression(inner(guard)[0])))
        made.append((test, body(r, case, "consequence"), line_of(case)))
    other: tuple[Statement, ...] = ()
    if len(made) > LONGEST_CHAIN:
        why = Opaque("a very long chain of cases")
        other = (While(why, tuple(If(test, then, (), at) for test, then, at in made), line),)
        made = []
    for test, then, at in reversed(made):
        other = (If(test, then, other, at),)
    yield from other


def _return(r: PythonReader, node: Any) -> Iterator[Statement]:
    values = inner(node)
    yield Return(r.expression(values[0]) if values else None, line_of(node))


def _raise(r: PythonReader, node: Any) -> Iterator[Statement]:
    cause = field(node, "cause")
    values = [r.expression(n) for n in inner(node) if cause is None or n.id != cause.id]
    value = values[0] if values else None
    if cause is not None and value is not None:
        value = Op("last", (r.expression(cause), value))
    yield Do(Leave("throw", value), line_of(node))


def _assert(r: PythonReader, node: Any) -> Iterator[Statement]:
    parts = [r.expression(n) for n in inner(node)]
    fails = Do(Leave("throw", Invoke("AssertionError", None, tuple(parts[1:]), (), line_of(node), 1)), line_of(node))
    yield If(parts[0], (), (fails,), line_of(node))


def _delete(r: PythonReader, node: Any) -> Iterator[Statement]:
    parts = [n for each in inner(node) for n in (inner(each) if each.type == "expression_list" else [each])]
    yield Unset(tuple(target(r, n) for n in parts), line_of(node))


def _outer(r: PythonReader, node: Any) -> Iterator[Statement]:
    names = tuple(r.bare(n) for n in inner(node))
    r.names.outer |= set(names)
    yield Scope(node.type.partition("_")[0], names, (None,) * len(names), line_of(node))


def _definition(r: PythonReader, node: Any) -> Iterator[Statement]:
    yield from _lower_definition(r, node, ())


def _lower_decorated(r: PythonReader, node: Any) -> Iterator[Statement]:
    decorators = tuple(n for n in node.named_children if n.type == "decorator")
    yield from _lower_definition(r, field(node, "definition"), decorators)


def _lower_definition(r: PythonReader, node: Any, decorators: tuple[Any, ...]) -> Iterator[Statement]:
    """A function or class; in a class a function has that before its name."""
    name = r.assigning(r.bare(field(node, "name")))
    if node.type == "class_definition":
        yield DeclareClass(r.read_class(node, decorators), line_of(node))
        return
    for part in (field(node, "parameters"), field(node, "return_type")):
        for typed in inner(part) if part is not None else ():
            yield from _annotation(r, field(typed, "type") if typed.type.startswith("typed") else None)
    yield Declare(r.function(node, f"{r.owner}::{name}" if r.owner else name, decorators), line_of(node))


def _alias(r: PythonReader, node: Any) -> Iterator[Statement]:
    left = inner(field(node, "left"))
    name = r.assigning(r.text(left[0])) if left and left[0].type == "identifier" else ""
    yield Let(name, Opaque(r.beginning_of(node)), line_of(node)) if name else Do(r.unclear(node), line_of(node))


def _nothing(r: PythonReader, node: Any) -> tuple[Statement, ...]:
    return ()


def _jump(r: PythonReader, node: Any) -> tuple[Statement, ...]:
    return (Jump(node.type.partition("_")[0], 1, "", line_of(node)),)


def _lower_broken(r: PythonReader, node: Any) -> Iterator[Statement]:
    """What the grammar could make nothing of: its parts, and whatever else."""
    yield Do(anything(r.beginning_of(node)), line_of(node))
    yield from statements(r, [n for n in node.named_children if n.type in r.grammar.statements])


STATEMENTS: dict[str, Any] = {
    "expression_statement": _expression_statement, "if_statement": _if, "for_statement": _for, "while_statement": _while,
    "try_statement": _try, "with_statement": _with, "match_statement": _match, "return_statement": _return,
    "break_statement": _jump, "continue_statement": _jump, "pass_statement": _nothing, "future_import_statement": _nothing,
    "function_definition": _definition, "decorated_definition": _lower_decorated, "class_definition": _definition,
    "import_statement": _import, "import_from_statement": _import, "block": lambda r, node: statements(r, node.named_children),
    "raise_statement": _raise, "assert_statement": _assert, "delete_statement": _delete, "global_statement": _outer,
    "nonlocal_statement": _outer, "type_alias_statement": _alias, "ERROR": _lower_broken,
    "print_statement": lambda r, node: (Do(r.unclear(node), line_of(node)),),
    "exec_statement": lambda r, node: (Do(r.unclear(node), line_of(node)),),
}  # fmt: skip
