"""Errors: what is tried, what handles them, and what is done in any case."""

from __future__ import annotations

from contextlib import nullcontext
from typing import NoReturn

from protypon.core.analysis import classes, errors, objects
from protypon.core.analysis.control import NOWHERE, OVER, Leaving
from protypon.core.analysis.machine import Frame, Machine, why_at
from protypon.core.analysis.memory import Exit
from protypon.core.analysis.places import assign, bind_name
from protypon.core.analysis.values import Thing
from protypon.core.languages.code import (
    Expression,
    Handler,
    Jump,
    Return,
    Try,
    Var,
    With,
    walk,
)
from protypon.core.languages.values import Failure, Unknown

UNKNOWN_ERROR = Var("\0any error")


def follow_try(m: Machine, statement: Try, frame: Frame) -> None:
    """Follow a try statement with its handlers, and what runs at its end in any case."""
    if not statement.last:
        _follow_try(m, statement, frame)
        return
    if any(isinstance(node, Return | Jump) for each in statement.last for node in walk(each)):
        _swallowing(m, statement, frame)
        return
    first = len(m.control.exits)
    left = _way_out(m, statement, frame)
    _done_after(m, statement, frame, left, m.control.exits[first:])


def _swallowing(m: Machine, statement: Try, frame: Frame) -> None:
    """What is done in any case may leave by itself: an error goes no further then, so that it is no end of the program."""
    control, token = m.control, object()
    depth, first = len(control.tries), len(control.exits)
    control.tries.append(token)
    try:
        left = _way_out(m, statement, frame)
    finally:
        del control.tries[depth:]
    raised = left is not None and left.target is token
    if not raised and not control.waiting(token):
        _done_after(m, statement, frame, left, control.exits[first:])
        return
    if left is not None and not raised:
        control.put_by(left, "an error is raised or not")
    values: list[object] = [left.value] if left is not None and raised else []
    values += [exit.value for exit in control.arrive(token, left is None or raised)]
    _done_after(m, statement, frame, None, control.exits[first:])
    if left is None:
        control.may_raise("an error is raised or not")
    else:
        raise_value(m, values)


def _way_out(m: Machine, statement: Try, frame: Frame) -> Leaving | None:
    """How the body and its handlers were left, before what is done in any case; None where they came to their end."""
    frame.guards += 1
    try:
        _follow_try(m, statement, frame)
    except Leaving as leaving:
        return leaving
    finally:
        frame.guards -= 1
    return None


def _done_after(m: Machine, statement: Try, frame: Frame, leaving: Leaving | None, inside: list[Exit]) -> None:
    """What is to be done in any case, after the rest: ``inside`` are the ways that left it."""
    if leaving is not None and (leaving.kind == "lost" or (leaving.target is OVER and leaving.kind != "raise")):
        raise leaving
    with m.memory.watching() as start:
        nowhere = leaving is not None and leaving.target is NOWHERE
        if nowhere:
            m.memory.settle(inside, False, "every way has left before it")
        place = m.memory.place
        with m.doubting("every way has left before it") if nowhere else nullcontext():
            m.block(statement.last, frame)
        changed = m.memory.changes(place)
        if nowhere:
            m.memory.take_back(start)
        for cell, (holder, key, _) in changed.items():
            for exit in inside:
                exit.cells[cell] = (holder, key, Unknown("what is done in any case changes it"))
    if leaving is not None:
        raise leaving


def _follow_try(m: Machine, statement: Try, frame: Frame) -> None:
    """The body of a ``try`` with its handlers."""
    if not statement.handlers:
        m.block((*statement.body, *statement.other), frame)
        return
    token, ended = object(), object()
    m.control.tries.append(token)
    depth = len(m.control.tries)
    left: Leaving | None = None
    guard = not frame.file.semantics.COPIES and any(map(_catches_all, statement.handlers))
    frame.guards += guard
    try:
        m.block(statement.body, frame)
    except Leaving as leaving:
        left = leaving
    finally:
        frame.guards -= guard
        del m.control.tries[depth - 1 :]
    _follow_handlers(m, statement, frame, token, ended, left)


def _catches_all(handler: Handler) -> bool:
    """Whether it handles even what ends a generator of Python that nobody has any more."""
    return not handler.types or any(type_ in (Var("BaseException"), Var("GeneratorExit")) for type_ in handler.types)


def _follow_handlers(
    m: Machine, statement: Try, frame: Frame, token: object, ended: object, left: Leaving | None
) -> None:
    control = m.control
    raised = left is not None and left.target is token
    if not raised and not control.waiting(token):
        if left is not None:
            raise left
        m.block(statement.other, frame)
        return

    def run() -> None:
        values: list[object] = [left.value] if left is not None and raised else []
        if left is None:
            control.put_by(Leaving("ended", ended), "an error is raised or not")
        elif not raised:
            control.put_by(left, "an error is raised or not")
        values += [exit.value for exit in control.arrive(token, raised)]
        _handle(m, statement, frame, values, 0)

    def without_error() -> object:
        run()
        return None

    waited = control.catching(ended, without_error)
    if left is None and statement.other:
        if len(waited) == 1:
            m.block(statement.other, frame)
        else:
            control.perhaps("an error is raised or not", lambda: m.block(statement.other, frame))


def _handle(m: Machine, statement: Try, frame: Frame, values: list[object], number: int) -> None:
    """The first handler that fits an error, from a number on."""
    if number == len(statement.handlers):
        raise_value(m, values)
    handler = statement.handlers[number]
    fits = _fits(m, handler, values, frame)
    if fits is True:
        _run_handler(m, handler, values, frame)
    elif fits is False:
        _handle(m, statement, frame, values, number + 1)
    else:
        m.control.fork(
            why_at(frame, handler.line, "an error that can't be known"),
            lambda: _run_handler(m, handler, values, frame),
            lambda: _handle(m, statement, frame, values, number + 1),
        )


def raise_error(m: Machine, name: str, said: tuple[object, ...] | None = None) -> NoReturn:
    """Raise an error of one of the language's own classes."""
    made = m.thing(name)
    copies = m.frames[-1].file.semantics.COPIES
    given: list[object] = [Unknown("what an error of the language says")] if said is None else list(said)
    errors.begin(m, made, given, {}, copies)
    raise_value(m, [made])


def fail(m: Machine, failure: Failure) -> NoReturn:
    """What an operation or a function of the language raises."""
    raise_error(m, failure.error, failure.said)


def raise_value(m: Machine, values: list[object]) -> NoReturn:
    """Raise an error to whoever handles it; where nobody does, the program is over."""
    value = values[0] if len(values) == 1 else Unknown("one of several errors")
    m.last = m.site()
    m.control.leave("raise", m.control.tries[-1], value)


def _fits(m: Machine, handler: Handler, values: list[object], frame: Frame) -> bool | Unknown:
    if not handler.types:
        return True
    wanted = [_class_handled(m, type_, frame) for type_ in handler.types]
    found = {_is_one(m, value, wanted) for value in values}
    return found.pop() if len(found) == 1 else Unknown("one of several errors")


def _class_handled(m: Machine, node: Expression, frame: Frame) -> object:
    """The class that a handler is for; a bare name may be one of the language's own."""
    found = classes.class_value(m, node, frame)
    own = isinstance(node, Var) and frame.file.semantics.bases(node.name) is not None
    return node.name if own and isinstance(node, Var) and isinstance(found, Unknown) else found


def _is_one(m: Machine, value: object, wanted: list[object]) -> bool | Unknown:
    unknown: Unknown | None = None
    for cls in wanted:
        found = classes.is_a(m, value, cls)
        if found is True:
            return True
        unknown = found if isinstance(found, Unknown) else unknown
    return unknown if unknown is not None else False


def _run_handler(m: Machine, handler: Handler, values: list[object], frame: Frame) -> None:
    value = values[0] if len(values) == 1 else Unknown("one of several errors")
    if handler.name:
        bind_name(m, handler.name, value, frame)
    frame.handling.append(value)
    try:
        m.block(handler.body, frame)
    finally:
        frame.handling.pop()


def follow_with(m: Machine, statement: With, frame: Frame) -> None:
    """Contexts; any of them may swallow an error of the body."""
    exits: list[Thing] = []
    for value, target in statement.contexts:
        context = m.value(value, frame)
        entered: object = Unknown("what a context gives")
        if isinstance(context, Thing):
            entered = objects.call_method(m, context, "__enter__", [])
            exits.append(context)
        else:
            m.control.may_raise("a context may fail")
        if target is not None:
            assign(m, target, entered, frame)
    unknown = Handler((UNKNOWN_ERROR,), "", (), statement.line)
    frame.guards += 1
    try:
        follow_try(m, Try(statement.body, (unknown,), (), (), statement.line), frame)
    finally:
        frame.guards -= 1
    for context in reversed(exits):
        objects.call_method(m, context, "__exit__", [Unknown("an error, or none")] * 3)
