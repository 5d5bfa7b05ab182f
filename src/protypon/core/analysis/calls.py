"""Calls: of what the platform file gives a meaning, of the lineage's own functions and methods, and of anything from outside."""

from __future__ import annotations

from typing import Any

from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import Bound, Closure, Thing, Unknown


def invoke(m: Machine, node: Any, frame: Frame) -> Any:
    line, frame.line = frame.line, node.line
    try:
        return _called(m, node, frame)
    finally:
        frame.line = line


def _called(m: Machine, node: Any, frame: Frame) -> Any:
    meaning = m.rules.called(node.name) if node.on is None else None
    if meaning is not None:
        roles, rest = m.roles(meaning.arguments, node, frame)
        return m.effects[meaning.does](m, meaning, roles, rest, frame)
    if node.name in m.lookups and node.on is None:
        given, _ = m.given(node, frame)
        return m.lookups[node.name](*given)
    if node.on is None and node.name.startswith("self.") and "block" in m.lookups:
        return m.lookups["block"](node.name[5:], 0)
    marked = _mark_called(m, node, frame)
    if marked is not None:
        return marked
    on = m.value(node.on, frame) if node.on is not None else None
    given, named = m.given(node, frame)
    target, this = _target(m, node, on, frame)
    if target is not None:
        result = m.enter(target, given, named, this)
        _by_reference(m, target, node, frame)
        return result
    if isinstance(on, Unknown):
        _on_the_unknown(m, node.name, given, named)
    if node.name.startswith("new ") or (node.on is None and node.name in m.state.classes):
        return _new(m, node.name.removeprefix("new "), given, named)
    return _outside(m, node.name, given, named, frame)


def _on_the_unknown(m: Machine, name: str, given: list[Any], named: dict[str, Any]) -> None:
    """A method of an object that is not known: every class of the lineage that has one of that name may be meant."""
    for cls, (file, _) in list(m.state.classes.items()):
        for function in file.code.functions:
            if function.name.lower() == f"{cls}::{name}".lower():
                known_as = function.name.partition("::")[0]
                with m.doubting(f"an object that can't be known may be a {known_as}"):
                    m.enter(Closure(function, file), given, named, m.thing(known_as))


def _mark_called(m: Machine, node: Any, frame: Frame) -> Any:
    """``on("p")(f)``: a mark written as a call of its result."""
    inner = node.on
    if (
        node.name
        or inner is None
        or inner.tag != "call"
        or inner.name not in m.rules.marked
        or len(node.arguments) != 1
    ):
        return None
    target = m.value(node.arguments[0], frame)
    if isinstance(target, Closure):
        m._mark(inner, target, frame)
    return target


def _target(m: Machine, node: Any, on: Any, frame: Frame) -> tuple[Closure | None, Any]:
    if node.on is not None and not node.name:
        return m.closure_of(on)
    if node.on is not None:
        return m.closure_of(Bound(on, node.name)) if isinstance(on, Thing) else (None, None)
    owner, colons, name = node.name.partition("::")
    if colons:
        return m.method(_class(m, owner, frame), name), frame.this if owner in (
            "parent",
            "self",
            "static",
        ) else None
    try:
        return m.closure_of(frame.env.get(node.name))
    except KeyError:
        if m.rules.declares != "all":
            return None, None
        near = m.closure_of(node.name)
        return near if near[0] is not None else m.closure_of(node.name.rpartition("\\")[2])


def _class(m: Machine, owner: str, frame: Frame) -> str:
    if owner not in ("self", "static", "parent") or frame.function is None:
        return owner
    own = frame.function.name.partition("::")[0]
    found = m.state.classes.get(own) or m.state.classes.get(own.lower())
    return found[1] if owner == "parent" and found else own


def _new(m: Machine, cls: str, given: list[Any], named: dict[str, Any]) -> Any:
    if cls not in m.state.classes and cls.lower() not in m.state.classes:
        return Unknown(f"{cls} is a class from elsewhere")
    thing = m.thing(cls)
    for name in ("__construct", "__init__"):
        constructor = m.method(cls, name)
        if constructor is not None:
            m.enter(constructor, given, named, thing)
    return thing


def _by_reference(m: Machine, target: Closure, node: Any, frame: Frame) -> None:
    for param, argument in zip(target.function.params, node.arguments, strict=False):
        if param.way == "&" and argument.tag == "var":
            m.assign(argument.name, Unknown("changed by reference"), frame)


_BUFFERS = ("ob_start", "ob_get_clean", "ob_end_clean", "ob_get_flush", "ob_end_flush")


def _buffered(m: Machine, name: str) -> Any:
    """What is printed meanwhile is kept back (PHP manual, Output Control)."""
    if name == "ob_start":
        m.buffers.append(m.out)
        m.out = []
        return True
    if not m.buffers:
        return False
    kept, m.out = m.out, m.buffers.pop()
    if name.endswith("flush"):
        m.out += kept
    if name.startswith("ob_end"):
        return True
    texts = [text for text in kept if isinstance(text, str)]
    return "".join(texts) if len(texts) == len(kept) else Unknown("what was printed is not known")


def _outside(m: Machine, full: str, given: list[Any], named: dict[str, Any], frame: Frame) -> Any:
    """A function that no theme has: what it gives is not known, and it may call what it is handed."""
    name = full.rpartition("\\")[2]
    if frame.file.hoists:
        if name in _BUFFERS:
            return _buffered(m, name)
        if name == "call_user_func" and given:
            return m.call(given[0], given[1:])
        if name == "define" and len(given) == 2 and isinstance(given[0], str):
            m.assign(given[0], given[1], frame)
        if name == "defined" and given and isinstance(given[0], str) and given[0] in m.state.constants:
            return True
        if name == "dirname" and given and isinstance(given[0], str) and given[0].startswith("\0"):
            return given[0].rpartition("/")[0]
    for value in [*given, *named.values()]:
        closure, this = (
            m.closure_of(value) if not isinstance(value, str) or value.lower() in m.state.functions else (None, None)
        )
        if closure is not None:
            with m.doubting(f"{name or 'a function'} may call it"):
                m.enter(closure, [Unknown()] * closure.function.fewest, {}, this)
    return Unknown(f"what {name or 'a computed function'} gives is not known")
