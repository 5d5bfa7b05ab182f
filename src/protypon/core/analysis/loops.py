"""Loops, turn by turn as long as they can be counted."""

from __future__ import annotations

from collections.abc import Callable

from protypon.core.analysis import going, sharing, streams
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.machine import Frame, LoopTargets, Machine, why_at
from protypon.core.analysis.places import Slot, assign, lose, place_of
from protypon.core.analysis.streams import Uncounted
from protypon.core.languages.code import (
    Each,
    Statement,
    Var,
    While,
)
from protypon.core.languages.values import Unknown

MOST_TURNS = 1000
"""How many turns of a loop are told apart."""
BROKEN, ENDED = "broken off", "ended"


def each(m: Machine, statement: Each, frame: Frame) -> None:
    """Follow a loop over the items of something."""
    over = m.value(statement.over, frame)
    loop = LoopTargets()
    if statement.aliases:
        m.use_up(over)
        _each_alias(m, statement, frame, loop)
        return

    def run() -> object:
        try:
            _follow_turns(m, statement, frame, loop, over)
        except Leaving:
            streams.leave_loop(m, over)
            raise
        return ENDED

    _run_to_end(m, statement.other, frame, loop, run)


def _follow_turns(m: Machine, statement: Each, frame: Frame, loop: LoopTargets, over: object) -> None:
    """Turn by turn; from where it can't be known whether and with what it goes on, any number of turns."""
    rows = going.steps(m, over, frame, statement.key is not None, frame.body is None)
    while True:
        try:
            row = next(rows, None)
        except Uncounted:
            break
        if row is None:
            return
        _turn(m, statement, frame, loop, *row)
    why = why_at(frame, statement.line, "a loop that can't be counted")
    m.use_up(over)
    m.follow.may_be_called(m, going.ASKED)
    m.control.may_raise(why)
    m.control.repeat(why, lambda: _turn(m, statement, frame, loop, Unknown(why), Unknown(why)))


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
    why = why_at(frame, statement.line, "a loop whose items may be changed")
    place = place_of(m, statement.over, frame)
    items = place.get()
    counted = isinstance(statement.item, Var) and isinstance(items, list | dict) and len(items) <= MOST_TURNS

    def run() -> object:
        if counted and _all_shared(m, statement, frame, loop, place):
            return ENDED
        for target in (statement.item, statement.over):
            if target is not None:
                lose(m, target, why, frame)
        item = Unknown(why)
        m.control.repeat(why, lambda: _turn_alias(m, statement, frame, loop, item))
        return ENDED

    _run_to_end(m, statement.other, frame, loop, run)


def _all_shared(m: Machine, statement: Each, frame: Frame, loop: LoopTargets, place: Slot) -> bool:
    """Turn by turn, the variable another name of each item, also of those that come meanwhile; False where a turn changes more than that."""
    assert isinstance(statement.item, Var)
    name = statement.item.name
    keys = _keys(frame, place)
    number = 0
    while number < len(keys):
        key, number = keys[number], number + 1
        if key not in _keys(frame, place):
            continue
        if number > MOST_TURNS or not sharing.share_item(m, name, place, key, frame):
            return False
        shared = frame.items[name]
        _turn_alias(m, statement, frame, loop, key)
        now = _keys(frame, place)
        kept = [each for each in keys if each in now]
        if now[: len(kept)] != kept or not sharing.is_item(place, key, shared, frame):
            return False
        keys += now[len(kept) :]
    return True


def _keys(frame: Frame, place: Slot) -> list[object]:
    return [key for key, _ in _entries(frame, place.get())]


def _entries(frame: Frame, items: object) -> list[tuple[object, object]]:
    found = frame.file.semantics.entries(items)
    return [] if isinstance(found, Unknown) else found


def _turn_alias(m: Machine, statement: Each, frame: Frame, loop: LoopTargets, item: object) -> None:
    def run() -> None:
        if statement.key is not None:
            assign(m, statement.key, item, frame)
        m.block(statement.body, frame)

    m.step()
    m.control.catching(loop.next, run)


def while_holds(m: Machine, statement: While, frame: Frame) -> None:
    """Follow a loop with a condition: turn by turn while that is known, else until another turn changes nothing that is known."""
    loop = LoopTargets()
    why = why_at(frame, statement.line, "a loop that can't be counted")

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

    _run_to_end(m, statement.other, frame, loop, run)


def _run_to_end(
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
