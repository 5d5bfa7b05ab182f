"""Lists and tables that are written out, and comprehensions."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from protypon.core.analysis import functions, going, streams
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import (
    assign,
)
from protypon.core.languages.code import (
    ANY,
    Assignment,
    Clause,
    Comprehend,
    Expression,
    Items,
    Op,
    Opaque,
    Var,
    spreads,
    walk,
)
from protypon.core.languages.values import ABSENT, Box, Unknown, within_bounds


def written_list(m: Machine, node: Items, frame: Frame) -> object:
    """A list or table that is written out; the key ABSENT stands for the next number."""
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
    return m.note_box(within_bounds(semantics.literal_value(pairs, node.kind)))


def _spread(m: Machine, part: Op, found: object, frame: Frame) -> list[tuple[object, object]] | Unknown:
    semantics = frame.file.semantics
    inside = found.value if isinstance(found, Box) else found
    if part.op == "**":
        return list(inside.items()) if isinstance(inside, dict) else Unknown("a table that is spread")
    entries = going.items(m, found, frame, True)
    if isinstance(entries, Unknown):
        return entries
    return [(key if isinstance(key, str) and semantics.COPIES else ABSENT, item) for key, item in entries]


class Turns:
    """A comprehension while it is followed: what each turn gives goes to ``give``."""

    def __init__(
        self, m: Machine, node: Comprehend, inside: Frame, outer: Frame, give: Callable[[list[object]], object]
    ) -> None:
        self.m, self.node, self.inside, self.outer, self.give = m, node, inside, outer, give
        self.unknown: Unknown | None = None

    def run(self, number: int, first: Iterator[streams.Row] | None = None) -> None:
        """Follow the clauses from a number on; ``first``: what the first one goes through."""
        m, node, frame = self.m, self.node, self.inside
        if number == len(node.clauses):
            self.give([m.value(part, frame) for part in node.values])
            return
        clause = node.clauses[number]
        if clause.item is None:
            self._follow_filter(clause, number)
            return
        rows = first or going.steps(m, m.value(clause.value, frame), frame)
        while True:
            try:
                row = next(rows, None)
            except streams.Uncounted as uncounted:
                self._follow_uncountable(clause.item, number, uncounted.why)
                return
            if row is None:
                return
            m.step()
            assign(m, clause.item, row[1], frame)
            self.run(number + 1)

    def any_turn(self, why: str) -> None:
        """Follow a turn as it may be at any time."""
        item = self.node.clauses[0].item
        assert item is not None
        assign(self.m, item, Unknown(why), self.inside)
        self.run(1)

    def _follow_uncountable(self, item: Expression, number: int, why: str) -> None:
        m = self.m
        self.unknown = Unknown(f"a comprehension over what can't be known: {why}")
        m.follow.may_be_called(m, going.ASKED)
        m.control.may_raise(why)

        def turn() -> None:
            assign(m, item, Unknown(why), self.inside)
            self.run(number + 1)

        m.control.repeat(why, turn)

    def _follow_filter(self, clause: Clause, number: int) -> None:
        test = self.m.truth(self.m.value(clause.value, self.inside), self.inside)
        if isinstance(test, Unknown):
            self.unknown = test
            self.m.control.perhaps(test.why, lambda: self.run(number + 1))
        elif test:
            self.run(number + 1)


def follow_comprehension(m: Machine, node: Comprehend, frame: Frame) -> object:
    """A comprehension: a loop in a scope of its own."""
    inside = Frame(
        frame.file, m.scope(functions.seen_by_functions(frame)), None, frame.this, frame.line, frame.cls, frame.static
    )
    inside.given, inside.handling, inside.elsewhere = frame.given, frame.handling, _named_outside(node, frame)
    if not node.clauses or node.clauses[0].item is None:
        return m.value(Opaque("a comprehension", node.values, False, ANY, ANY), inside)  # what is not whole
    over = m.value(node.clauses[0].value, frame)
    if node.kind == "generator":
        return _given_one_by_one(m, node, inside, frame, over)
    made: list[tuple[object, object]] = []

    def give(values: list[object]) -> None:
        made.append((values[0], values[1]) if len(values) == 2 else (ABSENT, values[0]))

    turns = Turns(m, node, inside, frame, give)
    m.frames.append(inside)
    try:
        turns.run(0, going.steps(m, over, inside, False, frame.body is None))
    except Leaving:
        streams.leave_loop(m, over)
        raise
    finally:
        m.frames.pop()
    if turns.unknown is not None:
        m.use_up(over)
        return Unknown(turns.unknown.why)
    return m.note_box(frame.file.semantics.literal_value(made, node.kind))


def _given_one_by_one(m: Machine, node: Comprehend, inside: Frame, frame: Frame, over: object) -> object:
    """A generator expression: only what it goes through is worked out where it stands."""
    rows = going.steps(m, over, inside)

    def turns(give: Callable[[object], object]) -> Turns:
        return Turns(m, node, inside, frame, lambda values: give(values[0]))

    def spare() -> None:
        m.use_up(over)
        turns(lambda value: m.hand_out([value], "who asks for the next value")).any_turn("a generator goes on or not")

    return streams.expression(m, inside, lambda give: turns(give).run(0, rows), spare)


def _named_outside(node: Comprehend, frame: Frame) -> dict[str, dict[object, object]]:
    """Names that ``:=`` in a comprehension gives to the scope around it (https://docs.python.org/3/reference/expressions.html#assignment-expressions)."""
    parts = [*node.values, *(clause.value for clause in node.clauses)]
    names = [
        n.target.name for part in parts for n in walk(part) if isinstance(n, Assignment) and isinstance(n.target, Var)
    ]
    return {**frame.elsewhere, **{name: frame.elsewhere.get(name, frame.env.values) for name in names}}
