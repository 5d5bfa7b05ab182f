"""What a Jinja template says, from Jinja's own syntax tree: the oracle of our reader."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from jinja2 import Environment, nodes

from protypon.core.languages.code import (
    BlockBody,
    Capture,
    Do,
    Each,
    If,
    Invoke,
    Items,
    Jump,
    Let,
    Lit,
    Node,
    Op,
    Opaque,
    Print,
    Var,
)

ENVIRONMENT = Environment(
    keep_trailing_newline=True, extensions=["jinja2.ext.do", "jinja2.ext.i18n", "jinja2.ext.loopcontrols"]
)
_COMPARE = {"eq": "==", "ne": "!=", "lt": "<", "gt": ">", "lteq": "<=", "gteq": ">=", "in": "in", "notin": "not in"}
_BINARY = {nodes.Add: "+", nodes.Sub: "-", nodes.Mul: "*", nodes.And: "and", nodes.Or: "or"}


def read(text: str) -> tuple[tuple[Node, ...], tuple[Node, ...]]:
    """The statements of a template, and what it extends. Raises what Jinja raises."""
    tree = ENVIRONMENT.parse(text)
    return _statements(tree.body), tuple(_expression(node.template) for node in tree.find_all(nodes.Extends))


def _statements(items: Iterable[nodes.Node]) -> tuple[Node, ...]:
    return tuple(made for node in items for made in _statement(node))


def _printed(node: Any) -> Node:
    return Lit(node.data) if isinstance(node, nodes.TemplateData) else Op("escape", (_expression(node),))


def _unknown(names: Iterable[str], why: str, line: int) -> list[Node]:
    return [Let(name, Opaque(why), line) for name in names]


def _names(target: Any) -> list[str]:
    return [target.name] if isinstance(target, nodes.Name) else [n.name for n in target.find_all(nodes.Name)]


def _statement(node: Any) -> list[Node]:
    line = node.lineno
    if isinstance(node, nodes.Output):
        return [Print(_printed(part), part.lineno) for part in node.nodes]
    if isinstance(node, nodes.If):
        other = _statements(node.else_)
        for clause in reversed(node.elif_):
            other = (If(_expression(clause.test), _statements(clause.body), other, clause.lineno),)
        return [If(_expression(node.test), _statements(node.body), other, line)]
    if isinstance(node, nodes.For):
        return _loop(node)
    if isinstance(node, nodes.Block):
        return [BlockBody(node.name, _statements(node.body), line)]
    if isinstance(node, nodes.Include):
        call = Invoke("include", None, (_expression(node.template), Lit(bool(node.ignore_missing))), (), line, 1)
        return [Do(call, line)]
    if isinstance(node, nodes.Assign):
        value = _expression(node.node)
        if isinstance(node.target, nodes.Name):
            return [Let(node.target.name, value, line)]
        return [Do(value, line), *_unknown(_names(node.target), "one of several", line)]
    if isinstance(node, nodes.AssignBlock):
        if node.filter is None and len(_names(node.target)) == 1:
            return [Capture(_statements(node.body), Var(_names(node.target)[0]), line)]
        done = [Do(_expression(node.filter), line)] if node.filter is not None else []
        return [
            Capture(_statements(node.body), None, line),
            *done,
            *_unknown(_names(node.target), "a block of text", line),
        ]
    if isinstance(node, nodes.Macro):
        defaults = [Do(_expression(d), line) for d in node.defaults]
        given = _unknown([n.name for n in node.args], "an argument of a macro", line)
        called = (*defaults, *given, *_statements(node.body))
        return [Let(node.name, Opaque("a macro"), line), If(Opaque("a macro is called"), called, (), line)]
    if isinstance(node, nodes.CallBlock):
        given = _unknown([n.name for n in node.args], "an argument of a call", line)
        inner = (*given, *_statements(node.body))
        defaults = [Do(_expression(d), line) for d in node.defaults]
        return [
            *defaults, Print(Opaque("a call", (_expression(node.call),)), line), If(Opaque("a macro runs what it is given"), inner, (), line)
        ]  # fmt: skip
    if isinstance(node, nodes.Import):
        return _unknown([node.target], "from another template", line)
    if isinstance(node, nodes.FromImport):
        return _unknown([n if isinstance(n, str) else n[1] for n in node.names], "from another template", line)
    if isinstance(node, nodes.With):
        return _with(node)
    if isinstance(node, nodes.FilterBlock):
        return [Capture(_statements(node.body), None, line), Print(_expression(node.filter), line)]
    if isinstance(node, nodes.Scope):
        modifier: Any = node.body[0]
        return [Do(_expression(modifier.options[0].value), line), *_statements(modifier.body)]
    if isinstance(node, nodes.Break | nodes.Continue):
        return [Jump(type(node).__name__.lower(), 1, "", line)]
    return [Do(_expression(node.node), line)] if isinstance(node, nodes.ExprStmt) else []


def _loop(node: nodes.For) -> list[Node]:
    line = node.lineno
    body = (Let("loop", Opaque("loop"), line), *_statements(node.body))
    other = _statements(node.else_)
    otherwise = [If(Opaque("a loop over nothing"), other, (), line)] if other else []
    over = _expression(node.iter)
    if node.test or node.recursive:
        over = Opaque("a loop with a condition", (over,))
        body = (Do(_expression(node.test), line), *body) if node.test else body
    names = [Var(name) for name in _names(node.target)]
    target = names[0] if len(names) == 1 else Items(tuple((None, name) for name in names), "list")
    return [Each(None, target, over, body, line, scoped=True), *otherwise]


def _with(node: nodes.With) -> list[Node]:
    line = node.lineno
    names = [name for target in node.targets for name in _names(target)]
    values = [_expression(v) for v in node.values]
    if len(names) == len(values):
        before: list[Node] = [Let(n, v, line) for n, v in zip(names, values, strict=True)]
    else:
        before = [*(Do(v, line) for v in values), *_unknown(names, "one of several", line)]
    return [*before, *_statements(node.body), *_unknown(names, "a name of a with that is over", line)]


def _expression(node: Any) -> Node:
    if node is None:
        return Lit(None)
    if isinstance(node, nodes.TemplateData):
        return Lit(node.data)
    if isinstance(node, nodes.Const):
        return Lit(node.value)
    if isinstance(node, nodes.Name):
        return Var(node.name)
    if isinstance(node, nodes.Call):
        return _invoke(node)
    if isinstance(node, nodes.Getattr):
        return Op("attr", (_expression(node.node), Lit(node.attr)))
    if isinstance(node, nodes.Getitem):
        return Op("[]", (_expression(node.node), _expression(node.arg)))
    if isinstance(node, nodes.Slice):
        return Opaque("slice", tuple(_expression(n) for n in (node.start, node.stop, node.step) if n is not None))
    if isinstance(node, nodes.Concat):
        return Op(".", tuple(_expression(n) for n in node.nodes))
    if isinstance(node, nodes.BinExpr):
        parts = (_expression(node.left), _expression(node.right))
        return Op(_BINARY[type(node)], parts) if type(node) in _BINARY else Opaque(type(node).__name__.lower(), parts)
    if isinstance(node, nodes.Not):
        return Op("not", (_expression(node.node),))
    if isinstance(node, nodes.Neg | nodes.Pos):
        value = _expression(node.node)
        if isinstance(node, nodes.Neg) and isinstance(value, Lit) and isinstance(value.value, int | float):
            return Lit(-value.value)
        return Opaque(type(node).__name__.lower(), (value,))
    if isinstance(node, nodes.Compare):
        parts = (_expression(node.expr), *(_expression(o.expr) for o in node.ops))
        return Op(_COMPARE[node.ops[0].op], parts) if len(node.ops) == 1 else Opaque("compare", parts)
    if isinstance(node, nodes.CondExpr):
        return Op("?:", (_expression(node.test), _expression(node.expr1), _expression(node.expr2)))
    if isinstance(node, nodes.List | nodes.Tuple):
        return Items(tuple((None, _expression(n)) for n in node.items))
    if isinstance(node, nodes.Dict):
        return Items(tuple((_expression(p.key), _expression(p.value)) for p in node.items))
    if isinstance(node, nodes.Filter | nodes.Test):
        if isinstance(node, nodes.Filter) and node.name == "safe" and node.node is not None:
            return _expression(node.node)
        first = () if node.node is None else (_expression(node.node),)
        given, named = _arguments(node)
        return Opaque(type(node).__name__.lower(), (*first, *given, *(value for _, value in named)))
    if isinstance(node, nodes.MarkSafe | nodes.MarkSafeIfAutoescape):  # what a translation comes to
        return _expression(node.expr)
    raise AssertionError(f"{type(node).__name__} is unheard of")


def _arguments(node: Any) -> tuple[tuple[Node, ...], tuple[tuple[str, Node], ...]]:
    given = [_expression(a) for a in node.args]
    given += [Op("*", (_expression(n),)) for n in (node.dyn_args, node.dyn_kwargs) if n is not None]
    return tuple(given), tuple((k.key, _expression(k.value)) for k in node.kwargs)


def _invoke(node: nodes.Call) -> Node:
    given, named = _arguments(node)
    target = node.node
    if isinstance(target, nodes.Name):
        return Invoke(target.name, None, given, named, node.lineno, 1)
    if isinstance(target, nodes.Getattr) and isinstance(target.node, nodes.Name) and target.node.name == "self":
        return Invoke("self." + target.attr, None, given, named, node.lineno, 1)
    if isinstance(target, nodes.Getattr):
        return Invoke(target.attr, _expression(target.node), given, named, node.lineno, 1)
    return Invoke("", _expression(target), given, named, node.lineno, 1)
