"""Statements, followed in the order of a run."""

from __future__ import annotations

from functools import partial
from typing import assert_never

from protypon.core.analysis import loops, raising, sharing
from protypon.core.analysis.control import NOWHERE, OVER, Leaving
from protypon.core.analysis.machine import Frame, LoopTargets, Machine, why_at
from protypon.core.analysis.places import assign, bind_name, lose, unset
from protypon.core.analysis.state import Declared
from protypon.core.analysis.values import Closure
from protypon.core.languages.code import (
    BlockBody,
    Capture,
    Case,
    Declare,
    DeclareClass,
    Do,
    Each,
    Expression,
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
from protypon.core.languages.values import ABSENT, Alias, Unknown, join_texts


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
            found = _jump_target(m, body, frame, leaving)
            if found is None:
                raise
            number = found
        number += 1
    _backwards(m, body, frame)


def _label(frame: Frame, name: str) -> object:
    """The target of a jump to a label: one for each name in each run of a function."""
    return frame.labels.setdefault(name, object())


def _jump_target(m: Machine, body: tuple[Statement, ...], frame: Frame, leaving: Leaving) -> int | None:
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
            loops.each(m, statement, frame)
        case While():
            loops.while_holds(m, statement, frame)
        case Switch():
            _switch(m, statement, frame)
        case Try():
            raising.follow_try(m, statement, frame)
        case With():
            raising.follow_with(m, statement, frame)
        case Scope():
            _scope(m, statement, frame)
        case Unset():
            for target in statement.targets:
                if isinstance(target, Var) and target.name in frame.items:
                    sharing.let_go(m, target.name, frame)
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


def _capture(m: Machine, statement: Capture, frame: Frame) -> None:
    outer, m.out = m.out, []
    try:
        m.block(statement.body, frame)
        found = join_texts(list(m.out))
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
        why_at(frame, statement.line, "a condition that can't be known"),
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
            fits = m.apply_operator("==", [subject, m.value(case.test, frame)], frame)
            if isinstance(fits, Unknown):
                return None
            if fits:
                return number
    return next((n for n, case in enumerate(statement.cases) if case.test is None), len(statement.cases))


def _any_case(m: Machine, statement: Switch, frame: Frame) -> None:
    """Each case is entered or not, and falls through to the next."""
    for case in statement.cases:
        why = why_at(frame, case.line, "a case that can't be known")

        m.control.perhaps(why, partial(_enter_case, m, case, frame))


def _enter_case(m: Machine, case: Case, frame: Frame) -> None:
    if case.test is not None:
        m.value(case.test, frame)
    m.block(case.body, frame)


def _jump(m: Machine, statement: Jump, frame: Frame) -> None:
    if statement.how == "goto":
        m.control.leave("goto", _label(frame, statement.label))
    if statement.levels > len(frame.loops) or not statement.levels:
        m.control.leave("exit", OVER)
    loop = frame.loops[-statement.levels]
    if statement.how == "break":
        m.control.leave("break", loop.end, loops.BROKEN)
    m.control.leave("continue", loop.next)


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
    held = frame.kept.get(name, ABSENT)
    if held is ABSENT:
        held = m.reference(m.value(first, frame) if first is not None else None)
        m.write(frame.kept, name, held)
    elif not isinstance(held, Alias):
        held = m.reference(Unknown("whether the function has run before"))
        m.write(frame.kept, name, held)
    m.write(frame.env.values, name, held)
