"""What expressions come to, as far as it is known."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from protypon.core.analysis.calls import invoke
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import Bound, Closure, Env, Thing, Unknown, bounded, combine, identical, truth


def _var(m: Machine, node: Any, frame: Frame) -> Any:
    name = node.name
    try:
        return frame.env.get(name)
    except KeyError:
        pass
    if name == "__DIR__":
        return frame.file.root
    if name == "__FILE__":
        return f"\0{frame.file.theme}/{frame.file.path}"
    if name in m.state.constants:
        return m.state.constants[name]
    return Unknown(f"{name} is not known")


def _op(m: Machine, node: Any, frame: Frame) -> Any:
    php = frame.file.hoists
    if node.op in ("and", "or"):
        return _logic(m, node, frame, php)
    if node.op == "?:":
        test = truth(m.value(node.parts[0], frame), php)
        if not isinstance(test, Unknown):
            return m.value(node.parts[1 if test else 2], frame)
        with m.doubting("a condition that can't be known"):
            one, other = m.value(node.parts[1], frame), m.value(node.parts[2], frame)
        return one if identical(one, other) is True else test
    if node.op == "maybe":
        with m.doubting("it stands in an expression that can't be followed"):
            values = [m.value(part, frame) for part in node.parts]
        return values[0]
    if node.op == "??":
        values = [m.value(part, frame) for part in node.parts]
        return Unknown() if isinstance(values[0], Unknown) else (values[1] if values[0] is None else values[0])
    if node.op == "attr":
        return _attribute(m.value(node.parts[0], frame), node.parts[1].value, php)
    if node.op == "set":
        on, value = m.value(node.parts[0], frame), m.value(node.parts[2], frame)
        if isinstance(on, Thing):
            on.values[node.parts[1].value] = Unknown(m.doubt) if m.doubts else value
        return value
    return combine(node.op, [m.value(part, frame) for part in node.parts], php)


def _attribute(on: Any, name: str, php: bool) -> Any:
    if not isinstance(on, Thing):
        return Unknown()
    if name in on.values:
        return on.values[name]
    return Unknown() if php else Bound(on, name)


def _logic(m: Machine, node: Any, frame: Frame, php: bool) -> Any:
    """``and`` and ``or`` look at the next value only where the first does not decide."""
    decides = node.op == "or"
    value: Any = None
    unknown: Unknown | None = None
    for part in node.parts:
        if unknown is not None:
            with m.doubting("a condition that can't be known"):
                value = m.value(part, frame)
        else:
            value = m.value(part, frame)
        test = truth(value, php)
        if isinstance(test, Unknown):
            unknown = unknown or test
        elif test == decides:
            return decides if php or unknown else value
    return unknown if unknown is not None else (not decides if php else value)


def _items(m: Machine, node: Any, frame: Frame) -> Any:
    if all(key is None for key, _ in node.pairs):
        return bounded([m.value(value, frame) for _, value in node.pairs])
    table: dict[Any, Any] = {}
    number = 0
    for key, value in node.pairs:
        found = number if key is None else m.value(key, frame)
        if not isinstance(found, str | int):
            return Unknown("a key made at run time")
        number = found + 1 if isinstance(found, int) and found >= number else number
        table[found] = m.value(value, frame)
    return bounded(table)


def _fn(m: Machine, node: Any, frame: Frame) -> Any:
    function = frame.file.code.functions[node.number]
    env = frame.env
    if frame.file.hoists and function.captured != ("*",):
        env = Env({name: _seen(m, name, frame) for name in function.captured})
    elif frame.file.hoists:
        env = Env(dict(frame.env.values))
    return Closure(function, frame.file, env, frame.this)


def _seen(m: Machine, name: str, frame: Frame) -> Any:
    try:
        return frame.env.get(name)
    except KeyError:
        return Unknown(f"{name} is not known")


def _opaque(m: Machine, node: Any, frame: Frame) -> Any:
    for part in node.parts:
        m.value(part, frame)
    return Unknown(f"{node.text.strip()[:40]!r} can't be followed" if node.text else "made at run time")


EXPRESSIONS: dict[str, Callable[[Machine, Any, Frame], Any]] = {
    "lit": lambda m, node, f: node.value,
    "var": _var,
    "op": _op,
    "items": _items,
    "call": invoke,
    "fn": _fn,
    "?": _opaque,
}
