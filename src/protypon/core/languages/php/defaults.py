"""Constants and global variables that code of PHP sets only if they are not set yet (Language Reference, Constants; ``isset``; ``??=``)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from protypon.core.languages.code import Assignment, Code, Do, Expression, If, Invoke, Let, Lit, Node, Op, Var
from protypon.core.languages.semantics import Default


def defaults_in(code: Code) -> tuple[Default, ...]:
    """All of them, those that stand in no function first."""
    found = [row._replace(top=True) for row in _in_body(code.body)]
    return (*found, *(row for function in code.functions for row in _in_body(function.body) if not _is_local(row)))


def _is_local(row: Default) -> bool:
    """A variable of a function's own, which others can't set."""
    return row.local


def _in_body(body: Iterable[Node]) -> Iterator[Default]:
    for statement in body:
        if isinstance(statement, If):
            yield from _guarded_defaults(statement)
            yield from _in_body((*statement.then, *statement.other))
        elif isinstance(statement, Do):
            made = _at_once(statement)
            if made is not None:
                yield made


def _guarded_defaults(statement: If) -> Iterator[Default]:
    """``if (!defined('X')) { define('X', 1); }``, ``if (!isset($x)) { $x = 1; }``"""
    test = statement.test
    if not isinstance(test, Op) or test.op != "not":
        return
    asked = _name_asked(test.parts[0])
    for inner in statement.then:
        made = _plain_default(inner)
        if asked is not None and made is not None and made.name == asked:
            yield made


def _name_asked(test: Expression) -> str | None:
    """The name of which is asked whether it is set."""
    if isinstance(test, Invoke) and test.on is None and test.name.lower() == "defined" and len(test.arguments) == 1:
        name = test.arguments[0]
        return name.value if isinstance(name, Lit) and isinstance(name.value, str) else None
    if isinstance(test, Op) and test.op == "isset" and len(test.parts) == 1:
        return _variable(test.parts[0])
    return None


def _plain_default(statement: Node) -> Default | None:
    """What a plain statement sets."""
    if isinstance(statement, Let):
        return Default(statement.name, statement.value, statement.line, True)
    if not isinstance(statement, Do):
        return None
    value = statement.value
    if isinstance(value, Invoke) and value.on is None and value.name.lower() == "define" and len(value.arguments) == 2:
        name = value.arguments[0]
        return (
            Default(name.value, value.arguments[1], statement.line)
            if isinstance(name, Lit) and isinstance(name.value, str)
            else None
        )
    if isinstance(value, Assignment) and value.op in ("", "??"):
        variable = _variable(value.target)
        return (
            Default(variable, value.value, statement.line, isinstance(value.target, Var))
            if variable is not None
            else None
        )
    return None


def _at_once(statement: Do) -> Default | None:
    """``defined('X') || define('X', 1)``, ``$x ??= 1``"""
    value = statement.value
    if isinstance(value, Assignment) and value.op == "??":
        return _plain_default(statement)
    if isinstance(value, Op) and value.op == "or" and len(value.parts) == 2:
        made = _plain_default(Do(value.parts[1], statement.line))
        return made if made is not None and _name_asked(value.parts[0]) == made.name else None
    return None


def _variable(node: Expression) -> str | None:
    """A variable, or a global one by its name."""
    if isinstance(node, Var):
        return node.name
    if isinstance(node, Op) and node.op == "[]" and len(node.parts) == 2 and node.parts[0] == Var("$GLOBALS"):
        name = node.parts[1]
        return f"${name.value}" if isinstance(name, Lit) and isinstance(name.value, str) else None
    return None
