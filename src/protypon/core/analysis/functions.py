"""Functions of the lineage: how they get their arguments, what they give, and how they are declared."""

from __future__ import annotations

from protypon.core.analysis import fitting, sharing, visibility
from protypon.core.analysis.calls import invoke
from protypon.core.analysis.machine import AnyNumber, Frame, Machine
from protypon.core.analysis.places import Slot, home_of, read_name, referring
from protypon.core.analysis.values import Closure, Env, Thing
from protypon.core.languages.code import Expression, Fn, Function, Invoke, Lit, Param, Var
from protypon.core.languages.values import ABSENT, Alias, Failure, foreign

Back = list[tuple[Slot, Alias]]
"""Places that get back what was changed by reference."""


def bind(m: Machine, closure: Closure, given: list[object], named: dict[str, object], frame: Frame) -> None:
    """Give the parameters of a function their values, and what it takes with it."""
    values, function = frame.env.values, closure.function
    frame.given = list(given)
    if closure.file.hoists and closure.env is not None:
        values.update(closure.env.values)
    rest = list(given)
    if frame.this is not None and closure.file.hoists:
        values["$this"] = frame.this
    elif frame.this is not None:
        rest.insert(0, frame.this)
    many = next((n for n, value in enumerate(rest) if isinstance(value, AnyNumber)), None)
    if many is not None:
        rest = rest[:many]
    if named and many is None:
        _refuse_names(m, function, len(rest), named, closure.file.hoists)
    for param in function.params:
        value = _argument_for(m, param, rest, named, frame, many is not None, closure.defaults or {})
        values[param.name] = value
        if param.promoted and isinstance(frame.this, Thing):
            bare = param.name.lstrip("$")
            m.write(
                frame.this.values,
                visibility.kept_as(m, frame.this, bare, frame),
                value.value if isinstance(value, Alias) else value,
            )
    if not closure.file.hoists and many is None and rest:
        m.value_or_raise(Failure("TypeError"))


def _refuse_names(m: Machine, function: Function, places: int, named: dict[str, object], copies: bool) -> None:
    """Raise the error for an argument of a name that no parameter has, or of one that is given by its place too."""
    names = [param.name.lstrip("$") for param in function.params]
    ways = [param.way for param in function.params]
    taken = {name for name, way in zip(names[:places], ways, strict=False) if way in ("", "&")}
    by_name = {name for name, way in zip(names, ways, strict=True) if way not in ("*", "&*", "/", "**")}
    open_ = "**" in ways or (copies and any(way in ("*", "&*") for way in ways))
    if taken & set(named) or (not open_ and set(named) - by_name):
        m.value_or_raise(Failure("Error" if copies else "TypeError"))


def _argument_for(
    m: Machine,
    param: Param,
    rest: list[object],
    named: dict[str, object],
    frame: Frame,
    many: bool,
    defaults: dict[str, object],
) -> object:
    bare = param.name.lstrip("$")
    unknown = foreign("an argument from outside")
    semantics = frame.file.semantics
    if param.way == "*" or param.way == "&*":
        taken = list(rest) if param.way == "&*" else [v.value if isinstance(v, Alias) else v for v in rest]
        names = {p.name.lstrip("$") for p in (frame.function.params if frame.function is not None else ())}
        extra: dict[object, object] = {k: v for k, v in named.items() if k not in names} if semantics.COPIES else {}
        rest.clear()
        if many:
            return unknown
        table: dict[object, object] = {**dict(enumerate(taken)), **extra}
        return table if extra else (taken if semantics.COPIES else tuple(taken))
    if param.way == "**":
        names = {p.name for p in (frame.function.params if frame.function is not None else ())}
        return (
            semantics.literal_value([(k, v) for k, v in named.items() if k not in names], "dict")
            if not many
            else unknown
        )
    if bare in named and param.way != "/":
        return fitting.fit_to_type(m, named[bare], _type(param, frame), frame.strict)
    if rest and param.way in ("", "&", "/"):
        value = rest.pop(0)
        if isinstance(value, Alias):
            return value if param.way == "&" else value.value
        return fitting.fit_to_type(m, value, _type(param, frame), frame.strict)
    if many:
        return unknown
    if param.name in defaults:
        return defaults[param.name]
    if param.default is not None:
        return m.value(param.default, frame)
    return m.value_or_raise(Failure("ArgumentCountError" if semantics.COPIES else "TypeError"))


def _type(param: Param, frame: Frame) -> str:
    """The type that a parameter asks for; one that is nothing unless it is given may be nothing."""
    if not frame.file.semantics.COPIES or not param.type:
        return ""
    return f"{param.type}|null" if param.default == Lit(None) else param.type


def return_value(m: Machine, function: Function, frame: Frame, value: object) -> object:
    """What a function gives: of a type that it says; its variables are gone."""
    if frame.items:
        value = sharing.let_all_go(frame, value)
    if frame.file.semantics.COPIES and function.returns:
        return fitting.fit_to_type(m, value, function.returns, frame.file.code.strict)
    return value


def make(m: Machine, node: Fn, frame: Frame) -> Closure:
    """A function that is written as a value."""
    function = frame.file.code.functions[node.number]
    env = seen_by_functions(frame)
    if frame.file.hoists and function.captured == ("*",):
        env = Env({k: v.value if isinstance(v, Alias) else v for k, v in frame.env.values.items()})
    elif frame.file.hoists:
        env = Env({name.lstrip("&"): _captured_value(m, name, frame) for name in function.captured})
    this = None if "static" in function.modifiers else frame.this
    defaults = _defaults(m, function, frame)
    return Closure(
        function, frame.file, env, this if frame.file.hoists else None, frame.cls, frame.static, defaults=defaults
    )


def seen_by_functions(frame: Frame) -> Env | None:
    """The variables that a function sees which is written here."""
    return frame.env.outer if frame.in_class else frame.env


def _defaults(m: Machine, function: Function, frame: Frame) -> dict[str, object] | None:
    """What parameters are if they are not given, where that is worked out with the declaration."""
    if frame.file.hoists:
        return None
    return {p.name: m.value(p.default, frame) for p in function.params if p.default is not None}


def _captured_value(m: Machine, name: str, frame: Frame) -> object:
    if name.startswith("&"):
        return referring(m, name[1:], frame)
    value = read_name(m, name, frame)
    return None if value is ABSENT else value


def declare(m: Machine, function: Function, frame: Frame) -> None:
    """A function is declared: to the whole site, or as a variable of its scope."""
    marked = m.rules.declares == "marked"
    env = None if frame.file.hoists else seen_by_functions(frame)
    closure = Closure(function, frame.file, env, None, frame.cls, defaults=_defaults(m, function, frame))
    meant = [mark for mark in function.marks if mark.name in m.rules.marked]
    if not marked:
        m.declare(function.name, closure, False)
    else:
        name = function.name.rpartition("::")[2]
        m.write(home_of(m, name, frame), name, _decorate(m, closure, frame))
    if m.rules.marks == "after-file":
        m.waiting_marks += [closure] if meant else []
    elif not marked:
        for mark in reversed(meant):
            m.mark(mark, closure, frame)


def _decorate(m: Machine, closure: Closure, frame: Frame) -> object:
    """A function as its decorators leave it: those that mean something, and those that are called with it."""
    function = closure.function
    value: object = closure
    for mark, decorator in reversed(list(zip(function.marks, function.decorators, strict=True))):
        if mark.name in m.rules.marked:
            if isinstance(value, Closure):
                m.mark(mark, value, frame)
            else:
                m.mark(mark, value, frame, closure.name)
            continue
        value = valued_with(m, decorator, value, frame)
    return value


def valued_with(m: Machine, decorator: Expression, value: object, frame: Frame) -> object:
    """What a decorator makes of a function or class."""
    kept = "\0decorated"
    m.write(frame.env.values, kept, value)
    name, on = (decorator.name, None) if isinstance(decorator, Var) else ("", decorator)
    found = invoke(m, Invoke(name, on, (Var(kept),), (), frame.line, 1), frame)
    m.write(frame.env.values, kept, ABSENT)
    return found
