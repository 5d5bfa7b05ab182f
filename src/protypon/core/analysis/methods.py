"""Methods: of objects and classes of the lineage, of what the language has, and of what can't be known."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from protypon.core.analysis import classes, enumerations, errors, objects, outside, python_objects, raising, streams
from protypon.core.analysis.calls import call, call_closure, called_value, native_call
from protypon.core.analysis.machine import AnyNumber, Frame, Machine
from protypon.core.analysis.values import Above, ClassValue, Closure, PlatformCall, Stream, Thing, held_items
from protypon.core.languages.code import Invoke
from protypon.core.languages.values import ABSENT, Box, Failure, Unknown, foreign


def of_class(m: Machine, owner: object, scope: str, name: str, node: Invoke, frame: Frame) -> object:
    """``C::m()``: a method of a class, on the object in whose method it stands, if that is one."""
    found = classes.method(m, owner, name, frame)
    if isinstance(found, Closure):
        this = None
        if isinstance(frame.this, Thing) and "static" not in found.function.modifiers:
            this = frame.this if classes.is_a(m, frame.this, owner) is True else None
        static = frame.static if scope in ("self", "parent", "static") and frame.static else found.static
        closure = Closure(found.function, found.file, None, None, found.cls, static)
        return call_closure(m, closure, this, node, frame)
    _refuse(m, owner, name, ("__call", "__callStatic"), frame)
    given, named = m.arguments_of(node, frame)
    if owner == "Closure" and given and isinstance(given[0], Closure) and name.lower() == "bind" and not named:
        bound = rebound(m, given[0], "bindto", given[1:])
        if bound is not None:
            return bound
    if (
        isinstance(owner, str)
        and name.lower() == "__construct"
        and isinstance(frame.this, Thing)
        and errors.root_of(m, owner)
    ):
        errors.begin(m, frame.this, given, named, True)
        return None
    if isinstance(owner, str):
        if classes.own_bases(m, owner) is None:
            m.note_unsupplied("class", owner)
        m.hand_out([*given, *named.values()], f"{owner}::{name}")
        m.control.may_raise(f"{owner}::{name} may fail")
        return foreign(f"what {owner}::{name} gives is not known")
    return without_method(m, owner, name, given, named, frame)


def without_method(
    m: Machine, owner: object, name: str, given: list[object], named: dict[str, object], frame: Frame
) -> object:
    """A method that a class does not have, or that can't be seen: one for all names, of the object that calls it or of the class."""
    if isinstance(owner, ClassValue) and owner.node.kind == "enum" and name.lower() in enumerations.METHODS:
        return enumerations.ask(m, owner, name.lower(), given)
    this = frame.this if isinstance(frame.this, Thing) and classes.is_a(m, frame.this, owner) is not False else None
    for magic, on in (("__call", this), ("__callStatic", None)):
        found = classes.method(m, owner, magic) if on is not None or magic == "__callStatic" else None
        if isinstance(found, Closure):
            return m.enter(found, [name, list(given)], {}, on)
        if isinstance(found, Unknown):
            break
    _refuse(m, owner, name, ("__call", "__callStatic"), frame)
    m.hand_out([*given, *named.values()], name)
    if isinstance(found, Unknown) and not found.foreign:
        return outside.any_method(m, name, given, named, found.why)
    m.control.may_raise(f"there may be no {name}")
    return foreign(found.why if isinstance(found, Unknown) else f"there is no {name}")


def rebound(m: Machine, closure: Closure, how: str, given: list[object]) -> object | None:
    """A function with another object or class to it (PHP manual, Closure); None where that is not followed."""
    if how == "__invoke":
        return m.enter(closure, given, {}, closure.this)
    if how not in ("bindto", "call") or not given or (how == "bindto" and len(given) > 2):
        return None
    this = given[0]
    if not isinstance(this, Thing) and not (this is None and how == "bindto"):
        return None
    cls = closure.cls
    if how == "call" and isinstance(this, Thing):
        cls = this.cls
    elif len(given) == 2:
        scope = given[1].cls if isinstance(given[1], Thing) else given[1]
        if not isinstance(scope, str):
            return None
        cls = cls if scope == "static" else scope.lstrip("\\")
    if "static" in closure.function.modifiers and this is not None:
        return None
    static = this.cls if isinstance(this, Thing) else cls
    made = replace(closure, this=this, cls=cls, static=static)
    return made if how == "bindto" else m.enter(made, given[1:], {}, this)


def _refuse(m: Machine, owner: object, name: str, magic: tuple[str, ...], frame: Frame) -> None:
    """Raise the error of PHP for a method that a class certainly does not have (before any argument is worked out)."""
    if not isinstance(owner, ClassValue) or not owner.file.folds:
        return
    if owner.node.kind == "enum" and name.lower() in enumerations.METHODS:
        return
    if all(classes.method(m, owner, each, frame) is None for each in (name, *magic)):
        m.note_unsupplied("method", f"{owner.name}::{name}")
        raising.raise_error(m, "Error")


def method(m: Machine, on: object, node: Invoke, frame: Frame) -> object:
    """What a call of a method gives; ``on`` is the object or class."""
    if on is ABSENT:
        on = None
    if node.safe and on is None:
        return None
    if node.safe and isinstance(on, Unknown):
        return m.control.either("whether there is an object", lambda: None, lambda: _method_on(m, on, node, frame))
    return _method_on(m, on, node, frame)


def _above(m: Machine, on: Above, node: Invoke, frame: Frame) -> object:
    """``super().m()``"""
    found = python_objects.above(m, on, node.name)
    if isinstance(found, Closure):
        return call_closure(m, found, found.this, node, frame)
    given, named = m.arguments_of(node, frame)
    if found is python_objects.NOTHING.get(node.name):
        return None
    if node.name == "__init__" and isinstance(on.on, Thing) and errors.root_of(m, on.on.cls):
        errors.begin(m, on.on, given, named, False)
        return None
    return call(m, found, given, named)


def _method_on(m: Machine, on: object, node: Invoke, frame: Frame) -> object:
    if isinstance(on, Above):
        return _above(m, on, node, frame)
    if isinstance(on, Thing):
        held = on.values.get(node.name) if not frame.file.semantics.COPIES else None
        if held is None and "__getattribute__" in m.special and not frame.file.semantics.COPIES:
            held = objects.attribute(m, on, node.name, frame)
        if held is not None:
            return called_value(m, m.value_or_raise(Failure("AttributeError")) if held is ABSENT else held, node, frame)
        found = classes.method(m, on.cls, node.name, frame)
        if isinstance(found, Closure):
            return call_closure(m, found, on, node, frame)
        kept = held_items(on)
        if isinstance(kept, Box) and f"{kept.kind}.{node.name}" in frame.file.semantics.METHODS:
            given, named = m.arguments_of(node, frame)
            return method_called(m, kept, node.name, given, named)
        if not frame.file.semantics.COPIES:
            value = objects.attribute(m, on, node.name, frame)
            return called_value(
                m, m.value_or_raise(Failure("AttributeError")) if value is ABSENT else value, node, frame
            )
        _refuse(m, classes.find(m, on.cls), node.name, ("__call",), frame)
    if isinstance(on, ClassValue):
        value = objects.static(m, on, node.name, frame)
        return called_value(m, m.value_or_raise(Failure("AttributeError")) if value is ABSENT else value, node, frame)
    given, named = m.arguments_of(node, frame)
    return method_called(m, on, node.name, given, named)


def method_called(m: Machine, on: object, name: str, given: list[object], named: dict[str, object]) -> object:
    """A method of what is no class of the lineage, or of what can't be known."""
    frame = m.frames[-1]
    if isinstance(on, str) and frame.file.semantics.COPIES and classes.find(m, on) is not None:
        return without_method(m, classes.find(m, on), name, given, named, frame)
    if isinstance(on, Thing):
        found = classes.method(m, on.cls, name, frame)
        if isinstance(found, Closure):
            return m.enter(found, given, named, on)
        if name.lower() in errors.FIELDS and frame.file.semantics.COPIES and errors.root_of(m, on.cls):
            return on.values.get(errors.FIELDS[name.lower()], Unknown("what an error was given"))
        magic = classes.method(m, on.cls, "__call", frame)
        if isinstance(magic, Closure):
            return m.enter(magic, [name, list(given)], {}, on)
        _refuse(m, classes.find(m, on.cls), name, ("__call",), frame)
        m.hand_out([on, *given, *named.values()], name)
        if isinstance(found, Unknown):
            return outside.any_method(m, name, given, named, found.why)
        m.note_unsupplied("method", f"{on.cls}::{name}")
        m.control.may_raise(f"{on.cls} has no {name}")
        return Unknown(f"{on.cls} has no {name}")
    if isinstance(on, Stream):
        return streams.ask(m, on, name, given)
    kind = on.kind if isinstance(on, Box) else "str" if isinstance(on, str) else ""
    native = frame.file.semantics.METHODS.get(f"{kind}.{name}")
    if native is not None and not any(isinstance(value, AnyNumber) for value in given):
        return native_call(m, native, [on, *given], named, frame)
    if isinstance(on, Box):
        m.hand_out([on, *given, *named.values()], name)
        return Unknown(f"what {name} gives is not known")
    if isinstance(on, Closure) and not frame.file.semantics.COPIES and name in on.attributes:
        return call(m, on.attributes[name], given, named)
    if isinstance(on, Closure):
        bound = rebound(m, on, name.lower(), given) if frame.file.semantics.COPIES and not named else None
        if bound is not None:
            return bound
        m.hand_out([on, *given, *named.values()], name)
        return Unknown(f"what {name} makes of a function")
    m.hand_out([*given, *named.values()], name)
    if isinstance(on, Unknown):
        why = f"{m.place}: an object that can't be known"
        for full in m.rules.calls:
            if "." in full and (not name or full.rpartition(".")[2] == name):
                m.control.perhaps(why, partial(call, m, PlatformCall(full), list(given), dict(named)))
        outside.any_method(m, name, given, named, why)
        outside.changed_by_method(m, on, name)
        m.control.may_raise(f"{name} of what can't be known")
        return Unknown(f"what {name or 'a computed function'} gives is not known", (), on.foreign)
    if isinstance(on, int | float | list | dict | str | None) and frame.file.semantics.COPIES and name:
        m.value_or_raise(Failure("Error"))
    if on is None and not name.startswith("__"):
        m.value_or_raise(Failure("AttributeError"))
    m.control.may_raise(f"{name} of what has none")
    return Unknown(f"what {name} gives is not known")
