"""What Python does once the body of a class has run (https://docs.python.org/3/reference/datamodel.html#creating-the-class-object)."""

from __future__ import annotations

from protypon.core.analysis import classes, functions, records
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import ClassValue, Closure, Thing
from protypon.core.languages.values import Box, Descriptor, Failure, Single, Unknown, box

ENUM = "enum.Enum"


def finish_class(m: Machine, made: ClassValue, frame: Frame) -> object:
    """What a class is bound to: itself, or what its decorators make of it."""
    node = made.node
    m.special |= {name for name in made.statics if isinstance(name, str) and name.startswith("__")}
    line = classes.ancestry(m, made)
    if line.strange:
        m.follow.may_be_called(
            m, ("__init_subclass__", "__set_name__", "__new__", "__init__", "__call__", "__prepare__")
        )
    if node.unclear:
        return Unknown(node.unclear)
    if line.strange == classes.NO_ORDER:
        m.value_or_raise(Failure("TypeError"))
    maker = classes.maker_of(m, made)
    making = maker.statics.get("__new__") if isinstance(maker, ClassValue) else None
    if isinstance(making, Closure) and not line.strange:
        other = _made_by(m, made, making, maker, frame)
        if other is not made:
            return other
    if any(base == ENUM for each in line.classes for base in each.node.bases):
        _enumerate(m, made)
    for name, member in list(made.statics.items()):
        setter = classes.method(m, member.cls, "__set_name__") if isinstance(member, Thing) else None
        if isinstance(setter, Closure):
            m.enter(setter, [made, name], {}, member)
    _told_above(m, made, line.classes[1:], frame)
    value: object = made
    for decorator in reversed(node.decorators):
        options = records.options_of(decorator)
        if options is not None and isinstance(value, ClassValue):
            records.make(m, value, options)
        else:
            value = functions.valued_with(m, decorator, value, frame)
    return value


def _made_by(m: Machine, made: ClassValue, making: Closure, maker: object, frame: Frame) -> object:
    """``__new__`` of a metaclass, which has ``type.__new__`` make the class of what it gives that."""
    given = {name: m.value(value, frame) for name, value in made.node.keywords if name != "metaclass"}
    above = tuple(classes.find(m, base) or Unknown("a class above") for base in made.node.bases)
    table = m.note_box(box("dict", {key: value for key, value in made.statics.items() if isinstance(key, str)}))
    m.making.append(made)
    try:
        return m.call(making, [maker, made.written, above, table], given)
    finally:
        m.making.pop()


def _told_above(m: Machine, made: ClassValue, above: list[ClassValue], frame: Frame) -> None:
    """``__init_subclass__`` of the nearest class above that has one."""
    given = {name: m.value(value, frame) for name, value in made.node.keywords if name != "metaclass"}
    for each in above:
        if "__init_subclass__" in each.statics:
            told = each.statics["__init_subclass__"]
            inside = told.inside if isinstance(told, Descriptor) else told
            if isinstance(inside, Closure):
                m.enter(inside, [], given, made)
            return


def _enumerate(m: Machine, made: ClassValue) -> None:
    """The values of an enumeration become its members (https://docs.python.org/3/library/enum.html)."""
    names: list[str] = []
    count = 0
    for name, value in list(made.statics.items()):
        if not isinstance(name, str) or name.startswith("_") or isinstance(value, Closure | Descriptor | ClassValue):
            continue
        if isinstance(value, Single) and value.name == "auto":
            value = count + 1
        count = value if isinstance(value, int) else count
        again = next((n for n in names if _value_of(made, n) == value and not isinstance(value, Unknown | Box)), None)
        if again is not None:
            m.write(made.statics, name, made.statics[again])
            continue
        member = m.thing(made.name)
        m.write(member.values, "name", name)
        m.write(member.values, "value", value)
        m.write(made.statics, name, member)
        names.append(name)
    if names or classes.MEMBERS not in made.statics:
        m.write(made.statics, classes.MEMBERS, tuple(names))
    begin = made.statics.get("__init__")
    for name in names if isinstance(begin, Closure) else ():
        value = _value_of(made, name)
        if isinstance(begin, Closure):
            m.enter(begin, list(value) if isinstance(value, tuple) else [value], {}, made.statics[name])


def _value_of(cls: ClassValue, name: str) -> object:
    member = cls.statics.get(name)
    return member.values.get("value") if isinstance(member, Thing) else Unknown("a member")
