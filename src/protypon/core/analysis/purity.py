"""Functions that do nothing but give a value, so that nobody sees when and how often they are called."""

from __future__ import annotations

from protypon.core.analysis.machine import Machine
from protypon.core.languages.code import (
    Arm,
    ClassName,
    Do,
    Function,
    If,
    Invoke,
    Items,
    Lit,
    Matching,
    Node,
    Op,
    Return,
    Var,
    walk,
)
from protypon.core.languages.semantics import Semantics

PLAIN = (Lit, Var, Op, Items, ClassName, Return, If, Do, Arm, Matching)
"""What does nothing by itself."""
ACTING = frozenset({"print", "named", "clone", "handle", "maybe", "&", "await", "eval", "exec"})
"""Operations that do more than to give a value, or are not followed to their end."""
MAGIC = ("__get", "__getattr__", "__getattribute__")


def only_gives(m: Machine, function: Function, semantics: Semantics) -> bool:
    """Whether a function reads what it is given, calls functions of the language that do the same, and gives something."""
    by_reference = any(param.way.startswith("&") for param in function.params)
    if function.generates or by_reference:
        return False
    return all(_only_gives(m, node, semantics) for statement in function.body for node in walk(statement))


def _only_gives(m: Machine, node: Node, semantics: Semantics) -> bool:
    if isinstance(node, Invoke):
        own = semantics.own(node.name)
        plain = own is not None and not (own.calls or own.prints or own.changes or own.changes_from is not None)
        return node.on is None and plain and not m.rules.meanings_of(node.name)
    if isinstance(node, Op) and node.op in ("attr", "?attr"):
        return not any(_has_magic(cls.file.code.functions, cls.node.methods) for cls in m.state.classes.values())
    return isinstance(node, PLAIN) and not (isinstance(node, Op) and node.op in ACTING)


def _has_magic(functions: tuple[Function, ...], numbers: tuple[int, ...]) -> bool:
    return any(functions[number].name.rpartition("::")[2] in MAGIC for number in numbers)
