"""Lists and tables that are written out, and comprehensions."""

from __future__ import annotations

from protypon.core.analysis import functions, generating
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import (
    assign,
)
from protypon.core.languages.code import (
    Clause,
    Comprehend,
    Items,
    Op,
    spreads,
)
from protypon.core.languages.values import ABSENT, Box, Unknown, bounded

MOST_TURNS = 1000


def written(m: Machine, node: Items, frame: Frame) -> object:
    semantics = frame.file.semantics
    pairs: list[tuple[object, object]] = []
    unknown: Unknown | None = None
    for key, part in node.pairs:
        if key is None and spreads(part):
            assert isinstance(part, Op)
            found = _spread(m, part, m.value(part.parts[0], frame), frame)
            if isinstance(found, Unknown):
                unknown = found
            else:
                pairs += found
            continue
        wanted = ABSENT if key is None else m.value(key, frame)
        pairs.append((wanted, m.value(part, frame)))
    if unknown is not None:
        return Unknown(unknown.why)
    return m.boxed(bounded(semantics.written(pairs, node.kind)))


def _spread(m: Machine, part: Op, found: object, frame: Frame) -> list[tuple[object, object]] | Unknown:
    semantics = frame.file.semantics
    inside = found.value if isinstance(found, Box) else found
    if part.op == "**":
        return list(inside.items()) if isinstance(inside, dict) else Unknown("a table that is spread")
    entries = semantics.entries(found)
    m.use_up(found)
    if isinstance(entries, Unknown):
        return entries
    return [(key if isinstance(key, str) and semantics.COPIES else ABSENT, item) for key, item in entries]


def comprehended(m: Machine, node: Comprehend, frame: Frame) -> object:
    """A comprehension: a loop in a scope of its own, unless it goes through what can't be known."""
    inside = Frame(
        frame.file, m.scope(functions.seen_by_functions(frame)), None, frame.this, frame.line, frame.cls, frame.static
    )
    inside.given, inside.handling = frame.given, frame.handling
    made: list[tuple[object, object]] = []
    unknown: list[Unknown] = []
    if node.kind == "generator":
        found = generating.expression(m, node, frame, lambda: _given(m, node, inside, made, unknown, frame))
        return found if found is not None else _generator(m, node, inside, frame)
    m.frames.append(inside)
    try:
        _clauses(m, node, 0, inside, made, unknown, frame)
    finally:
        m.frames.pop()
    if unknown:
        return Unknown(unknown[0].why)
    found = frame.file.semantics.written(made, node.kind)
    return m.boxed(found)


def _given(
    m: Machine, node: Comprehend, inside: Frame, made: list[tuple[object, object]], unknown: list[Unknown], frame: Frame
) -> list[object] | None:
    """All that a generator expression gives; None where that is not known."""
    m.frames.append(inside)
    try:
        _clauses(m, node, 0, inside, made, unknown, frame)
    finally:
        m.frames.pop()
    return None if unknown else [value for _, value in made]


def _generator(m: Machine, node: Comprehend, inside: Frame, frame: Frame) -> object:
    """It goes on whenever somebody asks for its next value, or never; only what it goes through is worked out here."""
    why = "a generator gives its values one by one"
    m.value(node.clauses[0].value, frame)

    def turn() -> None:
        for clause in node.clauses[1:] if node.clauses[0].item is not None else node.clauses:
            m.value(clause.value, inside)
        for part in node.values:
            m.value(part, inside)

    m.frames.append(inside)
    try:
        for clause in node.clauses:
            if clause.item is not None:
                assign(m, clause.item, Unknown(why), inside)
        m.control.repeat(why, turn)
    finally:
        m.frames.pop()
    return Unknown(why)


def _clauses(
    m: Machine,
    node: Comprehend,
    number: int,
    frame: Frame,
    made: list[tuple[object, object]],
    unknown: list[Unknown],
    outer: Frame,
) -> None:
    if number == len(node.clauses):
        values = [m.value(part, frame) for part in node.values]
        made.append((values[0], values[1]) if len(values) == 2 else (ABSENT, values[0]))
        return
    clause = node.clauses[number]
    if clause.item is None:
        _filtered(m, node, clause, number, frame, made, unknown, outer)
        return
    over = m.value(clause.value, outer if number == 0 else frame)
    entries = frame.file.semantics.entries(over)
    m.use_up(over)
    why = "a comprehension over what can't be known"

    def turn(item: object) -> None:
        m.step()
        assert clause.item is not None
        assign(m, clause.item, item, frame)
        _clauses(m, node, number + 1, frame, made, unknown, outer)

    if isinstance(entries, Unknown) or len(entries) > MOST_TURNS:
        unknown.append(Unknown(why))
        m.control.may_raise(why)
        m.control.repeat(why, lambda: turn(Unknown(why)))
        return
    for _, item in entries:
        turn(item)


def _filtered(
    m: Machine,
    node: Comprehend,
    clause: Clause,
    number: int,
    frame: Frame,
    made: list[tuple[object, object]],
    unknown: list[Unknown],
    outer: Frame,
) -> None:
    test = m.truth(m.value(clause.value, frame), frame)
    if isinstance(test, Unknown):
        unknown.append(test)
        m.control.perhaps(test.why, lambda: _clauses(m, node, number + 1, frame, made, unknown, outer))
    elif test:
        _clauses(m, node, number + 1, frame, made, unknown, outer)
