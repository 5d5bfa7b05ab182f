"""Which attributes of objects of PHP code can see and set, and of which classes it can make objects (PHP manual, Visibility)."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.analysis.classes import ancestry, find, is_visible, method, own_member, user_of
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import ClassValue, Closure, Thing
from protypon.core.languages.code import Function, Member
from protypon.core.languages.values import Failure


def refuse_new(m: Machine, cls: object, frame: Frame) -> None:
    """Raise the error of PHP for a class of which no object can be made (PHP manual, Class Abstraction, Visibility), before any argument is
    worked out."""
    if not isinstance(cls, ClassValue) or not cls.file.folds:
        return
    maker = method(m, cls, "__construct")
    hidden = isinstance(maker, Closure) and not is_visible(m, maker, frame)
    if hidden or cls.node.kind in ("interface", "trait", "enum") or "abstract" in cls.node.modifiers:
        m.value_or_raise(Failure("Error"))


def is_hidden(m: Machine, cls: ClassValue, name: str, frame: Frame) -> bool:
    """Whether an attribute is private or protected where it is asked for."""
    found = meant_attribute(m, cls, name, frame)
    if found is None or not ("private" in found.words or "protected" in found.words):
        return False
    own = find(m, frame.cls) if frame.cls else None
    if own is None or "private" in found.words:
        return own is not found.owner
    return not (own in ancestry(m, cls).classes or cls in ancestry(m, own).classes)


class AttributeOf(NamedTuple):
    """A class that declares an attribute, and its modifiers there."""

    owner: ClassValue
    words: tuple[str, ...]


def meant_attribute(m: Machine, cls: ClassValue, name: str, frame: Frame) -> AttributeOf | None:
    """The attribute that a name means for code of a frame: a private one of its own class goes first, one of a class above is none."""
    own = find(m, frame.cls) if frame.cls else None
    line = ancestry(m, cls).classes
    if own is not None and own is not cls and own in line:
        words = _words(m, own, name)
        if words is not None and "private" in words:
            return AttributeOf(own, words)
    for each in line:
        if each.node.kind == "trait":
            continue
        words = _words(m, each, name)
        if words is not None and (each is cls or "private" not in words):
            return AttributeOf(each, words)
    return None


def _words(m: Machine, cls: ClassValue, name: str) -> tuple[str, ...] | None:
    """The modifiers of an attribute that a class declares, itself or by a trait; None where it does not."""
    for each in (cls, *(t for t in ancestry(m, cls).classes if t.node.kind == "trait" and user_of(m, cls, t) is cls)):
        member = own_member(each, name, ("property", "static"))
        if isinstance(member, Member):
            return member.modifiers
        promoted = _promoted_names(each, name)
        if promoted is not None:
            return promoted
    return None


def _promoted_names(cls: ClassValue, name: str) -> tuple[str, ...] | None:
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


def refuse_to_set(m: Machine, cls: ClassValue, key: str, there: bool, frame: Frame) -> None:
    """Raise the error for an attribute that can't be seen, or that is set once only (PHP manual, Properties, Readonly properties)."""
    found = meant_attribute(m, cls, key, frame)
    only_once = found is not None and ("readonly" in found.words or "readonly" in found.owner.node.modifiers)
    if is_hidden(m, cls, key, frame) or (only_once and (there or found is None or frame.cls != found.owner.name)):
        m.value_or_raise(Failure("Error"))
