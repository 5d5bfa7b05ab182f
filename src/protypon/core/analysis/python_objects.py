"""Objects of Python: how they are made, and what they have (https://docs.python.org/3/reference/datamodel.html)."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.analysis import errors, outside
from protypon.core.analysis.classes import (
    Ancestry,
    ClassMember,
    ancestry,
    find,
    is_a,
    lookup,
    maker_of,
    method,
    seen_member,
)
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import (
    HELD,
    Above,
    Bound,
    ClassValue,
    Closure,
    OwnCall,
    PlatformCall,
    Thing,
    own_class,
)
from protypon.core.languages.code import Var
from protypon.core.languages.values import ABSENT, Box, Descriptor, Failure, Unknown

NOTHING: dict[str, object] = {"__init__": PlatformCall(""), "__init_subclass__": PlatformCall("")}
"""Methods of ``object`` that do nothing."""


def new(
    m: Machine, cls: ClassValue, line: Ancestry, given: list[object], named_: dict[str, object], frame: Frame
) -> object:
    """https://docs.python.org/3/reference/datamodel.html#object.__new__"""
    members = m.follow.members_of(cls)
    if members is not None and len(given) == 1 and not named_:
        return _member_with(m, cls, members, given[0], frame)
    if line.strange or members is not None:
        m.hand_out([*given, *named_.values()], cls.name)
        m.follow.any_constructor(m, given, named_)
        return Unknown(line.strange or "a member of an enumeration")
    if _is_abstract(m, line):
        m.value_or_raise(Failure("TypeError"))
    calling = maker_of(m, cls)
    found = lookup(m, calling, "__call__", ("table",)) if isinstance(calling, ClassValue) else None
    if isinstance(found, ClassMember) and isinstance(found.member, Closure) and frame.cls != found.owner.name:
        return m.enter(found.member, given, named_, cls)
    maker = None if line.open and errors.root_of(m, cls.name) else lookup(m, cls, "__new__", ("table",))
    if maker is None or isinstance(maker, Unknown):
        made: object = m.thing(cls.name)
        kind = extended_type(m, line)
        if (
            kind
            and isinstance(made, Thing)
            and method(m, cls, "__init__") is not None
            and not isinstance(method(m, cls, "__init__"), Closure)
        ):
            kept = m.call(own_class(kind), given, named_)
            if isinstance(kept, Box):
                m.write(made.values, HELD, kept)
                return made
    else:
        inside = maker.member.inside if isinstance(maker.member, Descriptor) else maker.member
        made = m.call(inside, [cls, *given], named_)
    return begin(m, cls, made, given, named_)


def begin(m: Machine, cls: ClassValue, made: object, given: list[object], named_: dict[str, object]) -> object:
    """What is done with an object of Python that has been made."""
    if not isinstance(made, Thing):
        return made
    below = is_a(m, made, cls)
    if below is not True:
        return made if below is False else Unknown("an object that is made in a way of its own")
    if isinstance(method(m, cls, "__del__"), Closure):
        outside.ends(m, cls, made, "__del__")
    record = m.follow.record_of(m, cls, "__init__")
    if record is not None:
        m.follow.begin_record(m, made, record, given, named_)
        return made
    constructor = method(m, cls, "__init__")
    if errors.root_of(m, cls.name):
        errors.begin(m, made, given, named_, False)
    if isinstance(constructor, Closure):
        m.enter(constructor, given, named_, made)
    elif isinstance(constructor, Unknown) and not errors.root_of(m, cls.name):
        m.hand_out([made, *given, *named_.values()], cls.name, False)
    elif constructor is None and (given or named_) and lookup(m, cls, "__new__", ("table",)) is None:
        m.value_or_raise(Failure("TypeError"))
    return made


def _is_abstract(m: Machine, line: Ancestry) -> bool:
    """Whether a method that must be written is not (https://docs.python.org/3/library/abc.html)."""
    if not any(
        "abc.ABC" in each.node.bases or ("metaclass", Var("abc.ABCMeta")) in each.node.keywords for each in line.classes
    ):
        return False
    seen: set[object] = set()
    for each in line.classes:
        for name, member in each.statics.items():
            inside = member.inside if isinstance(member, Descriptor) else member
            if name not in seen and isinstance(inside, Closure) and ABSTRACT in inside.attributes:
                return True
            seen.add(name)
    return False


ABSTRACT = "__isabstractmethod__"
"""What ``abc.abstractmethod`` gives a function."""


def extended_type(m: Machine, line: Ancestry) -> str:
    """The list or table of Python that a class extends, and nothing else of its own; empty where it does not."""
    outside = {base for each in line.classes for base in each.node.bases if find(m, base) is None} - {"object"}
    return outside.pop() if len(outside) == 1 and outside <= {"dict", "list"} else ""


def _member_with(m: Machine, cls: ClassValue, members: list[Thing], value: object, frame: Frame) -> object:
    """``Kind(value)``: the member of an enumeration that has it."""
    for member in members:
        if member is value:
            return member
        same = frame.file.semantics.operate("==", [member.values.get("value"), value])
        if same is True:
            return member
        if same is not False:
            m.control.may_raise(f"{cls.written} may have no such value")
            return Unknown(f"the member of {cls.written} with a value")
    if isinstance(cls.statics.get("_missing_"), Descriptor):
        return Unknown(f"what {cls.written} makes of a value")
    return m.value_or_raise(Failure("ValueError"))


def of_function(on: Closure, key: str) -> object:
    """What a function was given, or its name (https://docs.python.org/3/reference/datamodel.html#special-read-only-attributes)."""
    if key in on.attributes:
        return on.attributes[key]
    if key == "__name__":
        return on.name.rpartition("::")[2] or "<lambda>"
    return Unknown("what a function has") if key.startswith("__") or on.this is not None else ABSENT


def own_way(m: Machine, on: Thing, cls: ClassValue, key: str) -> object | None:
    """What an object of Python gives before anybody looks at what it holds; None: nothing."""
    if key == "__class__":
        return cls
    if key == "__dict__":
        m.write(on.lost, "", "the table of its attributes may be changed")
        return Unknown("the table of an object's attributes")
    if hasattr(object, key) and lookup(m, cls, key, ("table",)) is None:
        return Unknown("what every object has")
    if "__getattribute__" not in m.special:
        return None
    found = lookup(m, cls, "__getattribute__", ("table",))
    if isinstance(found, ClassMember) and isinstance(found.member, Closure):
        return m.enter(found.member, [key], {}, on)
    return None


def member_of(m: Machine, on: Thing, cls: ClassValue, key: str) -> object:
    """What an object gives that does not hold it itself: something of its class, or what ``__getattr__`` makes; ABSENT where there is none."""
    found = lookup(m, cls, key, ("table",))
    if found is None:
        magic = lookup(m, cls, "__getattr__", ("table",))
        if isinstance(magic, ClassMember) and isinstance(magic.member, Closure):
            return m.enter(magic.member, [key], {}, on)
        return ABSENT if magic is None else Unknown("an attribute that is made when it is asked for")
    if isinstance(found, Unknown):
        return found
    member = found.member
    if isinstance(member, Closure):
        return Bound(on, key)
    return seen_member(m, member, on, cls)


def above(m: Machine, on: Above, key: object) -> object:
    """A member of the classes behind one of a line (https://docs.python.org/3/library/functions.html#super)."""
    name = on.on.cls if isinstance(on.on, Thing) else on.on.name if isinstance(on.on, ClassValue) else ""
    own, after = find(m, name), find(m, on.after)
    line = ancestry(m, own) if own is not None else None
    if line is None or after not in line.classes or not isinstance(key, str) or line.strange:
        return Unknown("what stands above a class")
    for cls in line.classes[line.classes.index(after) + 1 :]:
        if key not in cls.statics:
            continue
        member = cls.statics[key]
        if isinstance(member, Closure):
            return replace(member, this=on.on if isinstance(on.on, Thing) else None)
        if isinstance(member, Descriptor) and own is not None:
            return seen_member(m, member, on.on if isinstance(on.on, Thing) else None, own)
        return member
    if key == "__new__" and "type" in {base for each in line.classes for base in each.node.bases}:
        return OwnCall("type.__new__")
    if key == "__new__" and (not line.open or errors.root_of(m, name)):
        return OwnCall("object.__new__")
    if not line.open and key in NOTHING and "object" in {b for c in line.classes for b in c.node.bases} | {"object"}:
        return NOTHING[key]
    return Unknown(line.open or "what stands above a class")


def refuse_to_set(m: Machine, on: Thing, cls: ClassValue, key: object) -> None:
    """Raise the error of Python for an attribute that can't be set."""
    if m.follow.is_frozen(m, cls):
        m.value_or_raise(Failure("dataclasses.FrozenInstanceError"))
    if m.follow.members_of(cls) is not None and key in ("name", "value"):
        m.value_or_raise(Failure("AttributeError"))
    found = lookup(m, cls, key, ("table",))
    member = found.member if isinstance(found, ClassMember) else None
    if isinstance(member, Descriptor) and member.kind == "property" and member.setter is None:
        m.value_or_raise(Failure("AttributeError"))
    line = ancestry(m, cls)
    slots = [each.statics.get("__slots__", ABSENT) for each in line.classes]
    if ABSENT not in slots and not line.open:
        names = [name for each in slots for name in _names_in(each)]
        if key not in names and all(isinstance(name, str) for name in names) and found is None:
            m.value_or_raise(Failure("AttributeError"))


def _names_in(slots: object) -> list[object]:
    inside = slots.value if isinstance(slots, Box) else slots
    if isinstance(inside, str):
        return [inside]
    return list(inside) if isinstance(inside, list | tuple | dict) else [Unknown("which attributes there are")]


def member_named(m: Machine, cls: ClassValue, key: object) -> object:
    """``Kind['NAME']``"""
    members = m.follow.members_of(cls)
    if members is None or not isinstance(key, str):
        return Unknown("an item of a class")
    found = next((member for member in members if member.values.get("name") == key), None)
    return (
        m.value_or_raise(Failure("KeyError", (key,))) if found is None and key not in cls.statics else cls.statics[key]
    )
