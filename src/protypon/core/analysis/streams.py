"""What gives its values one by one, each worked out when it is asked for: generators, and what functions of a language make of others.

The code of a generator stands still where it has given a value, and goes on from there (PHP manual, Generators;
https://docs.python.org/3/reference/expressions.html#yield-expressions). It is followed in a stack of its own, as it is run. Where it is asked for
a value in another doubt than it was begun in, nobody knows how far it has come: from there on, all that it may still do is in doubt.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.analysis.control import OVER, Leaving
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.memory import join
from protypon.core.analysis.raising import raise_error, raise_value
from protypon.core.analysis.values import Stream, Thing
from protypon.core.languages.code import Yield
from protypon.core.languages.values import ABSENT, Failure, Unknown
from protypon.core.model.limits import CODE_DEPTH

if TYPE_CHECKING:
    from greenlet import greenlet

Row = tuple[object, object]
"""A key and a value."""


class Sent(NamedTuple):
    """What a generator gets where it goes on: the value of its ``yield``, or an error that is raised there."""

    value: object = None
    raised: bool = False


NOTHING = Sent()


class Uncounted(Exception):
    """Nobody knows whether more values come, or which."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


@dataclass(eq=False, slots=True)
class Body:
    """The code of a generator, and how far it has come."""

    m: Machine
    frame: Frame
    run: Callable[[], object]
    """Follows it to its end, and gives what it returns."""
    frames: list[Frame] = field(default_factory=list)
    tries: list[object] = field(default_factory=lambda: [OVER])
    stack: greenlet | None = None
    number: int = 0
    """The key of the next value that has none of its own."""
    outside: tuple[list[Frame], list[object]] | None = None
    """What is followed outside while it is thrown away."""
    any_of_it: Callable[[], object] | None = None
    """What it may still do, where that is not just what it does."""
    result: object = None
    stream: Stream | None = None

    def resume(self, sent: Sent) -> Row | None:
        """Go on to the next value; nothing at the end."""
        from greenlet import getcurrent, greenlet

        m = self.m
        if self.stack is None:
            self.stack = greenlet(self._begun)
            self.frames = [self.frame]
        base, outer = len(m.frames), m.control.tries
        m.frames += self.frames
        self.tries[0] = outer[-1]
        m.control.tries = self.tries
        self.stack.parent = getcurrent()
        try:
            found: Row | None = self.stack.switch(sent)
            return found
        finally:
            self.frames = m.frames[base:]
            del m.frames[base:]
            m.control.tries = outer

    def _begun(self, sent: Sent) -> None:
        try:
            self.result = self.run()
        finally:
            if self.outside is not None:
                self.m.frames, self.m.control.tries = self.outside

    def give(self, key: object, value: object) -> object:
        """Stand still with a value; what is sent when it goes on."""
        import greenlet

        m, stream = self.m, self.stream
        assert self.stack is not None and stream is not None
        if stamp(m) != stream.born:
            m.control.leave("lost", stream, stream)
        self._count(key)
        try:
            sent: Sent = self.stack.parent.switch((self.number - 1 if key is ABSENT else key, value))
        except greenlet.GreenletExit:
            self.outside = m.frames, m.control.tries
            m.frames, m.control.tries = list(self.frames), self.tries
            raise
        if sent.raised:
            raise_value(m, [sent.value])
        return sent.value

    def _count(self, key: object) -> None:
        if key is ABSENT:
            self.number += 1
        elif isinstance(key, int) and key >= self.number:
            self.number = key + 1

    def spare(self) -> None:
        """Follow whatever it may still do, at any time and in any order."""
        m, frame = self.m, self.frame
        frame.body, base = None, len(m.frames)
        m.follow.lose_names(m, "a generator may have gone on", frame)
        m.frames.append(frame)
        try:
            (self.any_of_it or self.run)()
        finally:
            frame.body = self
            del m.frames[base:]


@dataclass(eq=False, slots=True)
class Made:
    """Values that a function of the language works out of others."""

    rows: Iterator[Row]
    may: Callable[[], object]
    """What it may still do."""
    result: object = None

    def resume(self, sent: Sent) -> Row | None:
        """The next row, or None at the end."""
        return next(self.rows, None)

    def spare(self) -> None:
        """Note that it may be gone through further."""
        self.may()


def stamp(m: Machine) -> tuple[object, ...]:
    """In what doubt something is done."""
    return (*m.control.doubts, *m.control.exits)


# Making


def begun(m: Machine, frame: Frame, run: Callable[[], object]) -> object:
    """What a call of a generator gives: none of its code has run yet."""
    function = frame.function
    assert function is not None
    body = Body(m, frame, lambda: join(m.control.catching(frame, run), "what a generator returns"))
    kind = "generator" if function.generates else "coroutine"
    made = _note_stream(m, Stream(kind, function.name, body, stamp(m), {}))
    body.stream = made
    frame.body = body
    if "&" in function.modifiers or (function.generates and "async" in function.modifiers):
        lose(m, made, f"{function.name or 'a function'} gives its values one by one")
    return made


def expression(
    m: Machine, frame: Frame, run: Callable[[Callable[[object], object]], object], spare: Callable[[], object]
) -> Stream:
    """The same of a generator expression: what gives its values to a function, and all that it may still do."""
    body = Body(m, frame, lambda: run(lambda value: body.give(ABSENT, value)), any_of_it=spare)
    made = _note_stream(m, Stream("generator", "a generator", body, stamp(m), {}))
    body.stream = made
    frame.body = body
    return made


def made_of(m: Machine, rows: Iterator[object], may: Callable[[], object]) -> Stream:
    """The values of a function of the language, each worked out when it is asked for."""
    return _note_stream(m, Stream("iterator", "an iterator", Made(((ABSENT, row) for row in rows), may), stamp(m), {}))


def _note_stream(m: Machine, made: Stream) -> Stream:
    m.memory.born(made.slots)
    return made


# Going on


def advance(m: Machine, stream: Stream, sent: Sent = NOTHING) -> Row | Unknown | None:
    """The next value with its key; nothing at the end; Unknown where nobody knows what it is."""
    if "lost" in stream.slots:
        if "over" not in stream.slots:
            spare(m, stream)
        m.control.may_raise(str(stream.slots["lost"]))
        return Unknown(str(stream.slots["lost"]))
    if "over" in stream.slots:
        return None
    if stamp(m) != stream.born or len(m.frames) > CODE_DEPTH or "running" in stream.slots:
        return lose(m, stream, f"{m.place}: a generator is asked for a value, or not")
    m.step()
    m.write(stream.slots, "guarded", ABSENT)
    m.write(stream.slots, "running", True)
    try:
        found = m.control.catching(stream, lambda: stream.source.resume(sent))
    except Leaving:
        m.write(stream.slots, "over", True)
        raise
    except Uncounted as uncounted:
        return lose(m, stream, uncounted.why)
    finally:
        m.write(stream.slots, "running", ABSENT)
    if len(found) != 1 or found[0] is stream:
        return lose(m, stream, f"{stream.name or 'a function'} gives a value or not")
    row: Any = found[0]
    m.write(stream.slots, "result", stream.source.result)
    m.write(stream.slots, "count", _count(stream) + 1)
    m.write(stream.slots, "row" if row is not None else "over", row or True)
    return row if row is None else (row[0], row[1])


def _count(stream: Stream) -> int:
    count = stream.slots.get("count", 0)
    return count if isinstance(count, int) else 0


def lose(m: Machine, stream: Stream, why: str) -> Unknown:
    """From here on nobody knows how far it has come: all that it may still do may be done at any time."""
    if "lost" not in stream.slots:
        m.write(stream.slots, "lost", why)
        if "over" not in stream.slots:
            m.handed_out.append(stream)
            spare(m, stream)
    return Unknown(why)


def spare(m: Machine, stream: Stream) -> None:
    """Follow, in doubt, all that one may still do of which nobody knows how far it has come."""
    why = str(stream.slots.get("lost", "a generator may go on"))
    if m.control.doubts.count(why) < 2:
        m.control.repeat(why, stream.source.spare)


def leave_loop(m: Machine, stream: object) -> None:
    """A loop over it is broken off: where something is to be done in any case, that is done when nobody has it any more."""
    if isinstance(stream, Stream) and "guarded" in stream.slots and "over" not in stream.slots:
        why = "what a generator does in any case is done when nobody has it any more"
        m.out_of_order = m.out_of_order or why
        lose(m, stream, why)


def give(m: Machine, node: Yield, frame: Frame) -> object:
    """``yield``: one value, or all of another one."""
    body: Any = frame.body
    if node.all:
        return _all(m, m.value(node.parts[0], frame), frame)
    values = [m.value(part, frame) for part in node.parts]
    _guard(m, body, frame)
    return body.give(values[0] if len(values) == 2 else ABSENT, values[-1] if values else None)


def _guard(m: Machine, body: Body, frame: Frame) -> None:
    """Note that something is to be done even if it never goes on."""
    if frame.guards:
        assert body.stream is not None
        m.write(body.stream.slots, "guarded", True)


def _all(m: Machine, inner: object, frame: Frame) -> object:
    """``yield from``: it goes on as the other one does; what that one returns."""
    body: Any = frame.body
    if not isinstance(inner, Stream):
        try:
            for key, value in m.follow.steps(m, inner, frame, True):
                number = body.number
                _guard(m, body, frame)
                sent = body.give(key if frame.file.semantics.COPIES else ABSENT, value)
                body.number = number
                _send_on(m, body, inner, sent, frame)
        except Uncounted:
            m.control.leave("lost", body.stream, body.stream)
        return None
    row = current(m, inner) if frame.file.semantics.COPIES else advance(m, inner)
    while row is not None:
        if isinstance(row, Unknown):
            m.control.leave("lost", body.stream, body.stream)
        leave_loop(m, inner)
        _guard(m, body, frame)
        number = body.number
        sent = body.give(row[0], row[1])
        body.number = number
        _send_on(m, body, inner, sent, frame)
        row = advance(m, inner, Sent(sent))
    return inner.slots.get("result")


def _send_on(m: Machine, body: Body, inner: object, sent: object, frame: Frame) -> None:
    """A value that is sent in Python to what only gives values is an error."""
    if sent is None or frame.file.semantics.COPIES or (isinstance(inner, Stream) and inner.kind == "generator"):
        return
    if isinstance(sent, Unknown) or isinstance(inner, Thing):
        m.control.leave("lost", body.stream, body.stream)
    m.value_or_raise(Failure("AttributeError"))


# What they are asked


def current(m: Machine, stream: Stream) -> Row | Unknown | None:
    """The value at which it stands; it is begun where it was not."""
    if "row" not in stream.slots and "over" not in stream.slots:
        return advance(m, stream)
    if "lost" in stream.slots:
        return Unknown(str(stream.slots["lost"]))
    if "over" in stream.slots:
        return None
    row: Any = stream.slots["row"]
    return row[0], row[1]


def rows(m: Machine, stream: Stream, copies: bool, to_the_end: bool) -> Iterator[Row]:
    """All values, one after the other. PHP begins at the one at which it stands, but not behind the first.

    ``to_the_end``: who asks goes on to the end, or says that it is :func:`leave_loop`.
    """
    if not copies:
        while True:
            row = advance(m, stream)
            if isinstance(row, Unknown):
                raise Uncounted(row.why)
            if row is None:
                return
            if not to_the_end:
                leave_loop(m, stream)
            yield row
    if _count(stream) > 1 or ("over" in stream.slots and "lost" not in stream.slots):
        raise_error(m, "Exception")
    row = current(m, stream)
    while row is not None:
        if isinstance(row, Unknown):
            raise Uncounted(row.why)
        if not to_the_end:
            leave_loop(m, stream)
        yield row
        row = advance(m, stream)


def ask(m: Machine, stream: Stream, name: str, given: list[object]) -> object:
    """A method of a generator (PHP manual, Generator; https://docs.python.org/3/reference/expressions.html#generator-iterator-methods)."""
    copies = m.frames[-1].file.semantics.COPIES
    found = (_asked_php if copies else _asked_python)(m, stream, name.lower() if copies else name, given)
    leave_loop(m, stream)
    return found


def _asked_php(m: Machine, stream: Stream, name: str, given: list[object]) -> object:
    if name in ("current", "key", "valid"):
        row = current(m, stream)
        if isinstance(row, Unknown):
            return row
        return row is not None if name == "valid" else None if row is None else row[name == "current"]
    if name == "next":
        if "row" in stream.slots or current(m, stream) is not None:
            advance(m, stream)
        return None
    if name in ("send", "throw") and len(given) == 1:
        current(m, stream)
        if name == "throw" and "over" in stream.slots:
            raise_value(m, given)
        row = advance(m, stream, Sent(given[0], name == "throw"))
        return row if isinstance(row, Unknown) or row is None else row[1]
    if name == "rewind":
        if _count(stream) > 1:
            raise_error(m, "Exception")
        current(m, stream)
        return None
    if name == "getreturn" and "lost" not in stream.slots:
        if "over" not in stream.slots:
            raise_error(m, "Exception")
        return stream.slots.get("result")
    return lose(m, stream, f"{name} of a generator")


def _asked_python(m: Machine, stream: Stream, name: str, given: list[object]) -> object:
    if name == "__iter__":
        return stream
    if name in ("send", "__next__", "throw") and len(given) <= 1:
        raised = name == "throw"
        if raised and (not given or "count" not in stream.slots):
            return lose(m, stream, "an error is raised in a generator")
        return following(m, stream, ABSENT, Sent(given[0] if given else None, raised))
    if name == "close" and "guarded" not in stream.slots and "lost" not in stream.slots:
        m.write(stream.slots, "over", True)
        return None
    return lose(m, stream, f"{name} of a generator")


def following(m: Machine, stream: Stream, otherwise: object, sent: Sent = NOTHING) -> object:
    """``next(x)``: the next value, or at the end what is said for that (ABSENT: an error)."""
    row = advance(m, stream, sent)
    leave_loop(m, stream)
    if isinstance(row, Unknown):
        return row
    if row is None:
        return otherwise if otherwise is not ABSENT else raise_error(m, "StopIteration")
    return row[1]


def await_value(m: Machine, value: object) -> object:
    """``await x`` (https://docs.python.org/3/reference/expressions.html#await): all of it is run."""
    if not isinstance(value, Stream) or value.kind != "coroutine":
        return Unknown("what is waited for")
    if "over" in value.slots:
        raise_error(m, "RuntimeError")
    row = advance(m, value)
    return row if isinstance(row, Unknown) else value.slots.get("result")
