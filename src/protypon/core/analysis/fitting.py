"""Values that go where a type is asked for."""

from __future__ import annotations

from protypon.core.analysis.classes import is_a
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.values import Closure, Thing
from protypon.core.languages.values import Failure, Unknown


def fit_to_type(m: Machine, value: object, type_: str, strict: bool = False) -> object:
    """A value that goes where a type is asked for: one of another type is converted on the way, or refused."""
    parts = type_.lower().replace(" ", "").lstrip("?").strip("()").split("|")
    if not type_ or "mixed" in parts or "never" in parts:
        return value
    if type_.startswith("?"):
        parts.append("null")
    if "callable" in parts and isinstance(value, str | list):
        can = m.follow.is_callable(m, value)
        if can is not False:
            if can is not True:
                m.control.may_raise(f"it may be no {type_}")
            return value
    if isinstance(value, str | int | float | list | dict | None):
        found = m.value_or_raise(m.frames[-1].file.semantics.fit_value(value, parts, strict))
        if isinstance(found, Unknown):
            m.control.may_raise(f"it may be no {type_}")
        return found
    fits = [_is_of(m, value, part) for part in parts]
    if True in fits:
        return value
    if all(fit is False for fit in fits):
        m.value_or_raise(Failure("TypeError"))
    m.control.may_raise(f"it may be no {type_}")
    return Unknown(f"it is converted to {type_}") if isinstance(value, Unknown) else value


def _is_of(m: Machine, value: object, part: str) -> bool | Unknown:
    """Whether an object, a function or a value that can't be known is of a type."""
    bare = part.lstrip("\\")
    if isinstance(value, Closure):
        return bare in ("callable", "closure", "object")
    if isinstance(value, Thing) and "&" not in part and bare not in ("callable", "iterable", "string"):
        return bare in ("object", "self", "static") or (bare not in BUILT_IN and is_a(m, value, bare))
    return Unknown(f"it may be no {part}")


BUILT_IN = frozenset(("int", "float", "bool", "array", "null", "void", "false", "true"))
