"""What each call that a platform file names does to the state of a run."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from protypon.core.analysis.machine import Effect, Frame, Machine
from protypon.core.analysis.state import (
    Callback,
    Declared,
    Detachment,
    Firing,
    Mark,
    Ran,
    Registered,
    label_of,
    ordered,
    same_target,
)
from protypon.core.analysis.values import Closure, Unknown, as_text, known
from protypon.core.platform.meanings import Meaning

Roles = dict[str, Any]


def _attach(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    point, target = roles.get("point"), roles.get("callback", Unknown())
    if not isinstance(point, str):
        m.note_blind("attaches at a point whose name is made at run time")
        return None
    takes = roles.get("takes")
    m.state.callbacks.append(
        Callback(
            point, target, label_of(target), roles.get("order"), takes if isinstance(takes, int) else None,
            m.site(), m.moment, len(m.state.callbacks), m.doubt,
        )
    )  # fmt: skip
    return None


def _detach(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    point, target, order = roles.get("point"), roles.get("callback", Unknown()), roles.get("order")
    if not isinstance(point, str):
        m.note_blind("detaches at a point whose name is made at run time")
        return None
    ordered_by_number = any(a.role == "order" for a in meaning.arguments)
    matched, doubt = [], m.doubt
    for callback in m.state.callbacks:
        if callback.point != point or callback.gone is not None:
            continue
        same = same_target(callback.target, target, frame.file.folds)
        if ordered_by_number and same is not False and callback.order != order:
            same = None if isinstance(order, Unknown) or isinstance(callback.order, Unknown) else False
        if same is None:
            doubt = doubt or "which callback is meant can't be known"
        if same is not False:
            matched.append(callback)
    return _take_off(m, Detachment(
        point, label_of(target), order if ordered_by_number else None, m.site(), m.moment, len(m.state.callbacks), tuple(matched), doubt
    ))  # fmt: skip


def _clear(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    point = roles.get("point")
    if not isinstance(point, str):
        m.note_blind("clears a point whose name is made at run time")
        return None
    standing = tuple(c for c in m.state.callbacks if c.point == point and c.gone is None)
    return _take_off(
        m, Detachment(point, "", None, m.site(), m.moment, len(m.state.callbacks), standing, m.doubt, True)
    )


def _take_off(m: Machine, detachment: Detachment) -> None:
    m.state.detachments.append(detachment)
    for callback in detachment.matched:
        if detachment.doubt:
            callback.doubt = callback.doubt or detachment.doubt
        else:
            callback.gone = detachment


def _attached(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    point, target = roles.get("point"), roles.get("callback", Unknown())
    if not isinstance(point, str) or m.state.blind_about("points"):
        return Unknown("a point whose name is made at run time")
    found: bool | Unknown = False
    for callback in m.state.callbacks:
        if callback.point == point and callback.gone is None:
            same = same_target(callback.target, target, frame.file.folds)
            if same and not callback.doubt:
                return True
            if same is not False:
                found = Unknown("it depends on a condition that can't be known")
    return found


def fire(m: Machine, point: str, given: list[Any], passes: bool, frame: Frame) -> Any:
    """Fire a point: its callbacks, as they are now, one after the other."""
    state = m.state
    why = state.uncertain(point) if not m.doubts else m.doubt
    start = given[0] if passes and given else None
    firing = Firing(point, m.site(), passes, len(given), [], m.doubt, start, start)
    state.firings.append(firing)
    before, m.moment = m.moment, point
    value = start
    printed: list[str | Unknown] = []
    for callback in ordered(
        (c for c in state.callbacks if c.point == point and c.gone is None), m.rules.numbers == "descending"
    ):
        ran = _run(m, callback, [value, *given[1:]] if passes else given, frame)
        firing.ran.append(ran)
        if passes and ran.decl is not None:
            value = Unknown(callback.doubt) if callback.doubt else ran.result
        elif passes and not _is_gone(m, callback):
            value = Unknown(f"what {callback.label} makes of it is not known")
        ran.value = value
        printed += ran.output
    m.moment = before
    firing.final = Unknown(why) if why and passes and firing.ran else value
    if state.blind_about("points"):
        firing.final = Unknown(state.uncertain(point))
    if passes:
        m.out += printed if m.rules.output == "print" else []
        return firing.final
    if m.rules.output == "return":
        if state.blind_about("points") or any(isinstance(text, Unknown) for text in printed):
            m.out += printed
            return ""
        return "".join(str(text) for text in printed)
    m.out += printed
    return None


def _is_gone(m: Machine, callback: Callback) -> bool:
    """A name that stands for no function: the platform passes over it."""
    return (
        isinstance(callback.target, str)
        and m.closure_of(callback.target)[0] is None
        and not _elsewhere(m, callback.target)
    )


def _elsewhere(m: Machine, name: str) -> bool:
    """A function that the language or the platform may have."""
    return m.is_own(name) or name in m.rules.functions


def _run(m: Machine, callback: Callback, given: list[Any], frame: Frame) -> Ran:
    closure, _ = m.closure_of(callback.target)
    outer, m.out = m.out, []
    open_before = len(m.buffers)
    ran = Ran(callback, closure, m.out, doubt=callback.doubt or m.doubt)
    takes = callback.takes if callback.takes is not None else len(given)
    try:
        if closure is None:
            if not isinstance(callback.target, str) or _elsewhere(m, callback.target):
                m.out.append(Unknown(f"what {callback.label} does is not known"))
        elif callback.doubt and not m.doubts:
            with m.doubting(callback.doubt):
                ran.result = m.call(callback.target, given[:takes])
        else:
            ran.result = m.call(callback.target, given[:takes])
        if m.rules.output == "return" and ran.result is not None:
            text = as_text(ran.result, frame.file.hoists)
            m.out.append(Unknown(ran.doubt) if ran.doubt else text)
    finally:
        m.out = outer
        del m.buffers[open_before:]
    return ran


def _fire(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    point = roles.get("point")
    given = [roles["value"], *rest] if "value" in roles else rest
    if not isinstance(point, str):
        return Unknown("a point whose name is made at run time")
    return fire(m, point, given, meaning.passes, frame)


def _declare(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    target = roles.get("callback")
    if isinstance(target, Closure) and isinstance(roles.get("name"), str):
        m.declare(roles["name"], target, meaning.replaceable)
    return target


def _exists(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    name = roles.get("name")
    if not isinstance(name, str):
        return Unknown("whether a function exists whose name is made at run time")
    found = m.state.functions.get(name.lower() if frame.file.folds else name)
    if found is not None:
        return Unknown(found.doubt) if found.doubt else True
    if m.is_own(name):
        return Unknown(f"whether {name} comes with the language")
    return name in m.rules.functions


def summoned(m: Machine, name: str, slugs: list[str]) -> Declared | None:
    """The function that a platform finds by a name pattern: the nearest theme's."""
    for slug in slugs:
        full = m.rules.function_name(name, slug)
        found = m.state.functions.get(full) or m.state.functions.get(full.lower())
        if found is not None:
            return found
    return None


def _summon(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    name = roles.get("name")
    if not isinstance(name, str):
        return Unknown("a function whose name is made at run time")
    found = summoned(m, name, m.lookups["slugs"]())
    if found is None:
        return Unknown(f"{name} is not here") if name in m.rules.functions else None
    if found.doubt:
        with m.doubting(found.doubt):
            m.call(found.closure, rest)
        return Unknown(found.doubt)
    return m.call(found.closure, rest)


def _item(m: Machine, roles: Roles, verb: str) -> tuple[str, str] | None:
    """Kind and name of an item; None where they can't be known."""
    kind, name = roles.get("kind"), roles.get("name")
    if isinstance(kind, str) and isinstance(name, str):
        return kind, name
    m.note_blind(f"{verb} an item whose name is made at run time", about="items")
    return None


def _register(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    key = _item(m, roles, "registers")
    if key is None:
        return None
    old = m.state.items.get(key)
    if old is not None:
        m.state.removed.setdefault(key, []).append((old, m.site(), "replaced"))
    value = Unknown(m.doubt) if m.doubt and old else roles.get("value")
    m.state.items[key] = Registered(value, m.site(), "" if old and not old.doubt else m.doubt)
    return None


def _unregister(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    key = _item(m, roles, "unregisters")
    if key is None:
        return None
    old = m.state.items.get(key)
    m.state.removed.setdefault(key, []).append((old, m.site(), "taken away"))
    if old is not None and m.doubt:
        m.state.items[key] = old._replace(doubt=m.doubt)
    elif old is not None:
        del m.state.items[key]
    return None


def _default(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    name = roles.get("name")
    if not isinstance(name, str):
        m.note_blind("sets a value whose name is made at run time", about="values")
        return None
    new = Registered(roles.get("value"), m.site(), m.doubt)
    old = m.state.values.get(name)
    if old is None:
        m.state.values[name] = new
    elif old.doubt:
        m.state.values[name] = Registered(Unknown(old.doubt), old.site, old.doubt if m.doubt else "")
    else:
        m.state.passed_over.setdefault(name, []).append(new)
    return None


def _value(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    name = roles.get("name")
    if not isinstance(name, str) or m.state.blind_about("values"):
        return Unknown("a value whose name is made at run time")
    found = m.state.values.get(name)
    if found is not None:
        return Unknown(found.doubt) if found.doubt else found.value
    if name in m.rules.values:
        return m.rules.values[name]
    return roles.get("fallback")


def _page(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
    m.page_asked = True
    return m.page_kind


def _listed(kind: str) -> Effect:
    """An effect that only notes a name."""

    def effect(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
        name = roles.get("name", roles.get("file"))
        marks: list[Mark] = getattr(m.state, kind)
        marks.append(Mark(name if known(name) else Unknown(), m.site(), m.doubt, roles.get("value")))
        return Unknown("what a region shows") if kind == "printed" else None

    return effect


def _looked_up(kind: str) -> Effect:
    def effect(m: Machine, meaning: Meaning, roles: Roles, rest: list[Any], frame: Frame) -> Any:
        return m.lookups[kind](roles.get("file"), meaning, frame)

    return effect


EFFECTS: dict[str, Callable[..., Any]] = {
    "attach": _attach,
    "detach": _detach,
    "clear": _clear,
    "fire": _fire,
    "attached": _attached,
    "declare": _declare,
    "exists": _exists,
    "summon": _summon,
    "register": _register,
    "unregister": _unregister,
    "default": _default,
    "value": _value,
    "region": _listed("regions"),
    "print-region": _listed("printed"),
    "provide": _listed("provided"),
    "sheet": _listed("sheets"),
    "pull": _looked_up("pull"),
    "part": _looked_up("part"),
    "folder": lambda m, meaning, roles, rest, frame: m.lookups["folder"](meaning, frame),
    "page": _page,
}
"""Does -> what it does."""
