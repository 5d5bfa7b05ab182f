"""What each call that a platform file names does to the state of a run."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial

from protypon.core.analysis.asking import Asking
from protypon.core.analysis.classes import is_visible
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.machine import Effect, Frame, Machine, Roles
from protypon.core.analysis.state import (
    Anywhere,
    Callback,
    Declared,
    Detachment,
    Firing,
    Mark,
    Ran,
    Registered,
    Sheet,
    in_running_order,
    label_of,
    same_target,
)
from protypon.core.analysis.values import Closure
from protypon.core.languages.values import Markup, Unknown, foreign, path_in_theme
from protypon.core.platform.meanings import Meaning

GIVEN = foreign("what a call of the platform gives")


def _attach(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    point, target = roles.get("point"), roles.get("callback", Unknown())
    takes = roles.get("takes")
    made = Callback(
        point if isinstance(point, str) else "", target, label_of(target), roles.get("order"),
        takes if isinstance(takes, int) else None, m.site(), m.moment, len(m.state.callbacks), m.doubt,
    )  # fmt: skip
    if "callback" not in roles:
        made.doubt = made.doubt or f"{m.place} attaches what is not given yet"
    if isinstance(point, str):
        if not (made.doubt and any(_is_again(made, other) for other in m.state.callbacks)):
            m.state.callbacks.append(made)
    else:
        why = f"{m.place} attaches at a point whose name is made at run time"
        made.doubt = why
        m.state.anywhere.append(Anywhere(point if isinstance(point, Unknown) else Unknown(), made, why))
    return GIVEN


def _is_again(new: Callback, old: Callback) -> bool:
    """Whether a callback that may be attached is one that may be attached already, by the same call."""
    same = (
        same_target(new.target, old.target, True)
        if not isinstance(new.target, Unknown)
        else isinstance(old.target, Unknown)
    )
    return (new.point, new.site, new.order) == (old.point, old.site, old.order) and bool(
        old.doubt and old.gone is None and same
    )


def _may_be_at(name: object, point: str) -> bool:
    return name.may_be(point) if isinstance(name, Unknown) else True


def _detach(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    point, target, order = roles.get("point"), roles.get("callback", Unknown()), roles.get("order")
    ordered_by_number = meaning.takes("order")
    matched, doubt = [], m.doubt
    if not isinstance(point, str):
        doubt = f"{m.place} detaches at a point whose name is made at run time"
    for callback in m.state.callbacks:
        if callback.gone is not None or (
            callback.point != point and (isinstance(point, str) or not _may_be_at(point, callback.point))
        ):
            continue
        same = same_target(callback.target, target, frame.file.folds)
        if ordered_by_number and same is not False and callback.order != order:
            same = None if isinstance(order, Unknown) or isinstance(callback.order, Unknown) else False
        if same is None:
            doubt = doubt or "which callback is meant can't be known"
        if same is not False:
            matched.append(callback)
    _take_off(m, Detachment(
        point, label_of(target), order if ordered_by_number else None, m.site(), m.moment, len(m.state.callbacks), tuple(matched), doubt
    ))  # fmt: skip
    return GIVEN


def _clear(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    point = roles.get("point")
    doubt = m.doubt
    if not isinstance(point, str):
        doubt = f"{m.place} clears a point whose name is made at run time"
    standing = tuple(
        c
        for c in m.state.callbacks
        if c.gone is None and (c.point == point if isinstance(point, str) else _may_be_at(point, c.point))
    )
    _take_off(m, Detachment(point, "", None, m.site(), m.moment, len(m.state.callbacks), standing, doubt, True))
    return GIVEN


def _take_off(m: Machine, detachment: Detachment) -> None:
    m.state.detachments.append(detachment)
    for callback in detachment.matched:
        if detachment.doubt:
            callback.doubt = callback.doubt or detachment.doubt
        else:
            callback.gone = detachment


def _whether_attached(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    point, target = roles.get("point"), roles.get("callback", Unknown())
    if not isinstance(point, str) or m.state.blind_about("points"):
        return Unknown("a point whose name is made at run time")
    found: bool | Unknown = False
    if any(each.point.may_be(point) for each in m.state.anywhere):
        found = Unknown("something is attached at a point whose name is made at run time")
    for callback in m.state.callbacks:
        if callback.point == point and callback.gone is None:
            same = same_target(callback.target, target, frame.file.folds)
            if same and not callback.doubt:
                return True
            if same is not False:
                found = Unknown("it depends on a condition that can't be known")
    return found


def fire(m: Machine, point: str, given: list[object], passes: bool, frame: Frame) -> object:
    """Fire a point: its callbacks, as they are now, one after the other."""
    state = m.state
    why = state.uncertain(point) if not m.doubt else m.doubt
    start = given[0] if passes and given else None
    firing = Firing(point, m.site(), passes, len(given), [], m.doubt, start, start)
    state.firings.append(firing)
    before, m.moment = m.moment, point
    value = start
    printed: list[str | Unknown] = []
    for callback in in_running_order(
        (c for c in state.callbacks if c.point == point and c.gone is None), m.rules.numbers == "descending"
    ):
        try:
            ran = _run(m, callback, [value, *given[1:]] if passes else given, frame)
        except Leaving:
            why = f"{callback.label} does not come to its end"
            firing.ran.append(
                Ran(callback, m.closure_of(callback.target)[0], [Unknown(why)], Unknown(why), callback.doubt)
            )
            raise
        firing.ran.append(ran)
        if passes and ran.decl is not None:
            value = Unknown(callback.doubt) if callback.doubt else ran.result
        elif passes and not _is_gone(m, callback):
            value = Unknown(f"what {callback.label} makes of it is not known")
        ran.value = value
        printed += ran.output
    for each in [each for each in state.anywhere if each.point.may_be(point)]:
        handed = [value, *given[1:]] if passes else given
        m.control.perhaps(each.why, partial(_run, m, each.callback, handed, frame))
        printed.append(Unknown(each.why))
        value = Unknown(each.why) if passes else value
    m.moment = before
    if why and printed:
        printed = [Unknown(why)]
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
        return Markup("".join(str(text) for text in printed))
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


def _run(m: Machine, callback: Callback, given: list[object], frame: Frame) -> Ran:
    closure, this = m.closure_of(callback.target)
    if closure is not None and not is_visible(m, closure, None):
        closure = None
    outer, m.out = m.out, []
    open_before = len(m.buffers)
    ran = Ran(callback, closure, m.out, doubt=callback.doubt or m.doubt)
    given = given[: callback.takes] if callback.takes is not None else given
    if closure is not None:
        itself = this is not None and not closure.file.hoists
        if not closure.file.hoists and closure.function.most is not None:
            given = given[: closure.function.most - itself]  # what is handed beyond that is the platform's own business
        missing = closure.function.fewest - len(given) - itself
        given = [*given, *[Unknown("an argument that a point does not give")] * missing]
    try:
        if closure is None:
            if not isinstance(callback.target, str) or _elsewhere(m, callback.target):
                m.out.append(Unknown(f"what {callback.label} does is not known"))
        elif callback.doubt and not m.doubt:
            ran.result = m.control.either(
                callback.doubt, lambda: Unknown(callback.doubt), lambda: m.call(callback.target, given)
            )
        else:
            ran.result = m.call(callback.target, given)
        if m.rules.output == "return" and ran.result is not None:
            text = m.text(ran.result, frame)
            m.out.append(Unknown(ran.doubt) if ran.doubt else text)
    finally:
        m.out = outer
        del m.buffers[open_before:]
    return ran


def _fire(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    point = roles.get("point")
    given = [roles["value"], *rest] if "value" in roles else rest
    if isinstance(point, str):
        return fire(m, point, given, meaning.passes, frame)
    why = f"{m.place} fires a point whose name is made at run time"
    for name in dict.fromkeys(callback.point for callback in m.state.callbacks):
        if _may_be_at(point, name):
            m.control.repeat(why, partial(fire, m, name, list(given), meaning.passes, frame))
    m.hand_out(given, why)
    if m.rules.output == "print" and not meaning.passes:
        m.print(foreign(why))
    return foreign(why)


def _declare(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    target = roles.get("callback")
    name = roles.get("name")
    if isinstance(target, Closure) and isinstance(name, str):
        m.declare(name, target, meaning.replaceable)
    else:
        m.note_blind("declares a function under a name, or of a kind, that is made at run time", about="functions")
    return target


def _exists(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    return Asking(m, frame).function_exists(roles.get("name"))


def function_by_pattern(m: Machine, name: str, slugs: list[str]) -> Declared | None:
    """The function that a platform finds by a name pattern: the nearest theme's."""
    for slug in slugs:
        full = m.rules.function_name(name, slug)
        found = m.state.functions.get(full) or m.state.functions.get(full.lower())
        if found is not None:
            return found
    return None


def _summon(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    name = roles.get("name")
    if not isinstance(name, str):
        return Unknown("a function whose name is made at run time")
    found = function_by_pattern(m, name, m.slugs)
    if found is None:
        return Unknown(f"{name} is not here") if name in m.rules.functions else None
    if found.doubt:
        m.control.perhaps(found.doubt, lambda: m.call(found.closure, rest))
        return Unknown(found.doubt)
    return m.call(found.closure, rest)


def _item(m: Machine, roles: Roles, verb: str) -> tuple[str, str] | None:
    """Kind and name of an item; None where they can't be known."""
    kind, name = roles.get("kind"), roles.get("name")
    if isinstance(kind, str) and isinstance(name, str):
        return kind, name
    m.note_blind(f"{verb} an item whose name is made at run time", about="items")
    return None


def _register(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    key = _item(m, roles, "registers")
    if key is None:
        return GIVEN
    old = m.state.items.get(key)
    if old is not None:
        m.state.removed.setdefault(key, []).append((old, m.site(), "replaced"))
    value = Unknown(m.doubt) if m.doubt and old else roles.get("value")
    m.state.items[key] = Registered(value, m.site(), "" if old and not old.doubt else m.doubt)
    return GIVEN


def _unregister(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    key = _item(m, roles, "unregisters")
    if key is None:
        return GIVEN
    old = m.state.items.get(key)
    m.state.removed.setdefault(key, []).append((old, m.site(), "taken away"))
    if old is not None and m.doubt:
        m.state.items[key] = old._replace(doubt=m.doubt)
    elif old is not None:
        del m.state.items[key]
    return GIVEN


def _default(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    name = roles.get("name")
    if not isinstance(name, str):
        m.note_blind("sets a value whose name is made at run time", about="values")
        return GIVEN
    new = Registered(roles.get("value"), m.site(), m.doubt)
    old = m.state.values.get(name)
    if old is None:
        m.state.values[name] = new
    elif old.doubt:
        m.state.values[name] = Registered(Unknown(old.doubt), old.site, old.doubt if m.doubt else "")
    else:
        m.state.passed_over.setdefault(name, []).append(new)
    return GIVEN


def _value(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    name = roles.get("name")
    if not isinstance(name, str) or m.state.blind_about("values"):
        return Unknown("a value whose name is made at run time")
    found = m.state.values.get(name)
    if found is not None:
        return Unknown(found.doubt) if found.doubt else found.value
    if name in m.rules.values:
        return m.rules.values[name]
    return roles.get("fallback")


def _page(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    m.page_asked = True
    if "kind" not in roles:
        return m.page_kind
    return frame.file.semantics.operate("==", [m.page_kind, roles["kind"]])


def _name_effect(kind: str) -> Effect:
    """An effect that only notes a name."""

    def effect(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
        name = roles.get("name", roles.get("file"))
        marks: list[Mark] = getattr(m.state, kind)
        marks.append(Mark(name if isinstance(name, str) else Unknown(), m.site(), m.doubt, roles.get("value")))
        if kind == "printed" and m.rules.output == "print":
            m.print(foreign("what a region shows"))
        return foreign("what a region shows") if kind == "printed" else GIVEN

    return effect


def _sheet(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    """Register a sheet or script, or ask for one that is registered."""
    m.state.asked.add(m.site())
    kind = "script" if meaning.does == "script" else "style"
    file, handle = roles.get("file"), roles.get("handle", roles.get("file"))
    place = path_in_theme(file)
    if not isinstance(handle, str):
        handle = (place.path if place is not None and "handle" not in roles else None) or Unknown("made at run time")
    key = (kind, handle if isinstance(handle, str) else m.site())
    old = m.state.sheets.get(key)
    if file in (None, "", False):
        if old is not None:
            m.state.sheets[key] = old._replace(loads=True, doubt=old.doubt or ("" if old.loads else m.doubt))
        elif isinstance(handle, str):
            m.state.sheets[key] = Sheet(kind, handle, "", "", (), "", "", True, m.site(), m.doubt)
        return GIVEN
    if old is not None and not old.doubt and old.path and meaning.again == "ignored":
        m.state.sheets[key] = old._replace(loads=old.loads or meaning.loads)
        return GIVEN
    path: str | Unknown = file if isinstance(file, str | Unknown) else Unknown("made at run time")
    if isinstance(path, str):
        path = "" if _is_address(path) else path
    needs = _names_in(roles.get("needs"), frame)
    m.state.sheets[key] = Sheet(
        kind, handle, place.theme if place is not None else "", place.path if place is not None else path,
        needs, _where(roles.get("place"), meaning.place), _where(roles.get("surface"), meaning.surface),
        meaning.loads or (old is not None and old.loads), m.site(), m.doubt or (old.doubt if old is not None else ""),
    )  # fmt: skip
    return GIVEN


def _names_in(value: object, frame: Frame) -> tuple[str, ...]:
    """The texts of a list; nothing for anything else."""
    pairs = frame.file.semantics.entries(value) if not isinstance(value, str) else []
    return () if isinstance(pairs, Unknown) else tuple(item for _, item in pairs if isinstance(item, str))


def _where(given: object, said: str) -> str:
    """Where a sheet goes, as the call says, or else the platform file; a truth value stands for the foot."""
    if isinstance(given, bool):
        return "foot" if given else "head"
    return given if isinstance(given, str) and given else said


def _is_address(path: str) -> bool:
    """Whether a text is an address outside of the themes (RFC 3986, sections 3.1 and 4.2)."""
    return path.startswith("/") or re.match(r"[A-Za-z][A-Za-z0-9+.-]*:", path) is not None


def _drop_sheet(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    """Take a sheet or script off by its handle."""
    kind = "script" if meaning.does == "drop-script" else "style"
    handle = roles.get("handle")
    for key, sheet in list(m.state.sheets.items()):
        if key[0] != kind or (isinstance(handle, str) and isinstance(sheet.handle, str) and handle != sheet.handle):
            continue
        if isinstance(handle, str) and sheet.handle == handle and not m.doubt:
            del m.state.sheets[key]
        elif not isinstance(handle, Unknown) or not isinstance(sheet.handle, str) or handle.may_be(sheet.handle):
            m.state.sheets[key] = sheet._replace(doubt=f"{m.place} may take it off")
    return GIVEN


def _find_file(m: Machine, meaning: Meaning, roles: Roles, rest: list[object], frame: Frame) -> object:
    return m.finds[meaning.does](meaning, roles, frame)


EFFECTS: dict[str, Callable[..., object]] = {
    "attach": _attach,
    "detach": _detach,
    "clear": _clear,
    "fire": _fire,
    "attached": _whether_attached,
    "declare": _declare,
    "exists": _exists,
    "summon": _summon,
    "register": _register,
    "unregister": _unregister,
    "default": _default,
    "value": _value,
    "region": _name_effect("regions"),
    "print-region": _name_effect("printed"),
    "provide": _name_effect("provided"),
    "sheet": _sheet,
    "script": _sheet,
    "drop-sheet": _drop_sheet,
    "drop-script": _drop_sheet,
    "pull": _find_file,
    "part": _find_file,
    "find": _find_file,
    "folder": _find_file,
    "address": _find_file,
    "translate": lambda m, meaning, roles, rest, frame: foreign("a text in the language of the site"),
    "page": _page,
}
"""Does -> what it does."""
