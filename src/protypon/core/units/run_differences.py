"""Whether a draft has the effect that was asked for, and no other: what runs before and after, compared."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback, State, in_running_order
from protypon.core.analysis.values import Closure
from protypon.core.units.parent_functions import Origin

Row = tuple[str, Any]


def stops(behaviour: Behaviour) -> str:
    """Why the site would not load."""
    return behaviour.uncertain


Names = Mapping[tuple[str, str, int], "tuple[str, Origin]"]
"""Where a function begins -> what it is to be called, and the function."""


def rows(behaviour: Behaviour, names: Names, leave: set[str]) -> list[dict[str, list[Row]]]:
    """State by state, at each point what runs in which order; functions in ``names`` go by the name given there.

    What the child itself attaches at the platform's moments (``leave``) to carry out detachments is left out.
    """
    child = behaviour.lineage.child.slug
    found = []
    for state in behaviour.states:
        table: dict[str, list[Row]] = {}
        standing = in_running_order(
            (c for c in state.callbacks if c.gone is None), behaviour.platform.code.numbers == "descending"
        )
        for callback in standing:
            closure = closure_of(state, callback)
            unnamed = isinstance(callback.target, Closure) and callback.target.name in ("", "<lambda>", "lambda")
            mine = unnamed and callback.site.theme == child and not (closure and _inside(closure, names))
            if mine and callback.point in leave:
                continue
            table.setdefault(callback.point, []).append((_name(callback, closure, names), callback.order))
        found.append(table)
    return found


def _name(callback: Callback, closure: Closure | None, names: Names) -> str:
    if closure is None:
        return callback.label
    function, key = closure.function, (closure.file.theme, closure.file.path, closure.function.start)
    if key in names:
        return names[key][0]
    around = _inside(closure, names)
    if around is not None:
        return f"{function.name or 'a function'} in {around[0]}, line {function.line - around[1].function.line}"
    unnamed = function.name in ("", "<lambda>")
    return f"{'a function' if unnamed else function.name} of {key[0]}/{key[1]} {function.line if unnamed else ''}"


def _inside(closure: Closure, names: Names) -> tuple[str, Origin] | None:
    """The named function that a function is written in."""
    file, start = (closure.file.theme, closure.file.path), closure.function.start
    for name, outer in names.values():
        if file == outer.key[:2] and outer.function.start < start < outer.function.end:
            return name, outer
    return None


def difference(before: list[dict[str, list[Row]]], after: list[dict[str, list[Row]]]) -> str:
    """The first callback that comes, goes or has another number, order among equals apart; empty where all is the same."""
    for old, new in zip(before, after, strict=False):
        for point in sorted({*old, *new}):
            was, now = Counter(map(str, old.get(point, []))), Counter(map(str, new.get(point, [])))
            for rows_, found in (("goes", was - now), ("comes", now - was)):
                for row in found:
                    name, _, order = row.strip("()").rpartition(", ")
                    return f"{name.strip(chr(39)).split(' of ')[0]} at {point} ({order}) {rows_}"
    return ""


def runs(behaviour: Behaviour, origin: Origin) -> bool:
    """Whether a function runs, or may, when code loads, at a moment or on a page."""
    return any(origin.key in state.entered for state in behaviour.states)


def attached_anywhere(behaviour: Behaviour, origin: Origin) -> bool:
    """Whether a function of the parents stands at any point."""
    return any(
        c.gone is None and origin.is_it(closure_of(state, c)) for state in behaviour.states for c in state.callbacks
    )


def in_force(state: State, origin: Origin, folds: bool) -> bool:
    """Whether a function is the one that its name stands for."""
    declared = state.functions.get(origin.name.lower() if folds else origin.name)
    return declared is not None and origin.is_it(declared.closure) and not declared.doubt


def registered_otherwise(was: Behaviour, now: Behaviour) -> str:
    """The first item or value that comes, goes or has another value; empty where all are the same."""
    for old, new in zip(was.states, now.states, strict=False):
        for what, before, after in (("the item", old.items, new.items), ("the value", old.values, new.values)):
            for key in [*before, *(k for k in after if k not in before)]:
                one, other = before.get(key), after.get(key)
                if (
                    one is None
                    or other is None
                    or (repr(one.value), bool(one.doubt)) != (repr(other.value), bool(other.doubt))
                ):
                    return f"{what} {'#'.join(key) if isinstance(key, tuple) else key}"
    return ""
