"""What every enumeration of PHP can be asked (PHP manual, Enumerations: ``UnitEnum``, ``BackedEnum``)."""

from __future__ import annotations

from protypon.core.analysis.machine import Machine
from protypon.core.analysis.objects import case_of
from protypon.core.analysis.raising import raise_error
from protypon.core.analysis.values import ClassValue
from protypon.core.languages.values import ABSENT, Unknown

METHODS = frozenset({"cases", "from", "tryfrom"})


def ask(m: Machine, cls: ClassValue, name: str, given: list[object]) -> object:
    """All cases of an enumeration, or the one with a value."""
    cases = [case_of(m, cls, member) for member in cls.node.members if member.kind == "case"]
    if name == "cases":
        return cases
    wanted = given[0] if given else ABSENT
    for case in cases:
        value = case.values.get("value", ABSENT)
        if type(value) is not type(wanted) or isinstance(value, Unknown):
            m.control.may_raise(f"{cls.name} may have no such value")
            return Unknown(f"the case of {cls.name} with a value")
        if value == wanted:
            return case
    if name == "from":
        raise_error(m, "ValueError")
    return None
