"""Statements, followed in the order of a run."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from functools import partial
from typing import assert_never

from protypon.core.analysis import objects
from protypon.core.analysis.control import NOWHERE, OVER, Leaving
from protypon.core.analysis.machine import Frame, LoopTargets, Machine
from protypon.core.analysis.places import assign, bind_name, lose, unset
from protypon.core.analysis.state import Declared
from protypon.core.analysis.values import Closure, Thing
from protypon.core.languages.code import (
    BlockBody,
    Capture,
    Case,
    Declare,
    DeclareClass,
    Do,
    Each,
    Expression,
    Handler,
    If,
    Jump,
    Label,
    Let,
    Print,
    Return,
    Scope,
    Statement,
    Switch,
    Try,
    Unset,
    Var,
    While,
    With,
)
from protypon.core.languages.values import ABSENT, Alias, Box, Unknown, joined

MOST_TURNS = 1000
"""How many turns of a loop are told apart."""
BROKEN, ENDED = "broken off", "ended"


def block(m: Machine, body: tuple[Statement, ...], frame: Frame, start: int = 0) -> None:
    """Follow statements one after the other; a ``goto`` may go on at a label among them."""
    number = start
    while number < len(body):
        statement = body[number]
        try:
            if isinstance(statement, Label):
                m.control.arrive(_label(frame, statement.name), True)
            else:
                m.step()
                frame.line = statement.line
                follow(m, statement, frame)
        except Leaving as leaving:
            found = _jumped(m, body, frame, leaving)
            if found is None:
                raise
            number = found
        number += 1
    _backwards(m, body, frame)


def _label(frame: Frame, name: str) -> object:
    """The target of a jump to a label: one for each name in each run of a function."""
    return frame.labels.setdefault(name, object())


def _jumped(m: Machine, body: tuple[Statement, ...], frame: Frame, leaving: Leaving) -> int | None:
    """Where in a block to go on after a way has left for one of its labels."""
    for number, statement in enumerate(body):
        if isinstance(statement, Label):
            target = _label(frame, statement.name)
            if leaving.target is target or (leaving.target is NOWHERE and m.control.waiting(target)):
                m.control.arrive(target, leaving.target is target)
                return number
    return None


def _backwards(m: Machine, body: tuple[Statement, ...], frame: Frame) -> None:
    """Jumps back to a label that may have been taken: from there on, any number of times."""
    for number, statement in enumerate(body):
        if isinstance(statement, Label) and m.control.waiting(_label(frame, statement.name)):
            target = _label(frame, statement.name)
            m.control.arrive(target, True)
            m.control.repeat(
                f"{m.place}: a jump back that hangs on what can't be known",
                partial(_once_more, m, body, frame, number + 1, target),
            )


def _once_more(m: Machine, body: tuple[Statement, ...], frame: Frame, start: int, target: object) -> None:
    for number in range(start, len(body)):
        if not isinstance(body[number], Label):
            follow(m, body[number], frame)
    m.control.arrive(target, True)


def follow(m: Machine, statement: Statement, frame: Frame) -> None:
    """Follow one statement."""
    match statement:
        case Do():
            m.value(statement.value, frame)
        case Let():
            bind_name(m, statement.name, m.value(statement.value, frame), frame)
        case If():
            _if(m, statement, frame)
        case Print():
            m.print(m.text(m.value(statement.value, frame), frame))
        case Return():
            value = None if statement.value is None else m.value(statement.value, frame)
            if frame.function is not None and "&" in frame.function.modifiers and statement.value is not None:
                lose(m, statement.value, f"{m.place} gives a reference", frame)
            m.control.leave("return", frame, value)
        case Declare():
            if statement.number not in frame.hoisted:
                m.follow.declare(m, frame.file.code.functions[statement.number], frame)
        case DeclareClass():
            node = frame.file.code.classes[statement.number]
            if node.name not in frame.hoisted:
                m.follow.declare_class(m, node, frame)
        case Each():
            _each(m, statement, frame)
        case While():
            _while(m, statement, frame)
        case Switch():
            _switch(m, statement, frame)
        case Try():
            _try(m, statement, frame)
        case With():
            _with(m, statement, frame)
        case Scope():
            _scope(m, statement, frame)
        case Unset():
            for target in statement.targets:
                unset(m, target, frame)
        case Jump():
            _jump(m, statement, frame)
        case Label():
            m.control.arrive(_label(frame, statement.name), True)
        case Capture():
            _capture(m, statement, frame)
        case BlockBody():
            m.lookups["block"](statement.name, 0)
        case _:
            assert_never(statement)


def _why(frame: Frame, line: int, what: str) -> str:
    return f"{frame.file.theme}/{frame.file.path} line {line}: {what}"


def _capture(m: Machine, statement: Capture, frame: Frame) -> None:
    outer, m.out = m.out, []
    try:
        m.block(statement.body, frame)
        found = joined(list(m.out))
    finally:
        m.out = outer
    if statement.target is not None:
        assign(m, statement.target, found, frame)


# Conditions


def _if(m: Machine, statement: If, frame: Frame) -> None:
    test = m.truth(m.value(statement.test, frame), frame)
    if not isinstance(test, Unknown):
        if not test:
            _kept_out(m, statement, frame)
        m.block(statement.then if test else statement.other, frame)
        return
    m.control.fork(
        _why(frame, statement.line, "a condition that can't be known"),
        lambda: m.block(statement.then, frame),
        lambda: m.block(statement.other, frame),
    )


def _kept_out(m: Machine, statement: If, frame: Frame) -> None:
    """Functions that a guard does not let be declared."""
    for inside in statement.then:
        if isinstance(inside, Declare):
            function = frame.file.code.functions[inside.number]
            m.state.hidden.append((Declared(function.name, Closure(function, frame.file), False), "guard"))


def _switch(m: Machine, statement: Switch, frame: Frame) -> None:
    loop = LoopTargets()
    frame.loops.append(loop)

    def run() -> None:
        subject = m.value(statement.subject, frame)
        where = _first_case(m, statement, subject, frame)
        if where is None:
            _any_case(m, statement, frame)
            return
        for case in statement.cases[where:]:
            m.block(case.body, frame)

    depth = len(frame.loops)
    try:
        m.control.catching(loop.next, lambda: m.control.catching(loop.end, run))
    finally:
        del frame.loops[depth - 1 :]


def _first_case(m: Machine, statement: Switch, subject: object, frame: Frame) -> int | None:
    """Where a switch goes on; behind its last case where none fits; None where it can't be known."""
    for number, case in enumerate(statement.cases):
        if case.test is not None:
            fits = frame.file.semantics.operate("==", [subject, m.value(case.test, frame)])
            if isinstance(fits, Unknown):
                return None
            if fits:
                return number
    return next((n for n, case in enumerate(statement.cases) if case.test is None), len(statement.cases))


def _any_case(m: Machine, statement: Switch, frame: Frame) -> None:
    """Each case is entered or not, and falls through to the next."""
    for case in statement.cases:
        why = _why(frame, case.line, "a case that can't be known")

        m.control.perhaps(why, partial(_enter_case, m, case, frame))


def _enter_case(m: Machine, case: Case, frame: Frame) -> None:
    if case.test is not None:
        m.value(case.test, frame)
    m.block(case.body, frame)


# Loops


def _each(m: Machine, statement: Each, frame: Frame) -> None:
    over = m.value(statement.over, frame)
    entries = frame.file.semantics.entries(over)
    loop = LoopTargets()
    if statement.aliases:
        _each_alias(m, statement, frame, loop)
        return

    def run() -> object:
        if isinstance(entries, Unknown) or len(entries) > MOST_TURNS:
            m.follow.may_be_called(m, ("current", "__iter__", "getIterator", "__next__"))
            why = _why(frame, statement.line, "a loop that can't be counted")
            unknown = Unknown("an item of a list that is not known")
            m.control.may_raise(why)
            m.control.repeat(why, lambda: _turn(m, statement, frame, loop, unknown, unknown))
        else:
            _counted(m, statement, frame, loop, over, entries)
        return ENDED

    _ended(m, statement.other, frame, loop, run)


def _counted(
    m: Machine, statement: Each, frame: Frame, loop: LoopTargets, over: object, entries: list[tuple[object, object]]
) -> None:
    """A loop over items that are known; if a turn changes a list that is shared, nobody knows how it goes on."""
    before = over.value if isinstance(over, Box) else None
    for key, item in entries:
        _turn(m, statement, frame, loop, key, item.value if isinstance(item, Alias) else item)
        if isinstance(over, Box) and over.value is not before:
            why = _why(frame, statement.line, "a loop over a list that it changes")
            m.control.may_raise(why)
            m.control.repeat(why, partial(_turn, m, statement, frame, loop, Unknown(why), Unknown(why)))
            return


def _turn(m: Machine, statement: Each, frame: Frame, loop: LoopTargets, key: object, item: object) -> None:
    def run() -> None:
        if statement.key is not None:
            assign(m, statement.key, key, frame)
        if statement.item is not None:
            assign(m, statement.item, item, frame)
        m.block(statement.body, frame)

    m.step()
    outer = frame.env
    frame.env = m.scope(outer) if statement.scoped else outer
    try:
        m.control.catching(loop.next, run)
    finally:
        frame.env = outer


def _each_alias(m: Machine, statement: Each, frame: Frame, loop: LoopTargets) -> None:
    """A loop that may change the items of what it goes through: neither that nor the variable is known from here on."""
    why = _why(frame, statement.line, "a loop whose items may be changed")

    def run() -> object:
        for target in (statement.item, statement.over):
            if target is not None:
                lose(m, target, why, frame)
        item = Unknown(why)
        m.control.repeat(why, lambda: _turn_alias(m, statement, frame, loop, item))
        return ENDED

    _ended(m, statement.other, frame, loop, run)


def _turn_alias(m: Machine, statement: Each, frame: Frame, loop: LoopTargets, item: object) -> None:
    def run() -> None:
        if statement.key is not None:
            assign(m, statement.key, item, frame)
        m.block(statement.body, frame)

    m.step()
    m.control.catching(loop.next, run)


def _while(m: Machine, statement: While, frame: Frame) -> None:
    loop = LoopTargets()
    why = _why(frame, statement.line, "a loop that can't be counted")

    def turn() -> None:
        m.control.catching(loop.next, lambda: m.block(statement.body, frame))
        for step in statement.step:
            m.value(step, frame)

    def tested_turn() -> None:
        m.value(statement.test, frame)
        turn()

    def run() -> object:
        if statement.first:
            turn()
        for _ in range(MOST_TURNS):
            m.step()
            test = m.truth(m.value(statement.test, frame), frame)
            if isinstance(test, Unknown):
                break
            if not test:
                return ENDED
            turn()
        m.control.repeat(why, tested_turn)
        m.value(statement.test, frame)
        return ENDED

    _ended(m, statement.other, frame, loop, run)


def _ended(
    m: Machine, other: tuple[Statement, ...], frame: Frame, loop: LoopTargets, run: Callable[[], object]
) -> None:
    """Run a loop, and what is to be done where it was not broken off."""
    frame.loops.append(loop)
    depth = len(frame.loops)
    try:
        found = m.control.catching(loop.end, run)
    finally:
        del frame.loops[depth - 1 :]
    if not other or (BROKEN in found and ENDED not in found):
        return
    if BROKEN in found:
        m.control.perhaps("a loop is broken off or not", lambda: m.block(other, frame))
    else:
        m.block(other, frame)


def _jump(m: Machine, statement: Jump, frame: Frame) -> None:
    if statement.how == "goto":
        m.control.leave("goto", _label(frame, statement.label))
    if statement.levels > len(frame.loops) or not statement.levels:
        m.control.leave("exit", OVER)
    loop = frame.loops[-statement.levels]
    if statement.how == "break":
        m.control.leave("break", loop.end, BROKEN)
    m.control.leave("continue", loop.next)


# Errors


def _try(m: Machine, statement: Try, frame: Frame) -> None:
    if not statement.last:
        _tried(m, statement, frame)
        return
    first = len(m.control.exits)
    leaving: Leaving | None = None
    try:
        _tried(m, statement, frame)
    except Leaving as left:
        leaving = left
    if leaving is not None and leaving.target is OVER and leaving.kind != "raise":
        raise leaving
    inside = m.control.exits[first:]
    with m.memory.watched() as start:
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


def _tried(m: Machine, statement: Try, frame: Frame) -> None:
    """The body of a ``try`` with its handlers."""
    if not statement.handlers:
        m.block((*statement.body, *statement.other), frame)
        return
    token, ended = object(), object()
    m.control.tries.append(token)
    depth = len(m.control.tries)
    left: Leaving | None = None
    try:
        m.block(statement.body, frame)
    except Leaving as leaving:
        left = leaving
    finally:
        del m.control.tries[depth - 1 :]
    _handled(m, statement, frame, token, ended, left)


def _handled(m: Machine, statement: Try, frame: Frame, token: object, ended: object, left: Leaving | None) -> None:
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
            _why(frame, handler.line, "an error that can't be known"),
            lambda: _run_handler(m, handler, values, frame),
            lambda: _handle(m, statement, frame, values, number + 1),
        )


def raise_value(m: Machine, values: list[object]) -> None:
    """Raise an error to whoever handles it; where nobody does, the program is over."""
    value = values[0] if len(values) == 1 else Unknown("one of several errors")
    m.last = m.site()
    m.control.leave("raise", m.control.tries[-1] if m.control.tries else OVER, value)


def _fits(m: Machine, handler: Handler, values: list[object], frame: Frame) -> bool | Unknown:
    if not handler.types:
        return True
    wanted = [_class_handled(m, type_, frame) for type_ in handler.types]
    found = {_is_one(m, value, wanted) for value in values}
    return found.pop() if len(found) == 1 else Unknown("one of several errors")


def _class_handled(m: Machine, node: Expression, frame: Frame) -> object:
    """The class that a handler is for; a bare name may be one of the language's own."""
    found = objects.class_value(m, node, frame)
    own = isinstance(node, Var) and frame.file.semantics.bases(node.name) is not None
    return node.name if own and isinstance(node, Var) and isinstance(found, Unknown) else found


def _is_one(m: Machine, value: object, wanted: list[object]) -> bool | Unknown:
    unknown: Unknown | None = None
    for cls in wanted:
        found = objects.is_a(m, value, cls)
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


def _with(m: Machine, statement: With, frame: Frame) -> None:
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
    _try(m, Try(statement.body, (unknown,), (), (), statement.line), frame)
    for context in reversed(exits):
        objects.call_method(m, context, "__exit__", [Unknown("an error, or none")] * 3)


UNKNOWN_ERROR = Var("\0any error")


# Scopes


def _scope(m: Machine, statement: Scope, frame: Frame) -> None:
    for name, value in zip(statement.names, statement.values, strict=True):
        if statement.how == "static":
            _static(m, name, value, frame)
        elif statement.how == "global":
            _global(m, name, frame)
        else:
            outer = frame.env.outer.holder(name) if frame.env.outer is not None else None
            if outer is not None:
                frame.elsewhere[name] = outer


def _global(m: Machine, name: str, frame: Frame) -> None:
    if frame.file.semantics.COPIES:
        held = m.globals.get(name, ABSENT)
        if not isinstance(held, Alias):
            held = m.reference(Unknown(f"the global variable {name}") if held is ABSENT else held)
            m.write(m.globals, name, held)
        m.write(frame.env.values, name, held)
        return
    env = frame.env
    while env.outer is not None:
        env = env.outer
    frame.elsewhere[name] = env.values


def _static(m: Machine, name: str, first: Expression | None, frame: Frame) -> None:
    held = frame.kept.get(name)
    if not isinstance(held, Alias):
        held = m.reference(m.value(first, frame) if first is not None else None)
        m.write(frame.kept, name, held)
    m.write(frame.env.values, name, held)
