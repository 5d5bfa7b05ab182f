"""Generators: worked out at once where nobody can see when that is done.

A generator runs whenever somebody asks for its next value. Where its code does nothing but give values, and all that it reads stays as it is until
they are asked for, it makes no difference when it runs (PHP manual, Generators; https://docs.python.org/3/reference/expressions.html#yieldexpr).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from protypon.core.analysis.machine import Frame, Machine
from protypon.core.languages.code import (
    Arm,
    Assignment,
    Case,
    ClassName,
    Clause,
    Comprehend,
    Do,
    Each,
    Expression,
    Function,
    If,
    Invoke,
    Items,
    Jump,
    Let,
    Lit,
    Matching,
    Node,
    Op,
    Return,
    Switch,
    Var,
    While,
    Yield,
    walk,
)
from protypon.core.languages.semantics import Semantics
from protypon.core.languages.values import ABSENT, Alias, Box, Unknown

MOST = 1000
"""Values of one generator."""
PLAIN = (Lit, Var, Op, Items, ClassName, Return, If, Do, Arm, Matching)
"""What does nothing by itself."""
ACTING = frozenset({"print", "named", "clone", "handle", "maybe", "&"})
"""Operations that do more than to give a value, or are not followed to their end."""
STEPPING = (*PLAIN, Yield, Assignment, Let, While, Each, Jump, Switch, Case, Comprehend, Clause)
MAGIC = ("__get", "__getattr__", "__getattribute__")


def only_gives(m: Machine, nodes: Iterable[Node], semantics: Semantics, also: tuple[type, ...] = PLAIN) -> bool:
    """Whether code reads what it is given, calls functions of the language that do the same, and gives something."""
    return all(_only_gives(m, node, semantics, also) for node in nodes)


def _only_gives(m: Machine, node: Node, semantics: Semantics, also: tuple[type, ...]) -> bool:
    if isinstance(node, Invoke):
        own = semantics.own(node.name)
        plain = own is not None and not (own.calls or own.prints or own.changes or own.changes_from is not None)
        return node.on is None and plain and m.rules.called(node.name) is None
    if isinstance(node, Op) and node.op in ("attr", "?attr"):
        return also is PLAIN and not any(
            cls.node.methods and _has_magic(cls.file.code.functions, cls.node.methods)
            for cls in m.state.classes.values()
        )
    if isinstance(node, Assignment):
        return isinstance(node.target, Var | Items) and node.op != "=&" and isinstance(node, also)
    if isinstance(node, Each):
        return not node.aliases and isinstance(node, also)
    return isinstance(node, also) and not (isinstance(node, Op) and node.op in ACTING)


def _has_magic(functions: tuple[Function, ...], numbers: tuple[int, ...]) -> bool:
    return any(functions[number].name.rpartition("::")[2] in MAGIC for number in numbers)


def nodes_of(function: Function) -> list[Node]:
    return [node for statement in function.body for node in walk(statement)]


def function_only_gives(m: Machine, function: Function, semantics: Semantics) -> bool:
    by_reference = any(param.way.startswith("&") for param in function.params)
    return not function.generates and not by_reference and only_gives(m, nodes_of(function), semantics)


def worked_out(m: Machine, function: Function, frame: Frame, run: Callable[[], object]) -> object | None:
    """What a generator gives, as something that is gone through once; None where that is not known."""
    semantics, nodes = frame.file.semantics, nodes_of(function)
    by_reference = any(name.startswith("&") for name in function.captured) or "&" in function.modifiers
    if by_reference or "async" in function.modifiers or not only_gives(m, nodes, semantics, STEPPING):
        return None
    own = {*function.own, *(param.name for param in function.params)}
    reads = _reads(frame, {n.name for n in nodes if isinstance(n, Var)} - own if not semantics.COPIES else set())
    lists = [(value.slots, "value", value.value) for value in frame.env.values.values() if isinstance(value, Box)]
    return _collected(m, frame, run, (*reads, *lists))


def _reads(frame: Frame, names: set[str]) -> list[tuple[dict[object, object], object, object]]:
    """Where names from outside are kept, and what they stand for now."""
    found: list[tuple[dict[object, object], object, object]] = []
    for name in names:
        holder = frame.env.holder(name)
        if holder is not None:
            value = holder[name]
            found.append((holder, name, value))
            if isinstance(value, Alias | Box):
                found.append((value.slots, "value", value.value))
    return found


def _collected(m: Machine, frame: Frame, run: Callable[[], object], reads: tuple[object, ...]) -> object | None:
    """Run it to its end; what it gives is kept, unless that hangs on something."""
    frame.given_out, doubt, end = [], m.doubt, object()
    frame.enough = end

    def all_of_it() -> object:
        run()
        return None

    m.control.catching(end, all_of_it)
    rows, frame.given_out = frame.given_out, None
    if rows is None or len(rows) >= MOST or m.doubt != doubt or any(row is None for row in rows):
        return None
    copies = frame.file.semantics.COPIES
    items = _numbered(rows) if copies else tuple(value for _, value in rows if not isinstance(_, Unknown))
    return m.boxed(Box("iterator", {"value": items, "from": reads}))


def _numbered(rows: list[tuple[object, object]]) -> tuple[object, ...]:
    """Keys and values; without a key, the next number."""
    found, number = [], 0
    for key, value in rows:
        found.append((number if key is ABSENT else key, value))
        if key is ABSENT:
            number += 1
        elif isinstance(key, int) and key >= number:
            number = key + 1
    return tuple(found)


def give(m: Machine, node: Yield, frame: Frame) -> object:
    """One value, or all of another one, while a generator is worked out."""
    assert frame.given_out is not None
    values = [m.value(part, frame) for part in node.parts]
    if node.all:
        entries = frame.file.semantics.entries(values[0])
        m.use_up(values[0])
        rows: list[tuple[object, object]] = [] if isinstance(entries, Unknown) else list(entries)
        if isinstance(entries, Unknown) or frame.doubted != m.doubt:
            frame.given_out = [*frame.given_out, *[None] * MOST]  # type: ignore[list-item]
        keyed = frame.file.semantics.COPIES
        frame.given_out += rows if keyed else [(ABSENT, item) for _, item in rows]
    else:
        key = values[0] if len(values) == 2 else ABSENT
        value = values[-1] if values else None
        frame.given_out.append((key, value))
        if frame.doubted != m.doubt:
            frame.given_out += [None] * MOST  # type: ignore[list-item]
    if len(frame.given_out) >= MOST:
        m.control.leave("break", frame.enough)
    return None


def expression(m: Machine, node: Comprehend, frame: Frame, run: Callable[[], list[object] | None]) -> object | None:
    """What a generator expression gives, likewise."""
    parts: list[Expression] = [*node.values, *(clause.value for clause in node.clauses)]
    nodes = [inner for part in parts for inner in walk(part)]
    if not only_gives(m, nodes, frame.file.semantics, STEPPING):
        return None
    reads = _reads(frame, {n.name for n in nodes if isinstance(n, Var)})
    items = run()
    return None if items is None else m.boxed(Box("iterator", {"value": tuple(items), "from": tuple(reads)}))
