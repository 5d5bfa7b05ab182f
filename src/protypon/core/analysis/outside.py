"""What comes from outside of the lineage may do: call what it was handed, change what it can reach, or anything at all."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from protypon.core.analysis import classes
from protypon.core.analysis.machine import MANY, Frame, Machine
from protypon.core.analysis.values import Bound, ClassValue, Closure, PlatformCall, Stream, Thing
from protypon.core.languages.code import Function, Invoke, Op, Opaque, walk
from protypon.core.languages.values import Alias, Box, Unknown, foreign

MOST_HANDED = 300
"""Values inside what is handed out that are looked at."""


def hand_out(m: Machine, values: Iterable[object], to: str, keeps: bool = True) -> None:
    """Somebody outside gets values: what can be called may be called, now or later; what is shared may be changed."""
    waiting = list(values)
    seen: set[int] = set()
    count = 0
    while waiting and count < MOST_HANDED:
        count += 1
        value = waiting.pop(0)
        if id(value) in seen:
            continue
        seen.add(id(value))
        if isinstance(value, Stream):
            m.follow.lose(m, value, f"{to or 'a function'} may go through it")
            continue
        if isinstance(value, Thing | Box | Alias) and not keeps:
            waiting += _parts(value)
            continue
        if _follow_callable(m, value, to, keeps):
            continue
        waiting += _parts(value)
        if isinstance(value, Box):
            m.write(value.slots, "value", foreign(f"what {to or 'a function'} made of it"))
        elif isinstance(value, Thing):
            _lose_thing(m, value, to)
        elif isinstance(value, Alias):
            m.write(value.slots, "value", foreign(f"what {to or 'a function'} made of it"))


def _parts(value: object) -> list[object]:
    inside = value.value if isinstance(value, Box | Alias) else value
    if isinstance(inside, dict):
        return list(inside.values())
    return list(inside) if isinstance(inside, list | tuple) else []


def _follow_callable(m: Machine, value: object, to: str, keeps: bool) -> bool:
    """Whether a value is something to call, which is then followed in doubt."""
    bare = value.name if isinstance(value, PlatformCall) else value.lstrip("\\") if isinstance(value, str) else ""
    if bare in m.rules.calls:
        most = max(len(meaning.arguments) for meaning in m.rules.calls[bare])
        unknown: list[object] = [foreign("an argument from outside")] * most
        m.control.perhaps(f"{to or 'a function'} may call it", partial(m.call, PlatformCall(bare), unknown))
        return True
    if isinstance(value, str) and "::" in value and m.closure_of(value)[0] is None:
        return _called_by_magic(m, list(value.lstrip("\\").split("::", 1)), to)
    if (
        isinstance(value, str)
        and value.lower() not in m.state.functions
        and value not in m.state.functions
        and "::" not in value
    ):
        return False
    if not isinstance(value, str | Closure | Bound | list):
        return False
    closure, this = m.closure_of(value)
    if closure is None and not isinstance(value, list):
        return False
    if closure is None:
        return _called_by_magic(m, value, to)
    run_perhaps(m, closure, this, f"{to or 'a function'} may call it")
    if keeps:
        m.handed_out.append(value)
    return True


def _called_by_magic(m: Machine, value: object, to: str) -> bool:
    """``[$object, 'name']`` where the class has no such method, but one for all names."""
    if not (
        isinstance(value, list) and len(value) == 2 and isinstance(value[1], str) and isinstance(value[0], Thing | str)
    ):
        return False
    owner = value[0].cls if isinstance(value[0], Thing) else value[0]
    magic = (classes.method(m, owner, name) for name in ("__call", "__callStatic"))
    if classes.find(m, owner) is None or not any(isinstance(each, Closure) for each in magic):
        return False
    m.control.perhaps(
        f"{to or 'a function'} may call it", partial(m.call, value, [foreign("an argument from outside")])
    )
    return True


PROTOCOLS = frozenset(
    (
        "count", "jsonSerialize", "getIterator", "current", "key", "next", "rewind", "valid", "offsetGet", "offsetSet", "offsetExists",
        "offsetUnset", "serialize", "unserialize", "accept", "getChildren", "hasChildren", "seek", "open", "read", "write", "close",
    )
)  # fmt: skip
"""Methods, besides those whose names begin with two underscores, by which a language's own functions ask an object."""


def asked_by_language(m: Machine, values: Iterable[object], to: str) -> None:
    """Objects that a function of the language gets: it may ask them in the ways that the language has."""
    waiting, count = list(values), 0
    while waiting and count < MOST_HANDED:
        count += 1
        value = waiting.pop()
        waiting += _parts(value)
        cls = classes.find(m, value.cls) if isinstance(value, Thing) else None
        for each in classes.ancestry(m, cls).classes if cls is not None else ():
            for number in each.node.methods:
                name = each.file.code.functions[number].name.rpartition("::")[2]
                if (name.startswith("__") or name in PROTOCOLS) and name not in (
                    "__construct",
                    "__init__",
                    "__destruct",
                    "__del__",
                ):
                    closure = classes.method(m, cls, name)
                    if isinstance(closure, Closure):
                        run_perhaps(m, closure, value, f"{to} may ask the object for {name}")


def run_perhaps(m: Machine, closure: Closure, this: object, why: str) -> None:
    """Follow a function that may be called, with whatever arguments, any number of times."""

    def turn() -> None:
        found = m.enter(closure, [MANY], {}, this)
        if isinstance(found, Stream):
            m.follow.lose(m, found, why)

    m.control.repeat(why, turn)


def _lose_thing(m: Machine, thing: Thing, to: str) -> None:
    if "" in thing.lost:
        return
    m.write(thing.lost, "", f"what {to or 'a function'} made of the object")
    cls = classes.find(m, thing.cls)
    if cls is None:
        return
    for each in classes.ancestry(m, cls).classes:
        for number in each.node.methods:
            name = each.file.code.functions[number].name.rpartition("::")[2]
            closure = classes.method(m, cls, name)
            if isinstance(closure, Closure) and has_effect(m, closure.function):
                run_perhaps(m, closure, thing, f"{to or 'a function'} may call {name} of it")


def again(m: Machine) -> None:
    """What was handed out may be called at the end as well."""
    for value in list(m.handed_out):
        if isinstance(value, Stream):
            m.follow.spare(m, value)
            continue
        closure, this = m.closure_of(value)
        if closure is not None:
            run_perhaps(m, closure, this, "it was handed out, and may be called at any time")


def any_method(m: Machine, name: str, given: list[object], named: dict[str, object], why: str) -> object:
    """A method of an object that is not known: every class of the lineage that has one of that name may be meant."""
    for cls in list(m.state.classes.values()):
        wanted = [name] if name else [m_.rpartition("::")[2] for m_ in _method_names(cls)]
        for each in wanted:
            found = classes.own_member(cls, each, ("method",)) if cls.file.folds else cls.statics.get(each)
            function = found.function if isinstance(found, Closure) else found
            if isinstance(function, Function):
                closure = Closure(function, cls.file, cls.env, None, cls.name, cls.name)
                thing = unknown_thing(m, cls)
                label = f"an object that can't be known may be a {cls.name}"
                m.control.repeat(label, partial(m.enter, closure, list(given), named, thing))
    m.control.may_raise(why)
    return Unknown(why)


def any_constructor(m: Machine, given: list[object], named: dict[str, object]) -> object:
    """An object of a class that is not known is made."""
    for name in ("__construct", "__init__", "__new__"):
        any_method(m, name, given, named, "a class that can't be known")
    return Unknown("an object of a class that can't be known")


def _method_names(cls: ClassValue) -> list[str]:
    return [cls.file.code.functions[number].name for number in cls.node.methods]


def unknown_thing(m: Machine, cls: ClassValue) -> Thing:
    """An object of a class of which nothing is known but that."""
    made = m.thing(cls.name)
    made.lost[""] = "an object that can't be known"
    return made


def may_be_called(m: Machine, names: tuple[str, ...]) -> None:
    """Methods that an operation on what can't be known stands for."""
    for cls in list(m.state.classes.values()):
        own = {name.rpartition("::")[2] for name in _method_names(cls)}
        for name in names:
            if name in own:
                any_method(m, name, [MANY], {}, "an operation on what can't be known")


CHANGES = frozenset(
    (
        "append",
        "extend",
        "insert",
        "pop",
        "remove",
        "clear",
        "sort",
        "reverse",
        "update",
        "setdefault",
        "popitem",
        "add",
        "discard",
    )
)


def changed_by_method(m: Machine, on: Unknown, name: str) -> None:
    """A method that may change a list: of what can't be known, any list of the lineage."""
    if not on.foreign and (name in CHANGES or not name):
        why = f"{m.place} changes what can't be known"
        for each in list(m.boxes):
            m.write(each.slots, "value", Unknown(why))


def ends(m: Machine, cls: ClassValue, made: Thing, name: str) -> None:
    """What an object does when nobody has it any more, which is at any time from here on."""
    why = f"what is done when an object of {cls.name} ends"
    m.out_of_order = m.out_of_order or why
    m.hand_out([[made, name]], why)


# Anything


def any_function(m: Machine, value: object, why: str) -> None:
    """A call of a function that can't be known: all that it may be, each perhaps."""
    if m.loose:
        return
    m.loose = True
    try:
        for declared in list(m.state.functions.values()):
            fits = not isinstance(value, Unknown) or value.may_be(declared.name)
            if fits and has_effect(m, declared.closure.function):
                run_perhaps(m, declared.closure, None, why)
        if not (isinstance(value, Unknown) and value.shape):
            for cls in list(m.state.classes.values()):
                _any_method_of(m, cls, why)
        lose_world(m, why)
    finally:
        m.loose = False


def _any_method_of(m: Machine, cls: ClassValue, why: str) -> None:
    for number in cls.node.methods:
        function = cls.file.code.functions[number]
        if has_effect(m, function):
            closure = Closure(function, cls.file, cls.env, None, cls.name, cls.name)
            run_perhaps(m, closure, unknown_thing(m, cls), why)


def lose_world(m: Machine, why: str) -> None:
    """All that any function can reach is not known from here on: globals, what functions keep, objects, shared lists."""
    for held in [*m.globals.values(), *(v for kept in m.kept.values() for v in kept.values()), *m.references]:
        if isinstance(held, Alias) and not held.lost:
            m.write(held.slots, "value", Unknown(why))
    for name, held in list(m.globals.items()):
        if not isinstance(held, Alias):
            m.write(m.globals, name, Unknown(why))
    for thing in list(m.things):
        m.write(thing.lost, "", why)
    for each in list(m.boxes):
        m.write(each.slots, "value", Unknown(why))
    for cls in list(m.state.classes.values()):
        if cls.file.folds:
            m.write(cls.statics, "", why)


def anything(m: Machine, node: Opaque, frame: Frame) -> None:
    """What may call any function, and write any name of its scope."""
    why = f"{m.place}: {node.text.strip()[:40]!r} can't be followed"
    if node.calls:
        m.print(Unknown(why))
        m.give_up(f"does what can't be known: {node.text.strip()[:40]!r}")
        any_function(m, Unknown(why), why)
    if node.writes == ("*",):
        lose_names(m, why, frame)


def lose_names(m: Machine, why: str, frame: Frame) -> None:
    """Any variable of a scope may have any value."""
    for values in (frame.env.values, *frame.elsewhere.values()):
        for name, held in list(values.items()):
            if (isinstance(name, str) and name.startswith("\0")) or name == "$this":
                continue
            if isinstance(held, Alias):
                m.write(held.slots, "value", Unknown(why))
            else:
                m.write(values, name, Unknown(why))
    m.write(frame.env.values, "\0any", why)


def has_effect(m: Machine, function: Function) -> bool:
    """Whether a function itself holds a call that means something, or what may do anything."""
    key = id(function)
    if key not in m.effectful:
        m.effectful[key] = any(_means(m, node) for statement in function.body for node in walk(statement))
    return m.effectful[key]


def _means(m: Machine, node: object) -> bool:
    if isinstance(node, Opaque):
        return bool(node.calls)
    if isinstance(node, Op) and node.op in ("eval", "exec"):
        return True
    return isinstance(node, Invoke) and ((node.on is None and bool(m.rules.meanings_of(node.name))) or not node.name)
