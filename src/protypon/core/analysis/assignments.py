"""Assignments of every form: plain, with an operation, by reference, and only where nothing is."""

from __future__ import annotations

from protypon.core.analysis import classes, missing, operations, operators, outside, sharing
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import ItemSlot, NameSlot, Slot, alias, assign, bind_name, place_of
from protypon.core.analysis.values import Closure, Thing
from protypon.core.languages.code import Assignment, Items, Opaque, Var
from protypon.core.languages.values import ABSENT, NOT_IMPLEMENTED, Box, Failure, Unknown


def follow_assignment(m: Machine, node: Assignment, frame: Frame) -> object:
    """Follow an assignment; what comes of it."""
    if node.op == "=&":
        if sharing.share(m, node.target, node.value, frame):
            return m.value(node.target, frame)
        return alias(m, node.target, node.value, frame)
    if not node.op:
        if isinstance(node.target, Var):
            found = m.value(node.value, frame)
            bind_name(m, node.target.name, found, frame)
            return found
        if isinstance(node.target, Items | Opaque) or not frame.file.semantics.COPIES:
            found = m.value(node.value, frame)
            assign(m, node.target, found, frame)
            return found
        place = place_of(m, node.target, frame)
        found = m.value(node.value, frame)
        place.set(found)
        return found
    if isinstance(node.target, Opaque | Items):
        m.value(node.value, frame)
        assign(m, node.target, Unknown("an assignment that can't be followed"), frame)
        return Unknown("an assignment that can't be followed")
    return _change_by_operator(m, node, frame)


def _change_by_operator(m: Machine, node: Assignment, frame: Frame) -> object:
    place = place_of(m, node.target, frame)
    if node.op == "??":
        return _set_if_nothing(m, node, place, place.get(), frame)
    late = frame.file.semantics.COPIES and node.op not in ("++", "--")
    other = m.value(node.value, frame) if late else None
    old = place.get()
    old = missing.there(m, old, frame, _not_there(place))
    semantics = frame.file.semantics
    operands = [old, other if late else m.value(node.value, frame)]
    if node.op in ("++", "--"):
        operands = operands[:1]
    if node.op == ".":
        operands = [m.text(operand, frame) for operand in operands]
    if isinstance(old, Box):
        made = _in_place(m, node.op, old, operands[1], frame)
    elif any(isinstance(operand, Thing) for operand in operands):
        made = _changed_object(m, node.op, operands, frame)
    else:
        made = m.apply_operator(node.op, operands, frame)
    if isinstance(old, Unknown) and not semantics.COPIES and not old.foreign:
        outside.changed_by_method(m, old, "extend")
    if isinstance(made, Unknown):
        m.control.may_raise("an operation on what can't be known")
    place.set(made)
    return old if node.after else made


def _changed_object(m: Machine, op: str, operands: list[object], frame: Frame) -> object:
    """``a += b`` of objects: one may change itself (https://docs.python.org/3/reference/datamodel.html#object.__iadd__)."""
    on, bare = operands[0], operators.ARITHMETIC.get(op, "")
    if isinstance(on, Thing) and not frame.file.semantics.COPIES and bare:
        found = classes.method(m, on.cls, f"__i{bare}__")
        made = m.enter(found, operands[1:], {}, on) if isinstance(found, Closure) else NOT_IMPLEMENTED
        if made is not NOT_IMPLEMENTED:
            return made
    return operations.on_objects(m, op, operands, frame)


def _not_there(place: Slot) -> Failure:
    """The error of Python for something that is changed but not there."""
    if isinstance(place, ItemSlot):
        return missing.no_item(place.base.get(), place.key)
    return missing.NO_NAME if isinstance(place, NameSlot) else missing.NO_ATTRIBUTE


def _in_place(m: Machine, op: str, old: Box, other: object, frame: Frame) -> object:
    """``+=`` of a list changes that list, and all its names see it."""
    made = frame.file.semantics.operate(op, [old, other]) if old.kind == "list" and op in ("+", "*") else Unknown()
    inside = made.value if isinstance(made, Box) else Unknown("a list is changed in a way that can't be followed")
    if op == "+" and isinstance(made, Unknown):
        entries = frame.file.semantics.entries(other)
        if not isinstance(entries, Unknown) and isinstance(old.value, list):
            inside = [*old.value, *(item for _, item in entries)]
    m.write(old.slots, "value", inside)
    return old


def _set_if_nothing(m: Machine, node: Assignment, place: object, old: object, frame: Frame) -> object:
    def put() -> object:
        found = m.value(node.value, frame)
        place.set(found)  # type: ignore[attr-defined]
        return found

    if old is None or old is ABSENT:
        return put()
    if not isinstance(old, Unknown):
        return old
    return m.control.either("whether something is there", lambda: old, put)
