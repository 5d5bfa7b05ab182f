"""What a Jinja template says, from Jinja's own syntax tree, in the form that all code shares."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from jinja2 import Environment, TemplateError, nodes

from protypon.core.languages.code import (
    BlockBody,
    Code,
    Do,
    Each,
    If,
    Invoke,
    Items,
    Let,
    Lit,
    Node,
    Op,
    Opaque,
    Print,
    Var,
)

LONGEST_CHAIN = 30
"""Of a chain of conditions, so many are told apart."""
_COMPARE = {"eq": "==", "ne": "!=", "lt": "<", "gt": ">", "lteq": "<=", "gteq": ">=", "in": "in", "notin": "not in"}
_BINARY = {nodes.Add: "+", nodes.Sub: "-", nodes.Mul: "*", nodes.And: "and", nodes.Or: "or"}
_WRAPS = (
    nodes.With,
    nodes.FilterBlock,
    nodes.CallBlock,
    nodes.Scope,
    nodes.ScopedEvalContextModifier,
    nodes.OverlayScope,
)


def code(text: str) -> Code:
    """Read a template; one that does not parse says nothing."""
    environment = Environment(
        keep_trailing_newline=True, extensions=["jinja2.ext.do", "jinja2.ext.i18n", "jinja2.ext.loopcontrols"]
    )
    try:
        tree = environment.parse(text)
        body = _statements(tree.body)
        extends = tuple(_expression(node.template) for node in tree.find_all(nodes.Extends))
    except (TemplateError, RecursionError, ValueError):
        return Code()
    return Code((), body, (), extends, sound=True)


def _statements(items: Iterable[nodes.Node]) -> tuple[Node, ...]:
    found: list[Node] = []
    for node in items:
        found += _statement(node)
    return tuple(found)


def _statement(node: Any) -> list[Node]:
    line = node.lineno
    if isinstance(node, nodes.Output):
        return [Print(_expression(part), part.lineno) for part in node.nodes]
    if isinstance(node, nodes.If):
        other = _statements(node.else_)
        chain = node.elif_
        if len(chain) > LONGEST_CHAIN:
            rest = tuple(s for clause in chain[LONGEST_CHAIN:] for s in _statements(clause.body))
            chain, other = chain[:LONGEST_CHAIN], (If(Opaque("a very long chain"), (*rest, *other), (), line),)
        for clause in reversed(chain):
            other = (If(_expression(clause.test), _statements(clause.body), other, clause.lineno),)
        return [If(_expression(node.test), _statements(node.body), other, line)]
    if isinstance(node, nodes.For):
        names = [node.target] if isinstance(node.target, nodes.Name) else list(node.target.iter_child_nodes())
        item = ",".join(n.name if isinstance(n, nodes.Name) else "" for n in names)
        body = (Let("loop", Opaque("loop"), line), *_statements(node.body))
        otherwise = [If(Opaque("a loop over nothing"), _statements(node.else_), (), line)] if node.else_ else []
        over = (
            Opaque("a loop with a condition", (_expression(node.iter),))
            if node.test or node.recursive
            else _expression(node.iter)
        )
        return [Each("", item, over, body, line), *otherwise]
    if isinstance(node, nodes.Block):
        return [BlockBody(node.name, _statements(node.body), line)]
    if isinstance(node, nodes.Include):
        return [Do(_call("include", [_expression(node.template), Lit(bool(node.ignore_missing))], line), line)]
    if isinstance(node, nodes.Assign):
        value = _expression(node.node)
        if isinstance(node.target, nodes.Name):
            return [Let(node.target.name, value, line)]
        return [Let(n.name, Opaque("one of several", (value,)), line) for n in node.target.find_all(nodes.Name)]
    if isinstance(node, nodes.AssignBlock):
        target = [node.target] if isinstance(node.target, nodes.Name) else []
        return [*_statements(node.body), *(Let(n.name, Opaque("a block of text"), line) for n in target)]
    if isinstance(node, nodes.Macro):
        given = [Let(n.name, Opaque("an argument of a macro"), line) for n in node.args]
        return [
            Let(node.name, Opaque("a macro"), line),
            If(Opaque("a macro is called"), (*given, *_statements(node.body)), (), line),
        ]
    if isinstance(node, nodes.Import):
        return [Let(node.target, Opaque("macros"), line)]
    if isinstance(node, nodes.FromImport):
        return [Let(n if isinstance(n, str) else n[1], Opaque("a macro"), line) for n in node.names]
    if isinstance(node, _WRAPS):
        return list(_statements(getattr(node, "body", ())))
    return [Do(_expression(node.node), line)] if isinstance(node, nodes.ExprStmt) else []


def _call(name: str, arguments: list[Node], line: int) -> Invoke:
    return Invoke(name, None, tuple(arguments), (), line, 1)


def _expression(node: Any) -> Node:
    if node is None:
        return Lit(None)
    if isinstance(node, nodes.TemplateData):
        return Lit(node.data)
    if isinstance(node, nodes.Const):
        plain = node.value is None or isinstance(node.value, str | int | float | bool)
        return Lit(node.value) if plain else Opaque(repr(node.value)[:80])
    if isinstance(node, nodes.Name):
        return Var(node.name)
    if isinstance(node, nodes.Call):
        return _invoke(node)
    if isinstance(node, nodes.Getattr):
        return Op("attr", (_expression(node.node), Lit(node.attr)))
    if isinstance(node, nodes.Getitem):
        return Op("[]", (_expression(node.node), _expression(node.arg)))
    if isinstance(node, nodes.Concat):
        return Op(".", tuple(_expression(n) for n in node.nodes))
    if isinstance(node, nodes.BinExpr) and type(node) in _BINARY:
        return Op(_BINARY[type(node)], (_expression(node.left), _expression(node.right)))
    if isinstance(node, nodes.Not):
        return Op("not", (_expression(node.node),))
    if isinstance(node, nodes.Neg) and isinstance(node.node, nodes.Const) and isinstance(node.node.value, int | float):
        return Lit(-node.node.value)
    if isinstance(node, nodes.Compare) and len(node.ops) == 1 and node.ops[0].op in _COMPARE:
        return Op(_COMPARE[node.ops[0].op], (_expression(node.expr), _expression(node.ops[0].expr)))
    if isinstance(node, nodes.CondExpr):
        return Op("?:", (_expression(node.test), _expression(node.expr1), _expression(node.expr2)))
    if isinstance(node, nodes.List | nodes.Tuple):
        return Items(tuple((None, _expression(n)) for n in node.items))
    if isinstance(node, nodes.Dict):
        return Items(tuple((_expression(p.key), _expression(p.value)) for p in node.items))
    if isinstance(node, nodes.Filter) and node.name == "safe":
        return _expression(node.node)
    return Opaque(
        type(node).__name__.lower(), tuple(_expression(n) for n in node.iter_child_nodes() if isinstance(n, nodes.Expr))
    )


def _invoke(node: nodes.Call) -> Node:
    given = [_expression(a) for a in node.args]
    named = tuple((k.key, _expression(k.value)) for k in node.kwargs)
    if node.dyn_args is not None or node.dyn_kwargs is not None:
        given.append(Op("*", (_expression(node.dyn_args or node.dyn_kwargs),)))
    target = node.node
    if isinstance(target, nodes.Name):
        return Invoke(target.name, None, tuple(given), named, node.lineno, 1)
    if isinstance(target, nodes.Getattr) and isinstance(target.node, nodes.Name) and target.node.name == "self":
        return Invoke("self." + target.attr, None, tuple(given), named, node.lineno, 1)
    if isinstance(target, nodes.Getattr):
        return Invoke(target.attr, _expression(target.node), tuple(given), named, node.lineno, 1)
    return Invoke("", _expression(target), tuple(given), named, node.lineno, 1)
