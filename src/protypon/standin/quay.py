"""What quayside hands to a theme's code as the module ``quay``: points, functions for templates, items, values."""

from __future__ import annotations

import inspect
import sys
from collections.abc import Callable
from pathlib import Path
from types import ModuleType
from typing import Any

from markupsafe import Markup

Callback = Callable[..., Any]


class Stopped(Exception):
    """The theme's code stops the site."""


class Quay:
    """The state of one site, and the calls that code makes. Lower numbers run first; ties in the order of attaching."""

    def __init__(self) -> None:
        self.points: dict[str, list[tuple[int, int, Any]]] = {}
        self.functions: dict[str, tuple[Callback, bool]] = {}
        self.items: dict[str, dict[str, Any]] = {"picture-size": {"thumb": None, "full": None}}
        self.values: dict[str, Any] = {}
        self.own_values: dict[str, Any] = {"page_width": 960}
        self.given: dict[str, Any] = {}
        self.kind = ""
        self.serial = 0
        self.rung: list[tuple[str, list[str]]] = []
        """Every firing: the point, and the names of the callbacks in the order in which they ran."""

    def on(self, point: str, callback: Any = None, order: int = 50) -> Any:
        """Attach a callback, or a function's name; without one, as a decorator."""
        if callback is None:
            return lambda function: self._attach(point, function, order)
        return self._attach(point, callback, order)

    def _attach(self, point: str, callback: Any, order: int) -> Any:
        self.serial += 1
        self.points.setdefault(point, []).append((order, self.serial, callback))
        return callback

    def off(self, point: str, callback: Any, order: int = 50) -> bool:
        """Detach a callback: the point, the callback and the number must all be those it was attached with."""
        before = self.points.get(point, [])
        kept = [entry for entry in before if not (entry[0] == order and _same(entry[2], callback))]
        self.points[point] = kept
        return len(kept) < len(before)

    def clear(self, point: str) -> None:
        self.points[point] = []

    def attached(self, point: str, callback: Any) -> bool:
        return any(_same(entry[2], callback) for entry in self.points.get(point, []))

    def in_order(self, point: str) -> list[tuple[int, int, Any]]:
        return sorted(self.points.get(point, []), key=lambda entry: entry[:2])

    def ring(self, point: str, *given: Any) -> Markup:
        """Fire a point: what its callbacks give back, one after the other."""
        names: list[str] = []
        self.rung.append((point, names))
        texts = []
        for _, _, callback in self.in_order(point):
            names.append(_name(callback))
            function = self._function(callback)
            result = _given_what_it_takes(function, given) if function is not None else None
            if result is not None:
                texts.append(str(result))
        return Markup("".join(texts))

    def pass_on(self, point: str, value: Any, *given: Any) -> Any:
        """Fire a point that passes a value through its callbacks."""
        names: list[str] = []
        self.rung.append((point, names))
        for _, _, callback in self.in_order(point):
            names.append(_name(callback))
            function = self._function(callback)
            if function is not None:
                value = _given_what_it_takes(function, (value, *given))
        return value

    def _function(self, callback: Any) -> Callback | None:
        """A callback given by name is whatever templates call so."""
        if not isinstance(callback, str):
            return callback  # type: ignore[no-any-return]
        return self.functions[callback][0] if callback in self.functions else None

    def offer(self, function: Callback) -> Callback:
        """A function for templates, which a nearer theme may offer anew."""
        return self._declare(function, True)

    def fix(self, function: Callback) -> Callback:
        """A function for templates that is meant to stay as it is: a second one stops the site."""
        return self._declare(function, False)

    def _declare(self, function: Callback, replaceable: bool) -> Callback:
        name = function.__name__
        if name in self.functions and not self.functions[name][1]:
            raise Stopped(f"{name} is declared a second time")
        self.functions[name] = (function, replaceable)
        return function

    def call(self, name: str, *given: Any) -> Any:
        return self.functions[name][0](*given) if name in self.functions else None

    def stock(self, kind: str, name: str, value: Any = None) -> None:
        self.items.setdefault(kind, {})[name] = value

    def unstock(self, kind: str, name: str) -> None:
        self.items.get(kind, {}).pop(name, None)

    def default(self, name: str, value: Any) -> None:
        """Set a value unless it is set."""
        self.values.setdefault(name, value)

    def value(self, name: str, fallback: Any = None) -> Any:
        return self.values[name] if name in self.values else self.own_values.get(name, fallback)

    def give(self, name: str, value: Any = None) -> None:
        """A variable for every template."""
        self.given[name] = value

    def page_kind(self) -> str:
        return self.kind

    def module(self) -> ModuleType:
        """This object as a module that code can import."""
        found = ModuleType("quay")
        for name in (
            "on", "off", "clear", "attached", "ring", "pass_on", "offer", "fix", "call", "stock", "unstock", "default", "value",
            "give", "page_kind",
        ):  # fmt: skip
            setattr(found, name, getattr(self, name))
        return found

    def run(self, file: Path, label: str) -> None:
        """Run one code file in a namespace of its own."""
        sys.modules["quay"] = self.module()
        try:
            exec(compile(file.read_bytes(), label, "exec", dont_inherit=True), {"__name__": "theme", "__file__": label})
        finally:
            del sys.modules["quay"]


def _name(callback: Any) -> str:
    return (
        callback if isinstance(callback, str) else str(getattr(callback, "__qualname__", callback)).replace(".", "::")
    )


def _same(one: Any, other: Any) -> bool:
    """Functions are the same if they are one; a name stands for whatever is called so."""
    if isinstance(one, str) or isinstance(other, str):
        if inspect.ismethod(one) or inspect.ismethod(other):
            return False
        return _bare(one) == _bare(other)
    return bool(one == other)


def _bare(callback: Any) -> str:
    return callback if isinstance(callback, str) else str(getattr(callback, "__name__", ""))


def _given_what_it_takes(function: Callback, given: tuple[Any, ...]) -> Any:
    """A callback may take fewer arguments than its point gives; one that needs more fails."""
    kinds = [p.kind for p in inspect.signature(function).parameters.values()]
    if inspect.Parameter.VAR_POSITIONAL not in kinds:
        given = given[
            : sum(k in (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD) for k in kinds)
        ]
    return function(*given)
