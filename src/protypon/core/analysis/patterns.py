"""What patterns ask of a value (https://docs.python.org/3/reference/compound_stmts.html#patterns)."""

from __future__ import annotations

from protypon.core.analysis import classes, objects
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import ClassValue, OwnClass, Thing
from protypon.core.languages.values import ABSENT, Box, Failure, Unknown, box

OPERATIONS = frozenset({"sequence", "mapping", "has attr", "matched", "listed", "without", "complex"})
WHOLE = frozenset({"bool", "bytearray", "bytes", "dict", "float", "frozenset", "int", "list", "set", "str", "tuple"})
"""Classes of which a pattern in the first place is for the value itself."""


def ask(m: Machine, op: str, values: list[object], frame: Frame) -> object:
    """What one of the operations gives."""
    if isinstance(values[0], Unknown):
        m.control.may_raise("a pattern of what can't be known")
        return Unknown("whether a pattern fits")
    return _ASKED[op](m, values, frame)


def _sequence(m: Machine, values: list[object], frame: Frame) -> object:
    """Whether it is a list (no text) of so many items, or of at least so many."""
    on, fewest, exact = values
    if isinstance(on, Thing):
        cls = classes.find(m, on.cls)
        return (
            False
            if cls is not None and not classes.ancestry(m, cls).open
            else Unknown("whether an object is a sequence")
        )
    inside = on.value if isinstance(on, Box) and on.kind == "list" else on
    if isinstance(on, Box) and on.kind == "view":
        return Unknown("whether a view is a sequence")
    if isinstance(inside, Unknown):
        return Unknown(inside.why)
    if not isinstance(inside, list | tuple) or not isinstance(fewest, int):
        return False
    return len(inside) == fewest if exact else len(inside) >= fewest


def _mapping(m: Machine, values: list[object], frame: Frame) -> object:
    """Whether it is a table that has some keys."""
    on, *keys = values
    if isinstance(on, Thing):
        cls = classes.find(m, on.cls)
        return (
            False if cls is not None and not classes.ancestry(m, cls).open else Unknown("whether an object is a table")
        )
    if not isinstance(on, Box) or on.kind != "dict":
        return False
    found = [frame.file.semantics.item(on, key) for key in keys]
    unknown = not isinstance(on.value, dict)
    return Unknown("what a table holds") if unknown else all(each is not ABSENT for each in found)


def _has(m: Machine, values: list[object], frame: Frame) -> object:
    found = objects.attribute(m, values[0], values[1], frame)
    return Unknown(found.why) if isinstance(found, Unknown) else found is not ABSENT


def _match_subpattern(m: Machine, values: list[object], frame: Frame) -> object:
    """What the pattern in a place of a class pattern is for."""
    on, cls, place = values
    if isinstance(cls, OwnClass) and cls.name in WHOLE:
        return on if place == 0 else m.value_or_raise(Failure("TypeError"))
    names = objects.static(m, cls, "__match_args__", frame) if isinstance(cls, ClassValue) else Unknown()
    if names is ABSENT or (isinstance(names, tuple) and isinstance(place, int) and place >= len(names)):
        return m.value_or_raise(Failure("TypeError"))
    if not isinstance(names, tuple) or not isinstance(place, int):
        m.control.may_raise("a pattern of a class that is not known")
        return Unknown("which attribute a pattern is for")
    found = objects.attribute(m, on, names[place], frame)
    if found is ABSENT:
        m.control.may_raise("a pattern for an attribute that is not there")
        return Unknown("an attribute that is not there")
    return found


def _rest_list(m: Machine, values: list[object], frame: Frame) -> object:
    inside = values[0].value if isinstance(values[0], Box) else values[0]
    return m.note_box(box("list", list(inside))) if isinstance(inside, list | tuple) else Unknown("the rest of a list")


def _without(m: Machine, values: list[object], frame: Frame) -> object:
    inside = values[0].value if isinstance(values[0], Box) else None
    if not isinstance(inside, dict):
        return Unknown("the rest of a table")
    return m.note_box(box("dict", {key: item for key, item in inside.items() if key not in values[1:]}))


def _complex(m: Machine, values: list[object], frame: Frame) -> object:
    """Whether it is a certain number with two parts: none of the values that are followed is one."""
    return Unknown("whether an object equals a number") if isinstance(values[0], Thing) else False


_ASKED = {
    "sequence": _sequence, "mapping": _mapping, "has attr": _has, "matched": _match_subpattern, "listed": _rest_list, "without": _without, "complex": _complex,
}  # fmt: skip
