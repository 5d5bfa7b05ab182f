"""Objects: how they are made, looked into and changed."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from protypon.core.analysis import errors
from protypon.core.analysis.classes import (
    Ancestry,
    ClassMember,
    ancestry,
    described,
    find,
    is_a,
    is_described,
    is_visible,
    lookup,
    maker_of,
    method,
    own_bases,
    own_member,
    user_of,
    with_class,
)
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import (
    Above,
    AccessorOf,
    Bound,
    ClassValue,
    Closure,
    OwnCall,
    OwnClass,
    PlatformCall,
    Thing,
    own_class,
)
from protypon.core.languages.code import Expression, Function, Member, Var
from protypon.core.languages.values import ABSENT, Alias, Box, Descriptor, Failure, Unknown, foreign

NOTHING: dict[str, object] = {"__init__": PlatformCall(""), "__init_subclass__": PlatformCall("")}
"""Methods of ``object`` that do nothing."""

# Making


def refuse_new(m: Machine, cls: object, frame: Frame) -> None:
    """Raise the error of PHP for a class of which no object can be made (PHP manual, Class Abstraction, Visibility), before any argument is
    worked out."""
    if not isinstance(cls, ClassValue) or not cls.file.folds:
        return
    maker = method(m, cls, "__construct")
    hidden = isinstance(maker, Closure) and not is_visible(m, maker, frame)
    if hidden or cls.node.kind in ("interface", "trait", "enum") or "abstract" in cls.node.modifiers:
        m.settled(Failure("Error"))


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
        m.unsupplied("class", cls)
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
        return _new_python(m, cls, line, given, named_, frame)
    made = m.thing(cls.name)
    for each in reversed(line.classes):
        for member in each.node.members:
            if member.kind == "property" and member.value is not None:
                owner = user_of(m, cls, each) if each.node.kind == "trait" else each
                below = "private" in member.modifiers and owner is not cls
                kept = f"\0{owner.name}\0{member.name}" if below else member.name
                m.write(made.values, kept, _in_class(m, each, member.value))
    if isinstance(method(m, cls, "__destruct"), Closure):
        _ends(m, cls, made, "__destruct")
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


def _new_python(
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
        m.settled(Failure("TypeError"))
    calling = maker_of(m, cls)
    found = lookup(m, calling, "__call__", ("table",)) if isinstance(calling, ClassValue) else None
    if isinstance(found, ClassMember) and isinstance(found.member, Closure) and frame.cls != found.owner.name:
        return m.enter(found.member, given, named_, cls)
    maker = None if line.open and errors.root_of(m, cls.name) else lookup(m, cls, "__new__", ("table",))
    if maker is None or isinstance(maker, Unknown):
        made: object = m.thing(cls.name)
        kind = _extended(m, line)
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
    return begin_python(m, cls, made, given, named_)


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


def _extended(m: Machine, line: Ancestry) -> str:
    """The list or table of Python that a class extends, and nothing else of its own; empty where it does not."""
    outside = {base for each in line.classes for base in each.node.bases if find(m, base) is None} - {"object"}
    return outside.pop() if len(outside) == 1 and outside <= {"dict", "list"} else ""


def begin_python(m: Machine, cls: ClassValue, made: object, given: list[object], named_: dict[str, object]) -> object:
    """What is done with an object of Python that has been made."""
    if not isinstance(made, Thing):
        return made
    below = is_a(m, made, cls)
    if below is not True:
        return made if below is False else Unknown("an object that is made in a way of its own")
    if isinstance(method(m, cls, "__del__"), Closure):
        _ends(m, cls, made, "__del__")
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
        m.settled(Failure("TypeError"))
    return made


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
    return m.settled(Failure("ValueError"))


def _ends(m: Machine, cls: ClassValue, made: Thing, name: str) -> None:
    """What an object does when nobody has it any more, which is at any time from here on."""
    why = f"what is done when an object of {cls.name} ends"
    m.out_of_order = m.out_of_order or why
    m.hand_out([[made, name]], why)


def _in_class(m: Machine, cls: ClassValue, node: Expression) -> object:
    """An expression that stands in a class."""
    frame = Frame(cls.file, m.scope(), None, None, cls.node.line, cls.name, cls.name)
    m.frames.append(frame)
    try:
        return m.value(node, frame)
    finally:
        m.frames.pop()


# Looking into

HELD = "\0items"
"""Under this an object of the language that stands for a list keeps it."""


LISTS = frozenset({"arrayiterator", "arrayobject"})
"""Classes of PHP whose objects stand for a list (PHP manual, ArrayObject, ArrayIterator)."""


def held_items(on: Thing) -> object | None:
    """The list that an object stands for; None where it is none of those, or nobody knows."""
    return None if "" in on.lost else on.values.get(HELD)


def item(m: Machine, holder: object, key: object, frame: Frame, quietly: bool = False) -> object:
    """An item of a value; ABSENT where there is none. ``quietly``: it is only looked whether it is there."""
    if isinstance(holder, ClassValue):
        return _member_named(m, holder, key)
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
        return ABSENT if quietly else m.settled(found)
    if isinstance(found, Unknown):
        m.control.may_raise("an item that can't be known")
    return found.value if isinstance(found, Alias) else found


def _member_named(m: Machine, cls: ClassValue, key: object) -> object:
    """``Kind['NAME']``"""
    members = m.follow.members_of(cls)
    if members is None or not isinstance(key, str):
        return Unknown("an item of a class")
    found = next((member for member in members if member.values.get("name") == key), None)
    return m.settled(Failure("KeyError", (key,))) if found is None and key not in cls.statics else cls.statics[key]


def is_hidden(m: Machine, cls: ClassValue, name: str, frame: Frame) -> bool:
    """Whether an attribute is private or protected where it is asked for."""
    found = _declared(m, cls, name, frame)
    if found is None or not ("private" in found.words or "protected" in found.words):
        return False
    own = find(m, frame.cls) if frame.cls else None
    if own is None or "private" in found.words:
        return own is not found.owner
    return not (own in ancestry(m, cls).classes or cls in ancestry(m, own).classes)


class _Declared(NamedTuple):
    """A class that declares an attribute, and its modifiers there."""

    owner: ClassValue
    words: tuple[str, ...]


def _declared(m: Machine, cls: ClassValue, name: str, frame: Frame) -> _Declared | None:
    """The attribute that a name means for code of a frame: a private one of its own class goes first, one of a class above is none."""
    own = find(m, frame.cls) if frame.cls else None
    line = ancestry(m, cls).classes
    if own is not None and own is not cls and own in line:
        words = _words(m, own, name)
        if words is not None and "private" in words:
            return _Declared(own, words)
    for each in line:
        if each.node.kind == "trait":
            continue
        words = _words(m, each, name)
        if words is not None and (each is cls or "private" not in words):
            return _Declared(each, words)
    return None


def _words(m: Machine, cls: ClassValue, name: str) -> tuple[str, ...] | None:
    """The modifiers of an attribute that a class declares, itself or by a trait; None where it does not."""
    for each in (cls, *(t for t in ancestry(m, cls).classes if t.node.kind == "trait" and user_of(m, cls, t) is cls)):
        member = own_member(each, name, ("property", "static"))
        if isinstance(member, Member):
            return member.modifiers
        promoted = _promoted(each, name)
        if promoted is not None:
            return promoted
    return None


def _promoted(cls: ClassValue, name: str) -> tuple[str, ...] | None:
    constructor = own_member(cls, "__construct", ("method",))
    params = constructor.params if isinstance(constructor, Function) else ()
    return next((p.modifiers for p in params if p.promoted and p.name == f"${name}"), None)


def kept_as(m: Machine, on: Thing, name: str, frame: Frame) -> str:
    """Under what an object keeps an attribute: a private one of a class above its own is another one than that of the same name below."""
    cls = find(m, on.cls)
    own = find(m, frame.cls) if frame.cls else None
    if cls is None or own is None or own is cls or not cls.file.folds or own not in ancestry(m, cls).classes:
        return name
    words = _words(m, own, name)
    return f"\0{own.name}\0{name}" if words is not None and "private" in words else name


def attribute(m: Machine, on: object, key: object, frame: Frame) -> object:
    """An attribute of a value; ABSENT where there is none."""
    if isinstance(on, Thing):
        return _of_thing(m, on, key, frame)
    if isinstance(on, ClassValue):
        return static(m, on, key, frame)
    if isinstance(on, Above):
        return above(m, on, key)
    if isinstance(on, Descriptor) and key in ("setter", "getter"):
        return AccessorOf(on, str(key))
    if isinstance(on, Closure) and not on.file.folds and isinstance(key, str):
        return _of_function(on, key)
    if isinstance(on, OwnClass):
        return on.name if key in ("__name__", "__qualname__") else Unknown("what a class of the language has")
    if isinstance(on, Unknown):
        m.follow.may_be_called(m, ("__get", "__getattr__", "__getattribute__"))
        m.control.may_raise("an attribute of what can't be known")
        return Unknown(on.why, (), on.foreign)
    if on is None or on is ABSENT:
        return ABSENT
    m.control.may_raise("an attribute of what has none")
    return Unknown()


def _of_function(on: Closure, key: str) -> object:
    """What a function was given, or its name (https://docs.python.org/3/reference/datamodel.html#special-read-only-attributes)."""
    if key in on.attributes:
        return on.attributes[key]
    if key == "__name__":
        return on.name.rpartition("::")[2] or "<lambda>"
    return Unknown("what a function has") if key.startswith("__") or on.this is not None else ABSENT


def _of_thing(m: Machine, on: Thing, key: object, frame: Frame) -> object:
    if not isinstance(key, str):
        return Unknown("an attribute whose name is made at run time")
    if "" in on.lost:
        return Unknown(str(on.lost[""]))
    cls = find(m, on.cls)
    if cls is not None and not cls.file.folds:
        own = _own_way(m, on, cls, key)
        if own is not None:
            return own
    hidden = cls is not None and cls.file.folds and is_hidden(m, cls, key, frame)
    if hidden and cls is not None and method(m, cls, "__get") is None:
        return m.settled(Failure("Error"))
    kept = kept_as(m, on, key, frame)
    if kept in on.values and not hidden:
        found = on.values[kept]
        return found.value if isinstance(found, Alias) else found
    if cls is None:
        return ABSENT
    if not cls.file.folds:
        return _python_member(m, on, cls, key)
    magic = method(m, cls, "__get")
    if isinstance(magic, Closure):
        return m.enter(magic, [key], {}, on)
    if isinstance(magic, Unknown):
        return Unknown(magic.why)
    return ABSENT


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
            return described(m, member, on.on if isinstance(on.on, Thing) else None, own)
        return member
    if key == "__new__" and "type" in {base for each in line.classes for base in each.node.bases}:
        return OwnCall("type.__new__")
    if key == "__new__" and (not line.open or errors.root_of(m, name)):
        return OwnCall("object.__new__")
    if not line.open and key in NOTHING and "object" in {b for c in line.classes for b in c.node.bases} | {"object"}:
        return NOTHING[key]
    return Unknown(line.open or "what stands above a class")


def _own_way(m: Machine, on: Thing, cls: ClassValue, key: str) -> object | None:
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


def _python_member(m: Machine, on: Thing, cls: ClassValue, key: str) -> object:
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
    return described(m, member, on, cls)


def set_attribute(m: Machine, on: object, key: object, value: object, frame: Frame) -> None:
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
        _refuse_in_python(m, on, cls, key)
    if not isinstance(key, str):
        m.write(on.lost, "", f"{m.place} sets an attribute whose name is made at run time")
        return
    hidden = cls is not None and cls.file.folds and is_hidden(m, cls, key, frame)
    if cls is not None and (hidden or kept_as(m, on, key, frame) not in on.values):
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
    kept = kept_as(m, on, key, frame)
    if cls is not None and cls.file.folds:
        _refuse_to_set(m, cls, key, kept in on.values, frame)
    held = on.values.get(kept)
    if isinstance(held, Alias):
        if not held.lost:
            m.write(held.slots, "value", value)
        return
    m.write(on.values, kept, typed(m, value, _type_of(m, cls, key), frame.file.code.strict))


def _refuse_in_python(m: Machine, on: Thing, cls: ClassValue, key: object) -> None:
    """Raise the error of Python for an attribute that can't be set."""
    if m.follow.is_frozen(m, cls):
        m.settled(Failure("dataclasses.FrozenInstanceError"))
    if m.follow.members_of(cls) is not None and key in ("name", "value"):
        m.settled(Failure("AttributeError"))
    found = lookup(m, cls, key, ("table",))
    member = found.member if isinstance(found, ClassMember) else None
    if isinstance(member, Descriptor) and member.kind == "property" and member.setter is None:
        m.settled(Failure("AttributeError"))
    line = ancestry(m, cls)
    slots = [each.statics.get("__slots__", ABSENT) for each in line.classes]
    if ABSENT not in slots and not line.open:
        names = [name for each in slots for name in _names_in(each)]
        if key not in names and all(isinstance(name, str) for name in names) and found is None:
            m.settled(Failure("AttributeError"))


def _names_in(slots: object) -> list[object]:
    inside = slots.value if isinstance(slots, Box) else slots
    if isinstance(inside, str):
        return [inside]
    return list(inside) if isinstance(inside, list | tuple | dict) else [Unknown("which attributes there are")]


def _refuse_to_set(m: Machine, cls: ClassValue, key: str, there: bool, frame: Frame) -> None:
    """Raise the error for an attribute that can't be seen, or that is set once only (PHP manual, Properties, Readonly properties)."""
    found = _declared(m, cls, key, frame)
    only_once = found is not None and ("readonly" in found.words or "readonly" in found.owner.node.modifiers)
    if is_hidden(m, cls, key, frame) or (only_once and (there or found is None or frame.cls != found.owner.name)):
        m.settled(Failure("Error"))


def _type_of(m: Machine, cls: ClassValue | None, key: str) -> str:
    if cls is None or not cls.file.folds:
        return ""
    found = lookup(m, cls, key, ("property",))
    return found.member.type if isinstance(found, ClassMember) and isinstance(found.member, Member) else ""


def typed(m: Machine, value: object, type_: str, strict: bool = False) -> object:
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
        found = m.settled(m.frames[-1].file.semantics.fitted(value, parts, strict))
        if isinstance(found, Unknown):
            m.control.may_raise(f"it may be no {type_}")
        return found
    fits = [_is_of(m, value, part) for part in parts]
    if True in fits:
        return value
    if all(fit is False for fit in fits):
        m.settled(Failure("TypeError"))
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


def unset_attribute(m: Machine, on: object, key: object, frame: Frame) -> None:
    if isinstance(on, Thing) and isinstance(key, str):
        special = method(m, on.cls, "__unset" if frame.file.semantics.COPIES else "__delattr__", frame)
        kept = kept_as(m, on, key, frame)
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
            return (ABSENT if not key.startswith("__") else Unknown("what every class has")) if found is None else found
        if found.owner is maker_of(m, owner):
            return (
                replace(found.member, this=owner)
                if isinstance(found.member, Closure)
                else Unknown("what a metaclass has")
            )
        member = found.member
        if isinstance(member, Closure):
            return with_class(member, owner.name)
        return described(m, member, None, owner)
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
    if isinstance(owner, ClassValue) and isinstance(key, str):
        if not owner.file.folds:
            members = m.follow.members_of(owner)
            if members is not None and any(member.values.get("name") == key for member in members):
                m.settled(Failure("AttributeError"))
            m.write(owner.statics, key, value)
            return
        home = _static_home(m, owner, key)
        if isinstance(home, dict):
            found = lookup(m, owner, key, ("static",))
            kind = found.member.type if isinstance(found, ClassMember) and isinstance(found.member, Member) else ""
            m.write(home, key, typed(m, value, kind, frame.file.code.strict))
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
            m.unsupplied("class", owner)
        return foreign(f"{owner}::{key} is not known")
    if not isinstance(owner, ClassValue):
        return Unknown("a constant of a class that is not known")
    found = lookup(m, owner, key, ("constant", "case"))
    if not isinstance(found, ClassMember):
        if found is None:
            m.unsupplied("class constant", f"{owner.name}::{key}")
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
    m.hand_out([on, *given], name)
    return foreign(found.why)
