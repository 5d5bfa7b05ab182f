"""Data classes of Python: what is made of the fields that one names (https://docs.python.org/3/library/dataclasses.html)."""

from __future__ import annotations

from dataclasses import dataclass

from protypon.core.analysis import classes
from protypon.core.analysis.machine import AnyNumber, Machine
from protypon.core.analysis.values import ClassValue, Closure, Thing
from protypon.core.languages.code import Expression, Invoke, Lit, Member, Var
from protypon.core.languages.values import ABSENT, Box, Descriptor, Failure, Unknown

DECORATOR = "dataclasses.dataclass"
FIELDS, OPTIONS = "\0fields", "\0options"
"""Under these a data class keeps what it is."""
FOLLOWED = frozenset({"init", "repr", "eq", "order", "frozen"})
SPECIAL = {"__eq__": "eq", "__repr__": "repr", **dict.fromkeys(("__lt__", "__le__", "__gt__", "__ge__"), "order")}
"""Methods that it makes, and the options that they hang on."""


@dataclass(frozen=True, eq=False, slots=True)
class Field:
    """One field: its value where none is given, or what makes that; and where it counts."""

    name: str
    default: object = ABSENT
    factory: object = ABSENT
    init: bool = True
    repr: bool = True
    compare: bool = True


def options_of(decorator: Expression) -> dict[str, object] | None:
    """The options of a decorator that makes a data class; None of another one, or of one that is not followed."""
    if decorator == Var(DECORATOR):
        return {}
    if (
        not isinstance(decorator, Invoke)
        or decorator.name != DECORATOR
        or decorator.on is not None
        or decorator.arguments
    ):
        return None
    found: dict[str, object] = {name: value.value for name, value in decorator.named if isinstance(value, Lit)}
    return found if len(found) == len(decorator.named) and set(found) <= FOLLOWED else None


def make(m: Machine, cls: ClassValue, options: dict[str, object]) -> None:
    """Make a class a data class."""
    fields: dict[str, Field] = {}
    for above in reversed(classes.ancestry(m, cls).classes[1:]):
        inherited = above.statics.get(FIELDS)
        fields |= {field.name: field for field in (inherited if isinstance(inherited, tuple) else ())}
    for member in cls.node.members:
        if member.kind == "field" and not member.type.startswith(("ClassVar", "typing.ClassVar")):
            fields[member.name] = _field(m, cls, member)
    rows = tuple(fields.values())
    needed = [field.default is ABSENT and field.factory is ABSENT for field in rows if field.init]
    if sorted(needed, reverse=True) != needed:
        m.value_or_raise(Failure("TypeError"))
    m.write(cls.statics, FIELDS, rows)
    m.write(cls.statics, OPTIONS, options)
    if "__match_args__" not in cls.statics:
        m.write(cls.statics, "__match_args__", tuple(field.name for field in rows if field.init))


def _field(m: Machine, cls: ClassValue, member: Member) -> Field:
    default = cls.statics.get(member.name, ABSENT)
    if isinstance(default, Box):
        m.value_or_raise(Failure("ValueError"))
    if not isinstance(default, Descriptor) or default.kind != "field" or not isinstance(default.inside, dict):
        return Field(member.name, default)
    given = default.inside
    m.write(cls.statics, member.name, given.get("default", ABSENT))
    flags = {name: given[name] for name in ("init", "repr", "compare") if isinstance(given.get(name), bool)}
    return Field(member.name, given.get("default", ABSENT), given.get("default_factory", ABSENT), **flags)


def option(cls: ClassValue, name: str) -> bool:
    """Whether a data class has an option; ``init``, ``repr`` and ``eq`` unless it says otherwise."""
    options = cls.statics.get(OPTIONS)
    return isinstance(options, dict) and bool(options.get(name, name in ("init", "repr", "eq")))


def record_of(m: Machine, cls: ClassValue, name: str) -> ClassValue | None:
    """The data class whose own method of a name is meant; None where one that is written goes before, or there is none."""
    for each in classes.ancestry(m, cls).classes:
        written = name in each.statics and name != "__init__"
        if FIELDS in each.statics and not written and option(each, "init" if name == "__init__" else SPECIAL[name]):
            return each
        if name in each.statics:
            return None
    return None


def fields_of(cls: ClassValue) -> tuple[Field, ...]:
    """The fields of a data class with those of the ones above it, in their order."""
    found = cls.statics.get(FIELDS)
    return found if isinstance(found, tuple) else ()


def begin(m: Machine, made: Thing, record: ClassValue, given: list[object], named: dict[str, object]) -> None:
    """The ``__init__`` of a data class."""
    rest, by_name = list(given), dict(named)
    many = any(isinstance(value, AnyNumber) for value in rest)
    for field in fields_of(record):
        value: object = ABSENT
        if field.init and many:
            value = Unknown("arguments made at run time")
        elif field.init and rest:
            value = rest.pop(0)
        elif field.init:
            value = by_name.pop(field.name, ABSENT)
        if value is ABSENT and field.factory is not ABSENT:
            value = m.call(field.factory, [])
        elif value is ABSENT and field.default is not ABSENT:
            continue
        if value is ABSENT and field.init:
            m.value_or_raise(Failure("TypeError"))
        m.write(made.values, field.name, value)
    if many:
        m.control.may_raise("arguments made at run time")
    elif rest or by_name:
        m.value_or_raise(Failure("TypeError"))
    after = classes.method(m, made.cls, "__post_init__")
    if isinstance(after, Closure):
        m.enter(after, [], {}, made)


def values_of(m: Machine, on: Thing, record: ClassValue, what: str) -> list[tuple[str, object]]:
    """What an object holds in those fields that count for something, by name."""
    frame = m.frames[-1]
    fields = [field for field in fields_of(record) if getattr(field, what)]
    return [(field.name, m.follow.attribute(m, on, field.name, frame)) for field in fields]


def is_frozen(m: Machine, cls: ClassValue) -> bool:
    """Whether attributes of its objects can't be set."""
    return any(FIELDS in each.statics and option(each, "frozen") for each in classes.ancestry(m, cls).classes)
