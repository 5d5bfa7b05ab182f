"""Patterns of ``match`` (https://docs.python.org/3/reference/compound_stmts.html#patterns) as conditions on their subject."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from protypon.core.languages.code import Assignment, Expression, Lit, Op, Opaque, Var
from protypon.core.languages.python.names import PythonReader
from protypon.core.languages.trees import inner


def test_of(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """The condition under which a pattern fits; names that it binds are assigned on the way."""
    parts = inner(node)
    kind = node.type
    if kind == "case_pattern" and not parts:
        return Lit(True) if r.text(node).strip() == "_" else _unclear(r, node)
    if kind == "case_pattern" and len(parts) == 1 and node.children[0].type != "-":
        return test_of(r, parts[0], subject)
    if kind == "union_pattern":
        return Op("or", tuple(test_of(r, part, subject) for part in parts))
    if kind in ("integer", "float", "string", "concatenated_string"):
        return Op("==", (subject, r.expression(node)))
    if kind in ("true", "false", "none"):
        return Op("is", (subject, r.expression(node)))
    if kind == "dotted_name" and len(parts) == 1:
        name = Var(r.assigning(r.text(node)))
        return Op("last", (Assignment(name, subject), Lit(True)))
    if kind == "as_pattern" and len(parts) == 2 and parts[1].type == "identifier":
        bound = Assignment(Var(r.assigning(r.text(parts[1]))), subject)
        return Op("and", (test_of(r, parts[0], subject), Op("last", (bound, Lit(True)))))
    return _unclear(r, node)


def _unclear(r: PythonReader, node: Any) -> Expression:
    """A pattern that may fit or not, and binds its names; it may ask objects for their attributes."""
    return Opaque(r.shown(node), (), True, tuple(dict.fromkeys(r.assigning(name) for name in _captured(r, node))))


def _captured(r: PythonReader, node: Any) -> Iterator[str]:
    for part in node.named_children:
        if (part.type == "dotted_name" and len(inner(part)) == 1 and node.type != "class_pattern") or (
            part.type == "identifier" and node.type in ("splat_pattern", "as_pattern")
        ):
            yield r.text(part)
        else:
            yield from _captured(r, part)
