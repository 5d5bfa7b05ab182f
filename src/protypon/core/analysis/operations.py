"""Operations, on plain values and on objects."""

from __future__ import annotations

from protypon.core.analysis import classes, operators
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import Closure, Stream, Thing
from protypon.core.languages.code import Op
from protypon.core.languages.values import Box, Unknown


def follow_operation(m: Machine, node: Op, frame: Frame) -> object:
    """What an operation gives of which every part is done."""
    values = [m.value(part, frame) for part in node.parts]
    if node.op == "(object)":
        return _as_object(m, values[0])
    if node.op == "." and not all(isinstance(v, str | int | None) for v in values):
        values = [m.text(v, frame) for v in values]
    inside = values[1:] if node.op in ("in", "not in") and not frame.file.semantics.COPIES else []
    if any(isinstance(each, Thing) for each in values) or any(map(_has_things, inside)):
        return on_objects(m, node.op, values, frame)
    found = m.apply_operator(node.op, values, frame)
    for each in values[1:] if node.op in ("in", "not in") else ():
        m.use_up(each)
    if isinstance(found, Unknown):
        m.control.may_raise("an operation on what can't be known")
    return found


def _has_things(value: object) -> bool:
    """Whether a list has objects in it, or works out what it gives."""
    inside = value.value if isinstance(value, Box) else value
    items = inside if isinstance(inside, list | tuple | dict) else ()
    return isinstance(value, Stream) or any(isinstance(item, Thing) for item in items)


def _as_object(m: Machine, value: object) -> object:
    """``(object) [...]``: each key an attribute (PHP manual, Objects, Converting to object)."""
    if isinstance(value, Thing):
        return value
    if not isinstance(value, list | dict | None):
        return Unknown("a value as an object")
    made = m.thing("stdClass")
    items = enumerate(value) if isinstance(value, list) else value.items() if isinstance(value, dict) else ()
    for key, item in items:
        m.write(made.values, str(key), item)
    return made


def on_objects(m: Machine, op: str, values: list[object], frame: Frame) -> object:
    """An operation on objects; in Python they may have their own."""
    if op == "not" or frame.file.semantics.COPIES or op in ("is", "is not"):
        if op == "not":
            test = m.truth(values[0], frame)
            return test if isinstance(test, Unknown) else not test
        if op in COMPARED and any(isinstance(value, str) for value in values):
            values = [m.text(value, frame) if _has_text(m, value) else value for value in values]
        return m.apply_operator(op, values, frame)
    return operators.operate(m, op, values, frame)


COMPARED = frozenset({"==", "!=", "<", ">", "<=", ">=", "<=>"})


def _has_text(m: Machine, value: object) -> bool:
    return isinstance(value, Thing) and isinstance(classes.method(m, value.cls, "__toString"), Closure)
