"""Classes: how they are declared and found, what they inherit, and which method a name means."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from msgspec.structs import replace as msgspec_replace

from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.state import Halted
from protypon.core.analysis.values import ClassValue, Closure, OwnClass, Stream, Thing
from protypon.core.languages.code import Class, ClassName, Expression, Function, Var
from protypon.core.languages.values import Alias, Box, Descriptor, Unknown, foreign
from protypon.core.themes.reach import Location

MOST_BASES = 60
KINDS = {str: "str", bool: "bool", int: "int", float: "float", tuple: "tuple"}
"""Plain values of Python by the names of their classes."""


class ClassMember(NamedTuple):
    """What a name means in a class: the class that has it, and what it is there."""

    owner: ClassValue
    member: object


class Ancestry(NamedTuple):
    """A class and all that it inherits from, the nearest first; why more may follow, and why nobody knows what that is."""

    classes: list[ClassValue]
    open: str
    strange: str


# Declaring


def hoist(m: Machine, node: Class, frame: Frame) -> None:
    """Declare a class before the file's first statement, where the language does."""
    ready = all(find(m, base) is not None for base in node.bases)
    if frame.file.hoists and ready and not (node.interfaces or node.traits or node.kind == "enum"):
        frame.hoisted.add(node.name)
        declare(m, node, frame)


def declare(m: Machine, node: Class, frame: Frame) -> ClassValue | None:
    """Make a class known. A second one of its name stops a site whose classes are known all over it."""
    key = node.name.lower() if frame.file.folds else node.name
    if frame.file.folds:
        made = ClassValue(node, frame.file, {}, frame.env, m.doubt)
        old = m.state.classes.get(key)
        if old is not None and _declared_twice(m, node, old, frame):
            return None
        m.state.classes[key] = made
        m.follow.check_class(m, made)
        return made
    made = ClassValue(_told_apart(m, node, frame), frame.file, {}, frame.env, m.doubt)
    m.memory.born(made.statics)
    m.state.classes[made.name] = made
    outer = frame.env.outer if frame.in_class else frame.env
    inside = Frame(frame.file, m.scope(outer, made.statics), None, None, frame.line, made.name, in_class=True)
    m.frames.append(inside)
    try:
        m.block(node.body, inside)
    finally:
        m.frames.pop()
    m.write(frame.env.values, node.name, m.follow.finished(m, made, frame))
    return made


def _told_apart(m: Machine, node: Class, frame: Frame) -> Class:
    """A class of Python under a name that no other has; those above it as they are known where it stands."""
    name, number = node.name, 1
    while name in m.state.classes:
        number += 1
        name = f"{node.name}#{number}"
    bases = []
    for base in node.bases:
        holder = frame.env.holder(base)
        found = holder[base] if holder is not None else None
        bases.append(found.name if isinstance(found, ClassValue) else base)
    return msgspec_replace(node, name=name, bases=tuple(bases))


def _declared_twice(m: Machine, node: Class, old: ClassValue, frame: Frame) -> bool:
    new = Location(frame.file.theme, frame.file.path, node.line)
    other = Location(old.file.theme, old.file.path, old.node.line)
    halted = Halted("declared-twice", node.name, f"{node.name} is declared a second time", new, other)
    if old.doubt:
        m.state.doubtful.append(halted)
        return False
    m.halt(halted)
    return True


# Looking up


def find(m: Machine, name: str) -> ClassValue | None:
    """The class of a name, where the lineage has declared it."""
    bare = name.lstrip("\\")
    return m.state.classes.get(bare) or m.state.classes.get(bare.lower())


def class_value(m: Machine, node: Expression, frame: Frame) -> object:
    """What stands where a class must: a class of the lineage, the name of another, or what can't be known."""
    if isinstance(node, ClassName):
        return class_by_name(m, node.name, frame)
    value = m.value(node, frame)
    if isinstance(value, Thing):
        return find(m, value.cls) or value.cls
    return (find(m, value) or value.lstrip("\\")) if isinstance(value, str) else value


def class_by_name(m: Machine, name: str, frame: Frame) -> object:
    """A class by its name as it stands in code."""
    if name == "static":
        name = frame.static or frame.cls
    elif name in ("self", "parent"):
        own = find(m, frame.cls)
        if own is not None and own.node.kind == "trait":
            return Unknown("the class that uses a trait")
        if name == "self":
            return own or frame.cls
        if own is None or not own.node.bases:
            return Unknown("a class above that is not known")
        name = own.node.bases[0]
    return find(m, name) or name


def ancestry(m: Machine, cls: ClassValue) -> Ancestry:
    """The order in which names are looked for (PHP: class, traits, parent; Python: left to right, where that is unambiguous)."""
    if not cls.file.folds:
        return _python_line(m, cls)
    found: list[ClassValue] = []
    open_ = strange = ""
    waiting: list[str | ClassValue] = [cls]
    while waiting and len(found) < MOST_BASES:
        each = waiting.pop(0)
        known_as = find(m, each) if isinstance(each, str) else each
        if known_as is None:
            why = "" if each == "object" else f"{each} comes from elsewhere"
            open_ = open_ or why
            strange = strange or (why if own_bases(m, str(each)) is None else "")
            continue
        if known_as in found:
            open_ = strange = strange or "a class that is inherited twice"
            continue
        found.append(known_as)
        node = known_as.node
        unclear = node.unclear or ("" if m.doubt else known_as.doubt)
        open_, strange = open_ or unclear, strange or unclear
        waiting = [*node.traits, *node.bases, *waiting]
    return Ancestry(found, open_, strange)


NEUTRAL = frozenset({"object", "abc.ABC", "enum.Enum"})
"""Classes of Python from which nothing is inherited that anybody looks for, or that is followed."""


NO_ORDER = "the classes above it can't be put into an order"


def _python_line(m: Machine, cls: ClassValue) -> Ancestry:
    """https://docs.python.org/3/glossary.html#term-method-resolution-order"""
    open_ = strange = ""
    line = _merge_lines(m, cls, 0)
    for each in line or [cls]:
        outside = next((base for base in each.node.bases if base not in NEUTRAL and find(m, base) is None), "")
        why = f"{outside} comes from elsewhere" if outside else ""
        unclear = each.node.unclear or _unclear_maker(m, each) or ("" if m.doubt else each.doubt)
        if outside and own_bases(m, outside) is None:
            unclear = unclear or why
        open_, strange = open_ or why or unclear, strange or unclear
    if line is None:
        open_ = strange = NO_ORDER
    return Ancestry(line or [cls], open_, strange)


def _merge_lines(m: Machine, cls: ClassValue, depth: int) -> list[ClassValue] | None:
    """A class and those above it, each before those above itself, in the order in which they are named; None where that can't be."""
    above = [found for base in cls.node.bases if (found := find(m, base)) is not None and found is not cls]
    if depth > MOST_BASES:
        return None
    lines = [_merge_lines(m, each, depth + 1) for each in above]
    waiting = [list(line) for line in lines if line is not None]
    if len(waiting) != len(lines):
        return None
    waiting.append(list(above))
    order = [cls]
    while any(waiting):
        first = next((w[0] for w in waiting if w and not any(w[0] in other[1:] for other in waiting)), None)
        if first is None or len(order) > MOST_BASES:
            return None
        order.append(first)
        waiting = [[each for each in w if each is not first] for w in waiting]
    return order


MEMBERS = "\0members"
"""Under this an enumeration of Python keeps the names of its members, in their order."""


def members_of(cls: ClassValue) -> list[Thing] | None:
    """The members of an enumeration, in their order; None of another class."""
    names = cls.statics.get(MEMBERS)
    if not isinstance(names, tuple):
        return None
    return [member for name in names if isinstance(member := cls.statics.get(name), Thing)]


def maker_of(m: Machine, cls: ClassValue) -> object | None:
    """The metaclass of a class, its own or one from above; None where it has none but ``type``."""
    for each in ancestry(m, cls).classes:
        found = _named_maker(m, each)
        if found is not None:
            return found
        if set(each.node.bases) & {"abc.ABC", "enum.Enum"}:
            return Unknown("a metaclass of the language")
    return None


def _named_maker(m: Machine, cls: ClassValue) -> object | None:
    """The metaclass that a class names itself."""
    named_as = next((value for name, value in cls.node.keywords if name == "metaclass"), None)
    if named_as is None:
        return None
    return (find(m, named_as.name) or Unknown("a metaclass")) if isinstance(named_as, Var) else Unknown("a metaclass")


def _unclear_maker(m: Machine, cls: ClassValue) -> str:
    """Why a metaclass may make something else of a class."""
    maker = _named_maker(m, cls)
    if maker is None or cls.node.keywords == (("metaclass", Var("abc.ABCMeta")),):
        return ""
    strange = ("__init__", "__prepare__", "__getattr__", "__getattribute__", "__setattr__")
    if isinstance(maker, ClassValue) and maker.node.bases == ("type",) and not set(strange) & set(maker.statics):
        return ""
    return f"a metaclass makes {cls.written}"


def lookup(m: Machine, cls: ClassValue, name: object, kinds: tuple[str, ...]) -> ClassMember | Unknown | None:
    """What a name means in a class: ``method``, ``constant``, ``property``, ``static``, ``case``; or in its table (``table``)."""
    if not isinstance(name, str):
        return Unknown("a name made at run time")
    line = ancestry(m, cls)
    for each in line.classes:
        if "table" in kinds and name in each.statics:
            return ClassMember(each, each.statics[name])
        member = own_member(each, name, kinds)
        if member is not None:
            return ClassMember(each, member)
        if each.node.adapted and "method" in kinds:
            found = _adapt_traits(m, each, name)
            if found is not None:
                return found
        if each.node.unclear:
            return Unknown(each.node.unclear)
    for face in faces(m, line.classes) if "constant" in kinds else ():
        member = own_member(face, name, kinds)
        if member is not None:
            return ClassMember(face, member)
    return Unknown(line.open) if line.open else None


def _adapt_traits(m: Machine, cls: ClassValue, name: str) -> ClassMember | None:
    """What a class makes of the methods of its traits (PHP manual, Traits, Conflict Resolution, Changing Method Visibility)."""
    for row in cls.node.adapted:
        if name.lower() != (row.alias or row.method).lower():
            continue
        for trait in [row.trait] if row.trait else cls.node.traits:
            owner = find(m, trait)
            member = own_member(owner, row.method, ("method",)) if owner is not None else None
            if owner is not None and isinstance(member, Function):
                return ClassMember(owner, _with_visibility(member, row.visibility))
    return None


def _with_visibility(method: Function, visibility: str) -> Function:
    if not visibility:
        return method
    others = tuple(word for word in method.modifiers if word not in ("public", "protected", "private"))
    return msgspec_replace(method, modifiers=(visibility, *others))


def user_of(m: Machine, cls: ClassValue, trait: ClassValue) -> ClassValue:
    """The class of a line that uses a trait, itself or by another trait: what stands in the trait counts as its own."""
    for each in ancestry(m, cls).classes:
        if each.node.kind != "trait" and _uses(m, each, trait):
            return each
    return cls


def _uses(m: Machine, cls: ClassValue, trait: ClassValue) -> bool:
    waiting, seen = list(cls.node.traits), 0
    while waiting and seen < MOST_BASES:
        found, seen = find(m, waiting.pop()), seen + 1
        if found is trait:
            return True
        waiting += found.node.traits if found is not None else ()
    return False


def faces(m: Machine, classes: list[ClassValue]) -> list[ClassValue]:
    """The interfaces of some classes, with those above them."""
    waiting = [name for each in classes for name in (*each.node.interfaces, *each.node.bases)]
    found: list[ClassValue] = []
    while waiting and len(found) < MOST_BASES:
        own = find(m, waiting.pop(0))
        if own is not None and own not in found:
            found.append(own)
            waiting += [*own.node.bases, *own.node.interfaces]
    return found


def own_member(cls: ClassValue, name: str, kinds: tuple[str, ...]) -> object | None:
    """A method, constant or static attribute that a class declares itself; None where it has none of those kinds."""
    if "method" in kinds:
        for number in cls.node.methods:
            function = cls.file.code.functions[number]
            if function.name.rpartition("::")[2].lower() == name.lower():
                return function
    return next((member for member in cls.node.members if member.kind in kinds and member.name == name), None)


def method(m: Machine, cls: object, name: object, frame: Frame | None = None) -> Closure | Unknown | None:
    """The function that a name means as a method; None where the class has none, or where code in a ``frame`` can't see it."""
    found = _method(m, cls, name, frame)
    hidden = frame is not None and isinstance(found, Closure) and not is_visible(m, found, frame)
    return None if hidden else found


def is_visible(m: Machine, found: Closure, frame: Frame | None) -> bool:
    """Whether a method can be called by code of a frame; None stands for code in no class.

    PHP manual, Visibility: private methods are seen by the class that has them, protected ones along its line.
    """
    words = found.function.modifiers
    if "private" not in words and "protected" not in words:
        return True
    own = find(m, frame.cls) if frame is not None and frame.cls else None
    owner = find(m, found.cls)
    if own is None or owner is None or "private" in words:
        return own is owner is not None
    return own in ancestry(m, owner).classes or owner in ancestry(m, own).classes


def _method(m: Machine, cls: object, name: object, frame: Frame | None) -> Closure | Unknown | None:
    if isinstance(cls, str):
        cls = find(m, cls) or foreign(f"{cls} is a class from elsewhere")
    if isinstance(cls, Unknown):
        return cls
    if not isinstance(cls, ClassValue):
        return Unknown()
    if not cls.file.folds:
        found = lookup(m, cls, name, ("table",))
        member = found.member if isinstance(found, ClassMember) else found
        return with_class(member, cls.name) if isinstance(member, Closure) else (None if member is None else Unknown())
    private = _private(m, cls, name, frame)
    found = private or lookup(m, cls, name, ("method",))
    if isinstance(found, Unknown) and isinstance(name, str) and _is_error(m, cls) and name.lower() not in ERROR_METHODS:
        return None
    if not isinstance(found, ClassMember):
        return found
    assert isinstance(found.member, Function)
    owner = user_of(m, cls, found.owner) if found.owner.node.kind == "trait" else found.owner
    return Closure(found.member, found.owner.file, None, None, owner.name, cls.name)


ERROR_METHODS = frozenset(
    ("getmessage", "getcode", "getfile", "getline", "gettrace", "getprevious", "gettraceasstring", "getseverity",
     "__construct", "__tostring", "__wakeup", "__clone")
)  # fmt: skip
"""All methods of the errors that come with PHP (https://www.php.net/manual/en/class.exception.php, …/class.error.php)."""


def _is_error(m: Machine, cls: ClassValue) -> bool:
    """Whether all that a class has from elsewhere it has from errors of the language, or from interfaces."""
    line = ancestry(m, cls)
    outside = [name for each in line.classes for name in each.node.bases if find(m, name) is None]
    return not line.strange and bool(outside) and all("Throwable" in (own_bases(m, name) or ()) for name in outside)


def with_class(closure: Closure, static: str) -> Closure:
    """A function as it is called on another class, which ``static`` means then."""
    return replace(closure, static=static)


def _private(m: Machine, cls: ClassValue, name: object, frame: Frame | None) -> ClassMember | None:
    """A private method of the class that asks, which goes before those of classes below it."""
    own = find(m, frame.cls) if frame is not None and frame.cls else None
    if own is None or own is cls or not isinstance(name, str) or own not in ancestry(m, cls).classes:
        return None
    member = own_member(own, name, ("method",))
    return ClassMember(own, member) if isinstance(member, Function) and "private" in member.modifiers else None


def own_bases(m: Machine, name: str) -> tuple[str, ...] | None:
    """All that a class of the language's own inherits; None where it has no such class."""
    frame = m.frames[-1] if m.frames else None
    return frame.file.semantics.bases(name) if frame is not None else None


def is_below(m: Machine, name: str, wanted: str) -> bool | Unknown:
    """The same of classes that are not the lineage's."""
    if name.lower() == wanted.lower():
        return True
    above = own_bases(m, name)
    if above is None:
        return Unknown(f"{name} comes from elsewhere")
    return any(each.lower() == wanted.lower() for each in above)


def is_described(m: Machine, member: object) -> bool:
    """Whether what a class holds under a name is set by code (https://docs.python.org/3/howto/descriptor.html)."""
    if isinstance(member, Thing):
        return not (find(m, member.cls) is not None and method(m, member.cls, "__set__") is None)
    return isinstance(member, Descriptor)


def seen_member(m: Machine, member: object, on: Thing | None, cls: ClassValue) -> object:
    """What a class holds under a name, as it is seen through the class or one of its objects."""
    if isinstance(member, Descriptor):
        if member.kind == "static":
            return member.inside
        if member.kind == "class" and isinstance(member.inside, Closure):
            inside = member.inside
            return replace(inside, this=cls, static=cls.name)
        if on is not None and isinstance(member.inside, Closure):
            return m.enter(member.inside, [], {}, on)
        return Unknown("a property of a class")
    if isinstance(member, Alias):
        return member.value
    if not isinstance(member, Thing):
        return member
    getter = method(m, member.cls, "__get__")
    if isinstance(getter, Closure):
        return m.enter(getter, [on, cls], {}, member)
    return (
        member
        if getter is None and find(m, member.cls) is not None
        else Unknown("an attribute that has code of its own")
    )


def is_a(m: Machine, value: object, cls: object) -> bool | Unknown:
    """Whether a value is an object of a class, or of one below it."""
    if isinstance(value, Unknown) or isinstance(cls, Unknown):
        return Unknown()
    if isinstance(cls, OwnClass) and not isinstance(value, Thing):
        kind = value.kind if isinstance(value, Box) else KINDS.get(type(value), "")
        if value is None:
            return cls.name == "object"
        if isinstance(value, ClassValue):
            return cls.name in ("type", "object") if maker_of(m, value) is None else Unknown("of what class a class is")
        if kind not in ("str", "bool", "int", "float", "tuple", "list", "dict") or cls.name == "type":
            return Unknown("of what class a value is")
        return kind == cls.name or cls.name in (own_bases(m, kind) or ()) or cls.name == "object"
    if isinstance(value, Stream) and isinstance(cls, str) and value.kind == "generator":
        return cls.lower() in ("generator", "iterator", "traversable")
    if not isinstance(value, Thing):
        lazy = isinstance(value, Box) and value.kind in ("iterator", "view")
        return (
            False if isinstance(value, str | int | float | list | dict | tuple | Box | None) and not lazy else Unknown()
        )
    wanted = cls.name if isinstance(cls, ClassValue | OwnClass) else str(cls)
    own = find(m, value.cls)
    if own is None:
        return is_below(m, value.cls, wanted)
    line = ancestry(m, own)
    names = [name for each in line.classes for name in (each.name, *each.node.interfaces, *each.node.bases)]
    if any(name.lower() == wanted.lower() for name in names):
        return True
    outside = [name for name in names if find(m, name) is None]
    found = [is_below(m, name, wanted) for name in outside]
    if True in found:
        return True
    unknown = next((each for each in found if isinstance(each, Unknown)), None)
    return Unknown(line.strange) if line.strange else False if unknown is None else unknown
