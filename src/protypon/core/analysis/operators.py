"""Operations of Python on objects that say themselves what comes of them (https://docs.python.org/3/reference/datamodel.html#special-method-names)."""

from __future__ import annotations

import re

from protypon.core.analysis import classes, errors, records
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.streams import Uncounted
from protypon.core.analysis.values import ClassValue, Closure, Thing, held_items
from protypon.core.languages.values import NOT_IMPLEMENTED, Failure, Unknown

ARITHMETIC = {
    "+": "add", "-": "sub", "*": "mul", "/": "truediv", "//": "floordiv", "%": "mod", "**": "pow", "@": "matmul", "&": "and", "|": "or",
    "^": "xor", "<<": "lshift", ">>": "rshift",
}  # fmt: skip
COMPARED = {
    "==": ("eq", "eq"),
    "!=": ("ne", "ne"),
    "<": ("lt", "gt"),
    ">": ("gt", "lt"),
    "<=": ("le", "ge"),
    ">=": ("ge", "le"),
}
"""What the left side is asked, and the right one where the left does not know."""
SINGLE = {"neg": "__neg__", "pos": "__pos__", "~": "__invert__"}


class NotKnown(Exception):
    """An object may answer, or not, or differently."""


def operate(m: Machine, op: str, values: list[object], frame: Frame) -> object:
    """What an operation gives of which at least one value is an object."""
    try:
        return _operate(m, op, values, frame)
    except (NotKnown, Uncounted):
        for value in values:
            m.use_up(value)
        m.hand_out(values, f"the operation {op}")
        m.control.may_raise("an operation on objects")
        return Unknown("an operation on objects")


def _operate(m: Machine, op: str, values: list[object], frame: Frame) -> object:
    if op == ".":
        raise NotKnown
    if isinstance(values[0], Unknown) and op == "format":
        return m.text(values[0], frame)
    if op in SINGLE:
        found = _ask_method(m, values[0], SINGLE[op], [])
        return m.value_or_raise(Failure("TypeError")) if found is NOT_IMPLEMENTED else found
    if op in ("!r", "!s", "!a", "format"):
        return _format_value(m, op, values, frame)
    if op in ("in", "not in"):
        within = _within(m, values[0], values[1], frame)
        return within if isinstance(within, Unknown) or op == "in" else not within
    result = values[0]
    for other in values[1:]:
        result = (
            compare_objects(m, op, result, other, frame) if op in COMPARED else _calculate(m, op, result, other, frame)
        )
    return result


def _ask_method(m: Machine, on: object, name: str, given: list[object]) -> object:
    """What a method gives; NOT_IMPLEMENTED where there is none, or it says so."""
    if not isinstance(on, Thing):
        return NOT_IMPLEMENTED
    found = classes.method(m, on.cls, name)
    if isinstance(found, Closure):
        return m.enter(found, given, {}, on)
    if isinstance(found, Unknown) or "" in on.lost:
        raise NotKnown
    return NOT_IMPLEMENTED


def plain(m: Machine, value: object, name: str) -> object:
    """The list or table in an object that extends one, unless the object has a method of its own for something."""
    held = held_items(value) if isinstance(value, Thing) else None
    own = classes.method(m, value.cls, name) if isinstance(value, Thing) and held is not None else None
    return value if held is None or isinstance(own, Closure) else held


def _require_known(value: object) -> None:
    if isinstance(value, Unknown):
        raise NotKnown


def _right_first(m: Machine, left: object, right: object, name: str) -> bool:
    """Whether the right side is asked first: its class is below that of the left, and has a method of its own."""
    if not (isinstance(left, Thing) and isinstance(right, Thing)) or left.cls == right.cls:
        return False
    below = classes.is_a(m, right, classes.find(m, left.cls) or left.cls)
    if isinstance(below, Unknown):
        raise NotKnown
    one, other = classes.method(m, right.cls, name), classes.method(m, left.cls, name)
    own = isinstance(one, Closure) and not (isinstance(other, Closure) and other.function is one.function)
    return below and own


def _calculate(m: Machine, op: str, left: object, right: object, frame: Frame) -> object:
    _require_known(left)
    _require_known(right)
    if not isinstance(left, Thing) and not isinstance(right, Thing):
        return m.apply_operator(op, [left, right], frame)
    bare = ARITHMETIC.get(op)
    if bare is None or (
        op == "*"
        and any(
            isinstance(classes.method(m, v.cls, "__index__"), Closure) for v in (left, right) if isinstance(v, Thing)
        )
    ):
        raise NotKnown
    if op == "%" and isinstance(left, str):
        return _put_in(m, left, right, frame)
    asks = [(left, f"__{bare}__", right), (right, f"__r{bare}__", left)]
    if _right_first(m, left, right, f"__r{bare}__"):
        asks.reverse()
    elif isinstance(left, Thing) and isinstance(right, Thing) and left.cls == right.cls:
        asks.pop()
    for on, name, other in asks:
        found = _ask_method(m, on, name, [other])
        if found is not NOT_IMPLEMENTED:
            return found
    return m.value_or_raise(Failure("TypeError"))


def _put_in(m: Machine, form: str, value: object, frame: Frame) -> object:
    """``'%s' % x``: objects say as which text they are put in."""
    if not re.fullmatch(r"(?:[^%]|%%|%s)*", form):
        raise NotKnown
    items = value if isinstance(value, tuple) else (value,)
    return m.apply_operator(
        "%", [form, tuple(m.text(item, frame) if isinstance(item, Thing) else item for item in items)], frame
    )


def compare_objects(m: Machine, op: str, left: object, right: object, frame: Frame) -> object:
    """``==`` and its kind; what nobody answers is the same only where it is one object."""
    _require_known(left)
    _require_known(right)
    if not isinstance(left, Thing) and not isinstance(right, Thing):
        return m.apply_operator(op, [left, right], frame)
    here, there = COMPARED[op]
    asks = [(left, here, right), (right, there, left)]
    if _right_first(m, left, right, f"__{there}__"):
        asks.reverse()
    for on, bare, other in asks:
        found = _comparing(m, on, bare, other, frame)
        if found is not NOT_IMPLEMENTED:
            return found
    if op in ("==", "!="):
        return (left is right) == (op == "==")
    return m.value_or_raise(Failure("TypeError"))


def _comparing(m: Machine, on: object, bare: str, other: object, frame: Frame) -> object:
    record = _record(m, on, f"__{bare}__") if bare != "ne" else None
    if record is not None and isinstance(on, Thing):
        return _field_by_field(m, bare, on, other, record, frame)
    found = _ask_method(m, on, f"__{bare}__", [other])
    if bare != "ne" or found is not NOT_IMPLEMENTED or not isinstance(on, Thing):
        return found
    same = _comparing(m, on, "eq", other, frame)
    if same is NOT_IMPLEMENTED:
        return same
    test = m.truth(same, frame)
    return test if isinstance(test, Unknown) else not test


def _format_value(m: Machine, op: str, values: list[object], frame: Frame) -> object:
    """A value as a text in a form."""
    on = values[0]
    if op == "format":
        form = m.text(values[1], frame)
        found = _ask_method(m, on, "__format__", [form])
        if found is not NOT_IMPLEMENTED:
            return found
        return m.text(on, frame) if form == "" else m.value_or_raise(Failure("TypeError"))
    if op == "!s":
        return m.text(on, frame)
    found = repr_of(m, on, frame)
    return found if op == "!r" or not isinstance(found, str) else found.encode("ascii", "backslashreplace").decode()


def repr_of(m: Machine, on: object, frame: Frame) -> object:
    """A value as ``repr`` writes it."""
    record = _record(m, on, "__repr__")
    if record is not None and isinstance(on, Thing):
        return _fields_shown(m, on, record, frame)
    found = _ask_method(m, on, "__repr__", [])
    if found is NOT_IMPLEMENTED and isinstance(on, Thing):
        return _member_shown(m, on, frame)
    return m.apply_operator("!r", [on], frame) if found is NOT_IMPLEMENTED else found


def _member_shown(m: Machine, on: Thing, frame: Frame) -> object:
    cls = classes.find(m, on.cls)
    if cls is None or classes.members_of(cls) is None:
        return Unknown("an object as a text")
    text = repr_of(m, on.values.get("value"), frame)
    return f"<{cls.written}.{on.values.get('name')}: {text}>" if isinstance(text, str) else text


def text(m: Machine, on: Thing, frame: Frame) -> object:
    """An object as a text (https://docs.python.org/3/reference/datamodel.html#object.__str__)."""
    if errors.root_of(m, on.cls) and not isinstance(classes.method(m, on.cls, "__str__"), Closure):
        return errors.text_of(m, on)
    try:
        found = _ask_method(m, on, "__str__", [])
        if found is not NOT_IMPLEMENTED:
            return found
        cls = classes.find(m, on.cls)
        if cls is not None and classes.members_of(cls) is not None:
            return f"{cls.written}.{on.values.get('name')}"
        return repr_of(m, on, frame)
    except NotKnown:
        m.hand_out([on], "what makes it a text")
        m.control.may_raise("an object as a text")
        return Unknown("an object as a text")


def _record(m: Machine, on: object, name: str) -> ClassValue | None:
    """The data class of an object whose own method of a name is meant."""
    cls = classes.find(m, on.cls) if isinstance(on, Thing) else None
    return records.record_of(m, cls, name) if cls is not None and not cls.file.folds else None


def _field_by_field(m: Machine, bare: str, on: Thing, other: object, record: ClassValue, frame: Frame) -> object:
    """Two objects of one data class; NOT_IMPLEMENTED where they are none."""
    if not isinstance(other, Thing) or other.cls != on.cls:
        return NOT_IMPLEMENTED
    mine, theirs = (records.values_of(m, each, record, "compare") for each in (on, other))
    for (_, one), (_, two) in zip(mine, theirs, strict=True):
        same = m.truth(one is two or compare_objects(m, "==", one, two, frame), frame)
        if isinstance(same, Unknown):
            return same
        if not same:
            return False if bare == "eq" else compare_objects(m, _SIGNS[bare], one, two, frame)
    return bare in ("eq", "le", "ge")


_SIGNS = {bare: sign for sign, (bare, _) in COMPARED.items()}


def _fields_shown(m: Machine, on: Thing, record: ClassValue, frame: Frame) -> object:
    cls = classes.find(m, on.cls)
    if cls is None or cls.env is None or cls.env.outer is not None:
        return Unknown("an object as a text")
    pieces = []
    for name, value in records.values_of(m, on, record, "repr"):
        text_ = repr_of(m, value, frame)
        if not isinstance(text_, str):
            return Unknown("an object as a text")
        pieces.append(f"{name}={text_}")
    return f"{cls.written}({', '.join(pieces)})"


def _within(m: Machine, item: object, holder: object, frame: Frame) -> bool | Unknown:
    _require_known(holder)
    holder = plain(m, holder, "__contains__")
    if isinstance(holder, Thing):
        found = _ask_method(m, holder, "__contains__", [item])
        if found is not NOT_IMPLEMENTED:
            return m.truth(found, frame)
    for _, each in m.follow.steps(m, holder, frame, False):
        if each is item and isinstance(item, Thing):
            return True
        same = m.truth(compare_objects(m, "==", each, item, frame), frame)
        if same is not False:
            return same
    return False
