"""Objects: how they are made, looked into and changed."""

from __future__ import annotations

import builtins
from dataclasses import replace

from protypon.core.analysis import errors, fitting, outside, python_objects, visibility
from protypon.core.analysis.classes import (
    ClassMember,
    ancestry,
    find,
    is_described,
    lookup,
    maker_of,
    method,
    own_bases,
    seen_member,
    user_of,
    with_class,
)
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import (
    HELD,
    Above,
    AccessorOf,
    ClassValue,
    Closure,
    OwnClass,
    Thing,
    held_items,
    own_class,
)
from protypon.core.languages.code import Expression, Member
from protypon.core.languages.values import ABSENT, Alias, Descriptor, Failure, Unknown, foreign

OF_THE_CLASS = frozenset({"__init_subclass__", "__class_getitem__"})
"""Methods of Python that get the class without saying so (https://docs.python.org/3/reference/datamodel.html#object.__class_getitem__)."""

# Making


def new(m: Machine, cls: object, given: list[object], named_: dict[str, object], frame: Frame) -> object:
    """Make an object, and follow its constructor."""
    strict, m.strictly = m.strictly, False
    if isinstance(cls, OwnClass):
        cls = cls.name
    if isinstance(cls, str) and errors.root_of(m, cls):
        made = m.thing(cls)
        errors.begin(m, made, given, named_, frame.file.semantics.COPIES)
        return made
    if isinstance(cls, str):
        m.hand_out([*given, *named_.values()], cls)
        if cls.lower() in LISTS and len(given) < 2 and not named_ and isinstance((given or [[]])[0], list | dict):
            made = m.thing(cls)
            m.write(made.values, HELD, (given or [[]])[0])
            return made
        if own_bases(m, cls) is not None:
            made = m.thing(cls)
            m.control.may_raise(f"{cls} may refuse what it is given")
            if cls.lower() != "stdclass":
                m.write(made.lost, "", f"what an object of {cls} holds")
            return made
        m.note_unsupplied("class", cls)
        m.control.may_raise(f"{cls} may refuse what it is given")
        return foreign(f"{cls} is a class from elsewhere")
    if not isinstance(cls, ClassValue):
        why = cls.why if isinstance(cls, Unknown) else "no class"
        m.hand_out([*given, *named_.values()], "a class that can't be known")
        m.control.may_raise("an object of what can't be known")
        m.follow.any_constructor(m, given, named_)
        return Unknown(why)
    line = ancestry(m, cls)
    if not cls.file.folds:
        return python_objects.new(m, cls, line, given, named_, frame)
    made = m.thing(cls.name)
    for each in reversed(line.classes):
        for member in each.node.members:
            if member.kind == "property" and member.value is not None:
                owner = user_of(m, cls, each) if each.node.kind == "trait" else each
                below = "private" in member.modifiers and owner is not cls
                kept = f"\0{owner.name}\0{member.name}" if below else member.name
                m.write(made.values, kept, _in_class(m, each, member.value))
    if isinstance(method(m, cls, "__destruct"), Closure):
        outside.ends(m, cls, made, "__destruct")
    constructor = method(m, cls, "__construct")
    if errors.root_of(m, cls.name):
        with_own = isinstance(constructor, Closure)
        errors.begin(m, made, [] if with_own else given, {} if with_own else named_, True)
    if isinstance(constructor, Closure):
        m.strictly = strict
        m.enter(constructor, given, named_, made)
    elif isinstance(constructor, Unknown) and errors.root_of(m, cls.name):
        return made
    elif isinstance(constructor, Unknown):
        m.hand_out([made, *given, *named_.values()], cls.name, bool(line.strange))
    return made


def _in_class(m: Machine, cls: ClassValue, node: Expression) -> object:
    """An expression that stands in a class."""
    frame = Frame(cls.file, m.scope(), None, None, cls.node.line, cls.name, cls.name)
    m.frames.append(frame)
    try:
        return m.value(node, frame)
    finally:
        m.frames.pop()


# Looking into

LISTS = frozenset({"arrayiterator", "arrayobject"})
"""Classes of PHP whose objects stand for a list (PHP manual, ArrayObject, ArrayIterator)."""


def item(m: Machine, holder: object, key: object, frame: Frame, quietly: bool = False) -> object:
    """An item of a value; ABSENT where there is none. ``quietly``: it is only looked whether it is there."""
    if isinstance(holder, ClassValue):
        return python_objects.member_named(m, holder, key)
    if isinstance(holder, Thing) and held_items(holder) is not None:
        found = item(m, held_items(holder), key, frame, quietly)
        missing = method(m, holder.cls, "__missing__") if found is ABSENT and not frame.file.semantics.COPIES else None
        own = method(m, holder.cls, "__getitem__") if not frame.file.semantics.COPIES else None
        if isinstance(own, Closure):
            return m.enter(own, [key], {}, holder)
        return m.enter(missing, [key], {}, holder) if isinstance(missing, Closure) else found
    if isinstance(holder, Thing):
        return call_method(m, holder, "offsetGet" if frame.file.semantics.COPIES else "__getitem__", [key])
    if isinstance(holder, Unknown):
        m.follow.may_be_called(m, ("offsetGet", "__getitem__"))
        m.control.may_raise("an item of what can't be known")
        return Unknown(holder.why, (), holder.foreign)
    if holder is ABSENT or key is ABSENT:
        return ABSENT
    found = frame.file.semantics.item(holder, key)
    if isinstance(found, Failure):
        return ABSENT if quietly else m.value_or_raise(found)
    if isinstance(found, Unknown):
        m.control.may_raise("an item that can't be known")
    return found.value if isinstance(found, Alias) else found


def attribute(m: Machine, on: object, key: object, frame: Frame) -> object:
    """An attribute of a value; ABSENT where there is none."""
    if isinstance(on, Thing):
        return _of_thing(m, on, key, frame)
    if isinstance(on, ClassValue):
        return static(m, on, key, frame)
    if isinstance(on, Above):
        return python_objects.above(m, on, key)
    if isinstance(on, Descriptor) and key in ("setter", "getter"):
        return AccessorOf(on, str(key))
    if isinstance(on, Closure) and not on.file.folds and isinstance(key, str):
        return python_objects.of_function(on, key)
    if isinstance(on, OwnClass):
        return on.name if key in ("__name__", "__qualname__") else Unknown("what a class of the language has")
    if isinstance(on, Unknown):
        m.follow.may_be_called(m, ("__get", "__getattr__", "__getattribute__"))
        m.control.may_raise("an attribute of what can't be known")
        return Unknown(on.why, (), on.foreign)
    if on is None and not frame.file.semantics.COPIES and isinstance(key, str) and hasattr(None, key):
        return own_class("NoneType") if key == "__class__" else Unknown("what nothing has")
    if on is None or on is ABSENT:
        return ABSENT
    m.control.may_raise("an attribute of what has none")
    return Unknown()


def _of_thing(m: Machine, on: Thing, key: object, frame: Frame) -> object:
    if not isinstance(key, str):
        return Unknown("an attribute whose name is made at run time")
    if "" in on.lost:
        return Unknown(str(on.lost[""]))
    cls = find(m, on.cls)
    if cls is not None and not cls.file.folds:
        own = python_objects.own_way(m, on, cls, key)
        if own is not None:
            return own
    hidden = cls is not None and cls.file.folds and visibility.is_hidden(m, cls, key, frame)
    if hidden and cls is not None and method(m, cls, "__get") is None:
        return m.value_or_raise(Failure("Error"))
    kept = visibility.kept_as(m, on, key, frame)
    if kept in on.values and not hidden:
        found = on.values[kept]
        return found.value if isinstance(found, Alias) else found
    if cls is None and not frame.file.semantics.COPIES and hasattr(getattr(builtins, on.cls, object), key):
        return Unknown("what an object of the language has")
    if cls is None:
        return ABSENT
    if not cls.file.folds:
        return python_objects.member_of(m, on, cls, key)
    magic = method(m, cls, "__get")
    if isinstance(magic, Closure):
        return m.enter(magic, [key], {}, on)
    if isinstance(magic, Unknown):
        return Unknown(magic.why)
    return ABSENT


def set_attribute(m: Machine, on: object, key: object, value: object, frame: Frame) -> None:
    """Set an attribute of a value."""
    if isinstance(on, Thing):
        _set_of_thing(m, on, key, value, frame)
    elif isinstance(on, ClassValue):
        set_static(m, on, key, value, frame)
    elif isinstance(on, Closure) and not on.file.folds and on.this is None:
        m.write(on.attributes, key, value)
    elif isinstance(on, Unknown):
        m.follow.may_be_called(m, ("__set", "__setattr__"))
        m.control.may_raise("an attribute of what can't be known")
        if not on.foreign:
            why = f"{m.place} changes an object that can't be known"
            for thing in list(m.things):
                if not isinstance(key, str):
                    m.write(thing.lost, "", why)
                elif key in thing.values:
                    m.write(thing.values, key, Unknown(why))
    else:
        m.control.may_raise("an attribute of what has none")


def _set_of_thing(m: Machine, on: Thing, key: object, value: object, frame: Frame) -> None:
    cls = find(m, on.cls)
    if cls is not None and not cls.file.folds:
        python_objects.refuse_to_set(m, on, cls, key)
    if not isinstance(key, str):
        m.write(on.lost, "", f"{m.place} sets an attribute whose name is made at run time")
        return
    hidden = cls is not None and cls.file.folds and visibility.is_hidden(m, cls, key, frame)
    if cls is not None and (hidden or visibility.kept_as(m, on, key, frame) not in on.values):
        declared = lookup(m, cls, key, ("property",)) if cls.file.folds else lookup(m, cls, key, ("table",))
        special = method(m, cls, "__set" if cls.file.folds else "__setattr__")
        if (hidden or not isinstance(declared, ClassMember)) and isinstance(special, Closure):
            m.enter(special, [key, value], {}, on)
            return
        if (
            isinstance(declared, ClassMember)
            and isinstance(declared.member, Descriptor)
            and isinstance(declared.member.setter, Closure)
        ):
            m.enter(declared.member.setter, [value], {}, on)
            return
        if isinstance(declared, ClassMember) and isinstance(declared.member, Thing) and not cls.file.folds:
            setter = method(m, declared.member.cls, "__set__")
            if isinstance(setter, Closure):
                m.enter(setter, [on, value], {}, declared.member)
                return
        if isinstance(declared, ClassMember) and not cls.file.folds and is_described(m, declared.member):
            m.hand_out([on, value], key)
            m.write(on.lost, "", f"{key} is set by code of its own")
            return
        settable = (
            isinstance(declared, Unknown) and key != "args" and not cls.file.folds and errors.root_of(m, cls.name)
        )
        if not settable and (
            isinstance(declared, Unknown)
            or (isinstance(declared, ClassMember) and isinstance(declared.member, Unknown))
        ):
            value = Unknown("an attribute that may have code of its own") if not cls.file.folds else value
    kept = visibility.kept_as(m, on, key, frame)
    if cls is not None and cls.file.folds:
        visibility.refuse_to_set(m, cls, key, kept in on.values, frame)
    held = on.values.get(kept)
    if isinstance(held, Alias):
        if not held.lost:
            m.write(held.slots, "value", value)
        return
    m.write(on.values, kept, fitting.fit_to_type(m, value, _type_of(m, cls, key), frame.file.code.strict))


def _type_of(m: Machine, cls: ClassValue | None, key: str) -> str:
    if cls is None or not cls.file.folds:
        return ""
    found = lookup(m, cls, key, ("property",))
    return found.member.type if isinstance(found, ClassMember) and isinstance(found.member, Member) else ""


def unset_attribute(m: Machine, on: object, key: object, frame: Frame) -> None:
    """Take an attribute of an object away."""
    if isinstance(on, Thing) and isinstance(key, str):
        special = method(m, on.cls, "__unset" if frame.file.semantics.COPIES else "__delattr__", frame)
        kept = visibility.kept_as(m, on, key, frame)
        if kept not in on.values and isinstance(special, Closure):
            m.enter(special, [key], {}, on)
        m.write(on.values, kept, ABSENT)
    else:
        set_attribute(m, on, key, Unknown(f"{m.place} takes an attribute away"), frame)


def static(m: Machine, owner: object, key: object, frame: Frame) -> object:
    """A property of a class; in Python, whatever its table has."""
    if not isinstance(owner, ClassValue) or not isinstance(key, str):
        return Unknown("a property of a class that is not known")
    if not owner.file.folds:
        if key in ("__name__", "__qualname__"):
            return owner.written
        found = lookup(m, owner, key, ("table",))
        if not isinstance(found, ClassMember):
            maker = maker_of(m, owner)
            found = lookup(m, maker, key, ("table",)) if found is None and isinstance(maker, ClassValue) else found
        if not isinstance(found, ClassMember):
            if found is None and (hasattr(type, key) or (maker is not None and not isinstance(maker, ClassValue))):
                return Unknown("what a metaclass has")
            return ABSENT if found is None else found
        if found.owner is maker_of(m, owner):
            return (
                replace(found.member, this=owner)
                if isinstance(found.member, Closure)
                else Unknown("what a metaclass has")
            )
        member = found.member
        if isinstance(member, Closure) and key in OF_THE_CLASS:
            return replace(member, this=owner, static=owner.name)
        if isinstance(member, Closure):
            return with_class(member, owner.name)
        return seen_member(m, member, None, owner)
    home = _static_home(m, owner, key)
    if not isinstance(home, dict):
        return home
    held = home[key]
    return held.value if isinstance(held, Alias) else held


def _static_home(m: Machine, owner: ClassValue, key: str) -> dict[object, object] | Unknown:
    """Where a static property is kept, with its first value in it."""
    found = lookup(m, owner, key, ("static",))
    if not isinstance(found, ClassMember):
        return Unknown(f"{owner.name}::${key} is not known") if found is None else found
    owner = user_of(m, owner, found.owner) if found.owner.node.kind == "trait" else found.owner
    statics = owner.statics
    if "" in statics:
        return Unknown(str(statics[""]))
    if key not in statics:
        assert isinstance(found.member, Member)
        first = _in_class(m, owner, found.member.value) if found.member.value is not None else None
        m.write(statics, key, first)
    return statics


def set_static(m: Machine, owner: object, key: object, value: object, frame: Frame) -> None:
    """Set an attribute of a class."""
    if isinstance(owner, ClassValue) and isinstance(key, str):
        if not owner.file.folds:
            members = m.follow.members_of(owner)
            if members is not None and any(member.values.get("name") == key for member in members):
                m.value_or_raise(Failure("AttributeError"))
            m.write(owner.statics, key, value)
            return
        home = _static_home(m, owner, key)
        if isinstance(home, dict):
            found = lookup(m, owner, key, ("static",))
            kind = found.member.type if isinstance(found, ClassMember) and isinstance(found.member, Member) else ""
            m.write(home, key, fitting.fit_to_type(m, value, kind, frame.file.code.strict))
            return
    why = f"{m.place} sets a property of a class that can't be known"
    for cls in list(m.state.classes.values()):
        if not isinstance(owner, ClassValue) and cls.file.folds:
            m.write(cls.statics, "", why)


def constant(m: Machine, owner: object, key: object, frame: Frame) -> object:
    """A constant of a class, one of its cases, or its name."""
    if isinstance(key, str) and key.lower() == "class":
        if isinstance(owner, ClassValue):
            return owner.name
        return owner if isinstance(owner, str) else Unknown("the name of a class")
    if isinstance(owner, str):
        if own_bases(m, owner) is None:
            m.note_unsupplied("class", owner)
        return foreign(f"{owner}::{key} is not known")
    if not isinstance(owner, ClassValue):
        return Unknown("a constant of a class that is not known")
    found = lookup(m, owner, key, ("constant", "case"))
    if not isinstance(found, ClassMember):
        if found is None:
            m.note_unsupplied("class constant", f"{owner.name}::{key}")
        return Unknown(f"{owner.name} has no {key}") if found is None else found
    member = found.member
    assert isinstance(member, Member)
    if member.kind == "case":
        return case_of(m, found.owner, member)
    return _in_class(m, found.owner, member.value) if member.value is not None else None


def case_of(m: Machine, owner: ClassValue, member: Member) -> Thing:
    """The one object of a case."""
    key = f"case {member.name}"
    if key not in owner.statics:
        made = m.thing(owner.name)
        made.values["name"] = member.name
        if member.value is not None:
            made.values["value"] = _in_class(m, owner, member.value)
        owner.statics[key] = made
    found = owner.statics[key]
    assert isinstance(found, Thing)
    return found


def truth_of(m: Machine, on: Thing, frame: Frame) -> bool | Unknown:
    """Whether an object counts as true, in a language where it says so itself (Python: Truth Value Testing)."""
    for name in ("__bool__", "__len__"):
        found = method(m, on.cls, name, frame)
        if isinstance(found, Closure):
            return frame.file.semantics.truth(m.enter(found, [], {}, on))
        if isinstance(found, Unknown):
            return Unknown(found.why)
    return True


def call_method(m: Machine, on: Thing, name: str, given: list[object]) -> object:
    """Call a method that an operation stands for."""
    found = method(m, on.cls, name)
    if isinstance(found, Closure):
        return m.enter(found, given, {}, on)
    if found is None:
        m.control.may_raise(f"{on.cls} has no {name}")
        return Unknown(f"{on.cls} has no {name}")
    above = own_bases(m, on.cls)
    if name.startswith("offset") and above is not None and "ArrayAccess" not in above:
        m.value_or_raise(Failure("Error"))
    m.control.may_raise(f"{on.cls} may refuse {name}")
    m.hand_out([on, *given], name)
    return foreign(found.why)
