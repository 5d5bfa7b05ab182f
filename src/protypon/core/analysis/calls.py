"""Calls: of what the platform file gives a meaning, of the lineage's own functions and methods, and of anything from outside."""

from __future__ import annotations

from dataclasses import replace as replaced
from functools import partial

from msgspec.structs import replace

from protypon.core.analysis import classes, objects, outside, visibility
from protypon.core.analysis.asking import Asking
from protypon.core.analysis.machine import AnyNumber, Frame, Machine
from protypon.core.analysis.places import Slot, place_of, read_name, referring
from protypon.core.analysis.streams import Uncounted
from protypon.core.analysis.values import (
    AccessorOf,
    Bound,
    ClassValue,
    Closure,
    OwnCall,
    OwnClass,
    Partial,
    PlatformCall,
    Thing,
)
from protypon.core.languages.code import Expression, Function, Invoke, Op, Var, spreads
from protypon.core.languages.semantics import LEFT, Changes, Native
from protypon.core.languages.values import ABSENT, Alias, Box, Failure, Unknown, foreign

Back = list[tuple[Slot, Alias]]
"""Places that get back what was changed by reference."""


def invoke(m: Machine, node: Invoke, frame: Frame) -> object:
    """Follow a call as it stands."""
    line, frame.line = frame.line, node.line
    try:
        return _follow_invocation(m, node, frame)
    finally:
        frame.line = line


def _follow_invocation(m: Machine, node: Invoke, frame: Frame) -> object:
    if node.on is None:
        meanings = m.rules.meanings_of(node.name)
        if meanings:
            return m.follow.apply(m, meanings, *m.arguments_of(node, frame), frame)
        if node.name in frame.file.semantics.PULLS and "include" in m.finds:
            return m.finds["include"](*m.arguments_of(node, frame)[0][:1], frame.file.semantics.PULLS[node.name], frame)
        if node.name in m.lookups:
            given, _ = m.arguments_of(node, frame)
            return m.lookups[node.name](*given)
        if node.name.startswith("self.") and "block" in m.lookups:
            return m.lookups["block"](node.name[5:], 0)
        if node.name.startswith("new "):
            return _new(m, _class_made(m, node.name[4:], frame), node, frame)
        if "::" in node.name:
            owner, _, name = node.name.partition("::")
            return m.follow.of_class(m, classes.class_by_name(m, owner, frame), owner, name, node, frame)
        return _call_by_name(m, node, frame)
    marked = _mark_called(m, node, frame)
    if marked is not None:
        return marked
    if node.name == "new":
        return _new(m, classes.class_value(m, node.on, frame), node, frame)
    if node.name.startswith("::"):
        return m.follow.of_class(m, classes.class_value(m, node.on, frame), "", node.name[2:], node, frame)
    if not node.name:
        return called_value(m, m.value(node.on, frame), node, frame)
    return m.follow.method(m, m.value(node.on, frame), node, frame)


def _mark_called(m: Machine, node: Invoke, frame: Frame) -> object:
    """``on("p")(f)``: a mark written as a call of its result."""
    inner = node.on
    fits = isinstance(inner, Invoke) and inner.on is None and inner.name in m.rules.marked
    if node.name or not fits or len(node.arguments) != 1:
        return None
    assert isinstance(inner, Invoke)
    target = m.value(node.arguments[0], frame)
    if isinstance(target, Closure):
        m.mark(inner, target, frame)
    elif isinstance(target, Unknown):
        m.note_blind("attaches or declares what can't be known")
    return target


# Functions by name


def _call_by_name(m: Machine, node: Invoke, frame: Frame) -> object:
    semantics = frame.file.semantics
    if semantics.SIGN:
        closure = function_named(m, node.name)
        if closure is not None:
            return call_closure(m, closure, None, node, frame)
        return _outside(m, node, frame)
    value = read_name(m, node.name, frame)
    if isinstance(value, Unknown) and value.foreign:
        return _outside(m, node, frame)
    return called_value(m, value, node, frame)


def function_named(m: Machine, name: str) -> Closure | None:
    """The function of a name; of one in a namespace that is not there, the one outside of any."""
    for each in (name, name.rpartition("\\")[2]):
        declared = m.state.functions.get(each.lower()) or m.state.functions.get(each)
        if declared is not None:
            return declared.closure
    return None


def _doubt_about(m: Machine, name: str) -> str:
    declared = m.state.functions.get(name.lower()) or m.state.functions.get(name)
    return declared.doubt if declared is not None else ""


def _outside(m: Machine, node: Invoke, frame: Frame) -> object:
    """A function that no theme has."""
    name = node.name.rpartition("\\")[2]
    semantics = frame.file.semantics
    native = semantics.NATIVES.get(name.lower() if semantics.FOLDS_CASE else name)
    own = semantics.own(name)
    if native is None and not semantics.SIGN and "BaseException" in (semantics.bases(name) or ()):
        return _new(m, name, node, frame)
    changing = own is not None and bool(own.changes or own.changes_from is not None)
    if (native is not None and not changing) or (own is not None and not changing):
        given, named = m.arguments_of(node, frame)
        found: object = LEFT
        if native is not None and not any(isinstance(value, AnyNumber) for value in given):
            found = _with_texts(m, name, native, given, named, frame)
        if isinstance(found, Unknown):
            outside.asked_by_language(m, [*given, *named.values()], name)
        if found is not LEFT:
            return found
        if own is not None and own.calls:
            m.hand_out([*given, *named.values()], name, False)
        if own is not None and own.prints and native is None:
            m.print(foreign(f"what {name} prints"))
        for each in given:
            m.use_up(each)
        m.control.may_raise(f"{name} may fail")
        return foreign(f"what {name} gives is not known")
    if own is None and not m.is_own(name) and name not in m.rules.functions:
        if m.is_to_come("function", node.name) and m.is_to_come("function", name):
            m.value_or_raise(Failure("Error"))
        m.note_unsupplied("function", node.name)
        if m.rules.output == "print":
            m.print(foreign(f"what {name} prints"))
    return _changing(m, node, name, own.changed if own is not None else lambda place: True, own is None, frame, native)


def _with_texts(
    m: Machine, name: str, native: Native, given: list[object], named: dict[str, object], frame: Frame
) -> object:
    """A function of the language; one that takes texts asks objects for theirs."""
    asked = any(isinstance(value, Thing) for value in given) and frame.file.semantics.takes_texts(name)
    if asked and all(
        isinstance(classes.method(m, v.cls, "__toString"), Closure) for v in given if isinstance(v, Thing)
    ):
        given[:] = [m.text(value, frame) if isinstance(value, Thing) else value for value in given]
    return native_call(m, native, given, named, frame)


def native_call(m: Machine, native: Native, given: list[object], named: dict[str, object], frame: Frame) -> object:
    """A function of the language itself that is followed."""
    found = _call_native(m, native, given, named, frame)
    found = m.note_box(found.given if isinstance(found, Changes) else found)
    if isinstance(found, Unknown):
        m.control.may_raise("a function of the language may fail")
    return found


def _call_native(m: Machine, native: Native, given: list[object], named: dict[str, object], frame: Frame) -> object:
    """What such a function gives; where that is not known, it may have gone through what it was given."""
    try:
        found = m.value_or_raise(native(Asking(m, frame), given, named))
    except Uncounted as uncounted:
        found = Unknown(uncounted.why)
    if isinstance(found, Unknown):
        for each in (*given, *named.values()):
            m.use_up(each)
    return found


def _changing(
    m: Machine, node: Invoke, name: str, changes: object, keeps: bool, frame: Frame, native: Native | None = None
) -> object:
    """A function that may change what it is given by reference, and keep what it is given otherwise."""
    assert callable(changes)
    given: list[object] = []
    places: dict[int, Slot] = {}
    for number, part in enumerate(node.arguments):
        if spreads(part):
            m._spread(part, given, {}, frame)
        elif frame.file.semantics.COPIES and changes(number) and _is_place(part):
            place = place_of(m, part, frame)
            value = place.get() if number == 0 or changes(0) else None
            given.append(None if value is ABSENT else value)
            places[number] = place
        else:
            given.append(m.value(part, frame))
    named = {key: m.value(value, frame) for key, value in node.named}
    if native is not None and not named and not any(isinstance(value, AnyNumber) for value in given):
        found = _call_native(m, native, given, named, frame)
        if isinstance(found, Changes):
            for number, place in places.items():
                place.set(found.now.get(number, foreign(f"what {name} made of it")))
            return found.given
        if found is not LEFT and not places:
            return found
    m.hand_out([*given, *named.values()], name, keeps)
    for place in places.values():
        place.set(foreign(f"what {name} made of it"))
    m.control.may_raise(f"{name or 'a function'} may fail")
    return foreign(f"what {name or 'a computed function'} gives is not known")


def _is_place(node: Expression) -> bool:
    return (isinstance(node, Var) and node.name != "$this") or (
        isinstance(node, Op) and node.op in ("[]", "attr", "static")
    )


# Values that are called


def called_value(m: Machine, value: object, node: Invoke, frame: Frame) -> object:
    """A call of what an expression comes to."""
    if isinstance(value, ClassValue):
        return _new(m, value, node, frame)
    if isinstance(value, PlatformCall):
        return _follow_invocation(m, replace(node, name=value.name, on=None), frame)
    if isinstance(value, OwnClass | OwnCall):
        return _outside(m, replace(node, name=value.name, on=None), frame)
    if isinstance(value, Partial):
        given, named = m.arguments_of(node, frame)
        return call(m, value, given, named)
    if isinstance(value, AccessorOf):
        given, _ = m.arguments_of(node, frame)
        other = given[0] if given else None
        return replaced(value.prop, setter=other) if value.kind == "setter" else replaced(value.prop, inside=other)
    if isinstance(value, Box):
        m.value_or_raise(Failure("TypeError"))
    closure, this = closure_of(m, value, frame)
    if closure is not None:
        doubt = _doubt_about(m, value) if isinstance(value, str) else ""
        return call_closure(m, closure, this, node, frame, doubt)
    if isinstance(value, str) and frame.file.semantics.SIGN:
        return _by_text(m, value, node, frame)
    given, named = m.arguments_of(node, frame)
    if isinstance(value, list) and len(value) == 2 and isinstance(value[0], Unknown | Thing):
        return m.follow.method_called(m, value[0], str(value[1]) if isinstance(value[1], str) else "", given, named)
    if isinstance(value, Unknown) or value is ABSENT:
        return any_function(m, value, given, named)
    if isinstance(value, str | int | float | tuple | None) and not frame.file.semantics.COPIES:
        m.value_or_raise(Failure("TypeError"))
    if isinstance(value, int | float | None) and frame.file.semantics.COPIES:
        m.value_or_raise(Failure("Error"))
    m.control.may_raise("what can't be called")
    return Unknown("what can't be called")


def _by_text(m: Machine, name: str, node: Invoke, frame: Frame) -> object:
    """A function whose name is a text."""
    bare = name.lstrip("\\")
    if bare in m.rules.calls or (m.is_own(bare) and "::" not in bare):
        return _follow_invocation(m, Invoke(bare, None, node.arguments, node.named, node.line, node.column), frame)
    return _outside(m, Invoke(bare, None, node.arguments, node.named, node.line, node.column), frame)


def any_function(m: Machine, value: object, given: list[object], named: dict[str, object]) -> object:
    """A call of what can't be known: any function that it may be."""
    why = f"{m.place} calls what can't be known"
    m.hand_out([*given, *named.values()], why)
    if isinstance(value, Unknown) and value.foreign:
        outside.again(m)
        m.control.may_raise(why)
        return foreign(why)
    for name in m.rules.calls:
        if not isinstance(value, Unknown) or value.may_be(name):
            m.control.perhaps(why, partial(call, m, PlatformCall(name), list(given), dict(named)))
    outside.any_function(m, value, why)
    m.control.may_raise(why)
    return Unknown(why)


def closure_of(m: Machine, target: object, frame: Frame | None = None) -> tuple[Closure | None, object]:
    """The function that a value stands for, and its object."""
    if isinstance(target, Closure):
        return target, target.this
    if isinstance(target, str):
        name = target.lstrip("\\")
        owner, colons, method = name.partition("::")
        if colons:
            found = classes.method(m, owner, method, frame)
            return (found if isinstance(found, Closure) else None), None
        return function_named(m, name), None
    if isinstance(target, Bound):
        found = classes.method(m, target.thing.cls, target.name, frame)
        return (found if isinstance(found, Closure) else None), target.thing
    if isinstance(target, list) and len(target) == 2 and isinstance(target[1], str):
        return _from_pair(m, target[0], target[1], frame)
    if isinstance(target, Thing):
        found = classes.method(m, target.cls, "__invoke", frame) or classes.method(m, target.cls, "__call__", frame)
        return (found if isinstance(found, Closure) else None), target
    return None, None


def _from_pair(m: Machine, on: object, name: str, frame: Frame | None) -> tuple[Closure | None, object]:
    """``[$object, 'method']``, ``['Class', 'method']``, ``[$object, 'parent::method']``."""
    owner = on.cls if isinstance(on, Thing) else on
    if not isinstance(owner, str):
        return None, None
    scope, colons, rest = name.partition("::")
    if colons:
        cls = classes.find(m, owner)
        owner = cls.node.bases[0] if cls is not None and scope.lower() == "parent" and cls.node.bases else scope
        name = rest
    found = classes.method(m, owner, name, frame)
    return (found if isinstance(found, Closure) else None), on if isinstance(on, Thing) else None


def call(m: Machine, target: object, given: list[object], named: dict[str, object]) -> object:
    """Follow a call of a value with arguments that are known already."""
    closure, this = closure_of(m, target)
    if closure is not None:
        doubt = _doubt_about(m, target) if isinstance(target, str) else ""
        if doubt and not m.doubt:
            m.control.perhaps(doubt, lambda: m.enter(closure, given, named, this))
            return Unknown(doubt)
        return m.enter(closure, given, named, this)
    if isinstance(target, Partial):
        return call(m, target.target, [*target.given, *given], {**dict(target.named), **named})
    if isinstance(target, ClassValue):
        visibility.refuse_new(m, target, m.frames[-1])
        return objects.new(m, target, given, named, m.frames[-1])
    if isinstance(target, PlatformCall):
        return _platform_called(m, target.name, given, named)
    if isinstance(target, OwnClass | OwnCall):
        return _native_called(m, target.name, given, named)
    if isinstance(target, Unknown):
        return any_function(m, target, given, named)
    if isinstance(target, str) and "::" in target:
        owner, _, name = target.lstrip("\\").partition("::")
        cls = classes.find(m, owner) or foreign(f"{owner} is not known")
        return m.follow.without_method(m, cls, name, given, named, m.frames[-1])
    if isinstance(target, str) and m.frames:
        return _native_called(m, target, given, named)
    if isinstance(target, list) and len(target) == 2 and isinstance(target[1], str):
        return m.follow.method_called(m, target[0], target[1], given, named)
    m.hand_out([*given, *named.values()], "a function")
    return foreign("a function that is not known")


def _native_called(m: Machine, name: str, given: list[object], named: dict[str, object]) -> object:
    frame = m.frames[-1]
    native = frame.file.semantics.NATIVES.get(name.lower() if frame.file.folds else name)
    if native is not None:
        found = _with_texts(m, name, native, list(given), named, frame)
        if isinstance(found, Unknown):
            outside.asked_by_language(m, [*given, *named.values()], name)
        return found
    own = frame.file.semantics.own(name)
    if m.rules.calls.get(name.lstrip("\\")) is not None:
        return _platform_called(m, name.lstrip("\\"), given, named)
    if own is None and not m.is_own(name) and name not in m.rules.functions:
        m.note_unsupplied("function", name)
    outside.asked_by_language(m, [*given, *named.values()], name)
    if own is None or own.prints:
        m.print(foreign(f"what {name} prints"))
    if own is None or own.calls:
        m.hand_out([*given, *named.values()], name, own is None)
    return foreign(f"what {name} gives is not known")


def _platform_called(m: Machine, name: str, given: list[object], named: dict[str, object]) -> object:
    """A call of the platform with arguments that are known already."""
    return m.follow.apply(m, m.rules.calls[name], given, named, m.frames[-1])


def call_closure(m: Machine, closure: Closure, this: object, node: Invoke, frame: Frame, doubt: str = "") -> object:
    """Call a function of the lineage with the arguments that stand in a call."""
    given, named, back = _arguments(m, closure.function, node, frame)

    def run() -> object:
        m.strictly = frame.file.code.strict
        result = m.enter(closure, given, named, this)
        for place, reference in back:
            place.set(Unknown("it was given another name") if reference.lost else reference.value)
        return result

    if doubt and not m.doubt:
        return m.control.either(doubt, lambda: Unknown(doubt), run)
    return run()


def _arguments(
    m: Machine, function: Function, node: Invoke, frame: Frame
) -> tuple[list[object], dict[str, object], Back]:
    """Arguments by place and by name; those that are given by reference as what can be written."""
    by_reference = [param.way.startswith("&") for param in function.params]
    if not any(by_reference):
        given, named = m.arguments_of(node, frame)
        return given, named, []
    given, named, back = [], {}, []
    for number, part in enumerate(node.arguments):
        place = min(number, len(by_reference) - 1)
        last = function.params[place].way == "&*" or number < len(by_reference)
        if spreads(part):
            m._spread(part, given, named, frame)
        elif by_reference[place] and last and isinstance(part, Var):
            given.append(referring(m, part.name, frame))
        elif by_reference[place] and last and _is_place(part):
            where = place_of(m, part, frame)
            value = where.get()
            made = m.reference(None if value is ABSENT else value)
            given.append(made)
            back.append((where, made))
        else:
            given.append(m.value(part, frame))
    for name, value in node.named:
        named[name] = m.value(value, frame)
    return given, named, back


# Objects


def _class_made(m: Machine, name: str, frame: Frame) -> object:
    """The class of which an object is made; one without a name is declared where it is made."""
    if name.startswith("class@"):
        known_as = f"{frame.file.theme}/{frame.file.path}:{name}"
        found = m.state.classes.get(known_as)
        if found is None:
            node = next(c for c in frame.file.code.classes if c.name == name)
            found = ClassValue(replace(node, name=known_as), frame.file, {})
            m.follow.check_class(m, found)
            m.state.classes[known_as] = found
        return found
    return classes.class_by_name(m, name, frame)


def _new(m: Machine, cls: object, node: Invoke, frame: Frame) -> object:
    if isinstance(cls, str) and m.is_to_come("class", cls):
        m.value_or_raise(Failure("Error"))
    visibility.refuse_new(m, cls, frame)
    given, named = m.arguments_of(node, frame)
    if any(isinstance(value, AnyNumber) for value in given):
        m.control.may_raise("arguments made at run time")
    m.strictly = frame.file.code.strict
    return objects.new(m, cls, given, named, frame)
