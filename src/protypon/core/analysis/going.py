"""Going through values: lists, tables, generators, and objects that say themselves how."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from protypon.core.analysis import classes, objects, streams, visibility
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.streams import Row, Uncounted
from protypon.core.analysis.values import ClassValue, Closure, Stream, Thing, held_items
from protypon.core.languages.values import Alias, Box, Failure, Unknown

MOST = 1000
"""So many values are told apart."""
ASKED = ("current", "__iter__", "getIterator", "__next__")


def steps(m: Machine, over: object, frame: Frame, keyed: bool = False, to_the_end: bool = False) -> Iterator[Row]:
    """Keys and items, each worked out when it is asked for. Raises :class:`Uncounted` where nobody knows how it goes on.

    ``to_the_end``: who asks goes on to the end, or says that a generator is left (:func:`streams.leave_loop`).
    """
    return _within_limit(_steps(m, over, frame, keyed, to_the_end))


def _within_limit(rows: Iterator[Row]) -> Iterator[Row]:
    for number, row in enumerate(rows):
        if number >= MOST:
            raise Uncounted("a loop with very many turns")
        yield row


def items(m: Machine, over: object, frame: Frame, keyed: bool = False) -> list[Row] | Unknown:
    """All of them at once."""
    if not isinstance(over, Stream | Thing | ClassValue):
        return frame.file.semantics.entries(over)
    try:
        return list(steps(m, over, frame, keyed, True))
    except Leaving:
        streams.leave_loop(m, over)
        raise
    except Uncounted as uncounted:
        m.follow.may_be_called(m, ASKED)
        m.control.may_raise(uncounted.why)
        return Unknown(uncounted.why)


def _steps(m: Machine, over: object, frame: Frame, keyed: bool, to_the_end: bool = False) -> Iterator[Row]:
    if isinstance(over, Stream):
        return streams.rows(m, over, frame.file.semantics.COPIES, to_the_end)
    if isinstance(over, Thing):
        return (_php_object if frame.file.semantics.COPIES else _python_object)(m, over, frame, keyed)
    if isinstance(over, Box):
        return _shared_rows(m, over, frame)
    if isinstance(over, ClassValue):
        members = classes.members_of(over)
        return (
            iter(list(enumerate(members))) if members is not None else _uncountable_rows("a class that is gone through")
        )
    if isinstance(over, int | float | None) and not frame.file.semantics.COPIES:
        m.value_or_raise(Failure("TypeError"))
    entries = frame.file.semantics.entries(over)
    if isinstance(entries, Unknown) or len(entries) > MOST:
        return _uncountable_rows(entries.why if isinstance(entries, Unknown) else "a loop with very many turns")
    return ((key, item.value if isinstance(item, Alias) else item) for key, item in entries)


def _uncountable_rows(why: str) -> Iterator[Row]:
    raise Uncounted(why)
    yield


def _shared_rows(m: Machine, over: Box, frame: Frame) -> Iterator[Row]:
    """A list that may be changed meanwhile (https://docs.python.org/3/reference/compound_stmts.html#the-for-statement)."""
    if over.kind != "list":
        yield from _table(m, over, frame)
        return
    number = 0
    if isinstance(over.value, list) and len(over.value) > MOST:
        raise Uncounted("a loop with very many turns")
    while True:
        inside = over.value
        if not isinstance(inside, list):
            raise Uncounted(inside.why if isinstance(inside, Unknown) else "a list that is not known")
        if number >= len(inside):
            return
        yield number, inside[number]
        number += 1


def _table(m: Machine, over: Box, frame: Frame) -> Iterator[Row]:
    """A table whose keys change meanwhile: the language notices if there are more or fewer of them."""
    entries = frame.file.semantics.entries(over)
    if isinstance(entries, Unknown):
        raise Uncounted(entries.why)
    for row in entries:
        now = frame.file.semantics.entries(over)
        if isinstance(now, Unknown):
            raise Uncounted("a loop over what it changes")
        if over.kind == "dict" and len(now) != len(entries):
            m.value_or_raise(Failure("RuntimeError"))
        if [key for _, key in now] != [key for _, key in entries] and over.kind == "dict":
            raise Uncounted("a loop over what it changes")
        yield row
    now = frame.file.semantics.entries(over)
    if isinstance(now, Unknown) or (over.kind == "dict" and len(now) != len(entries)):
        if not isinstance(now, Unknown):
            m.value_or_raise(Failure("RuntimeError"))
        raise Uncounted("a loop over what it changes")


# Objects that say how


def _php_object(m: Machine, over: Thing, frame: Frame, keyed: bool) -> Iterator[Row]:
    """PHP manual, Iterator, IteratorAggregate, Object Iteration."""
    held = held_items(over)
    if held is not None:
        yield from _steps(m, held, frame, keyed)
        return
    if isinstance(classes.method(m, over.cls, "getIterator"), Closure):
        yield from _steps(m, objects.call_method(m, over, "getIterator", []), frame, keyed)
        return
    if not isinstance(classes.method(m, over.cls, "current"), Closure):
        yield from _visible_rows(m, over, frame)
        return
    objects.call_method(m, over, "rewind", [])
    while True:
        more = m.truth(objects.call_method(m, over, "valid", []), frame)
        if isinstance(more, Unknown):
            raise Uncounted(more.why)
        if not more:
            return
        item = objects.call_method(m, over, "current", [])
        key = objects.call_method(m, over, "key", []) if keyed else Unknown("a key that is not asked for")
        yield key, item
        objects.call_method(m, over, "next", [])


def _visible_rows(m: Machine, over: Thing, frame: Frame) -> Iterator[Row]:
    """The attributes of an object that has no way of its own, as far as they can be seen."""
    cls = classes.find(m, over.cls)
    if (
        "" in over.lost
        or (cls is None and over.cls != "stdClass")
        or (cls is not None and classes.ancestry(m, cls).open)
    ):
        raise Uncounted("an object that is gone through")
    for key, value in list(over.values.items()):
        if not str(key).startswith("\0") and (cls is None or not visibility.is_hidden(m, cls, str(key), frame)):
            yield key, value.value if isinstance(value, Alias) else value


def _python_object(m: Machine, over: Thing, frame: Frame, keyed: bool) -> Iterator[Row]:
    """``__iter__`` and ``__next__`` (https://docs.python.org/3/library/stdtypes.html#iterator-types), or items by number."""
    held = held_items(over)
    if isinstance(held, Box) and not isinstance(classes.method(m, over.cls, "__iter__"), Closure):
        return _steps(m, held, frame, keyed)
    if isinstance(classes.method(m, over.cls, "__iter__"), Closure):
        found = objects.call_method(m, over, "__iter__", [])
        return until_it_stops(m, found) if isinstance(found, Thing) else _steps(m, found, frame, keyed)
    if isinstance(classes.method(m, over.cls, "__getitem__"), Closure):
        return _until(m, lambda number: objects.call_method(m, over, "__getitem__", [number]), "IndexError")
    return _uncountable_rows("an object that is gone through")


def until_it_stops(m: Machine, over: Thing) -> Iterator[Row]:
    """What ``__next__`` gives, until it raises the error that says that there is no more."""
    return _until(m, lambda number: objects.call_method(m, over, "__next__", []), "StopIteration")


def _until(m: Machine, ask: Callable[[int], object], end: str) -> Iterator[Row]:
    number = 0
    while True:
        found, error = value_or_error(m, partial(ask, number))
        if error is not None:
            if isinstance(error, Thing) and classes.is_a(m, error, end) is True:
                return
            raise Uncounted("an error that ends a loop, or does not")
        yield number, found
        number += 1


def value_or_error(m: Machine, run: Callable[[], object]) -> tuple[object, object | None]:
    """What something gives, or the error that it certainly raises. Raises :class:`Uncounted` where it may do either."""
    token, depth = object(), len(m.control.tries)
    m.control.tries.append(token)
    found: object = None
    error: object | None = None
    try:
        found = run()
    except Leaving as leaving:
        if leaving.target is not token:
            if not m.control.waiting(token):
                raise
            m.control.put_by(leaving, "an error is raised or not")
        error = leaving.value
    finally:
        del m.control.tries[depth:]
    if m.control.arrive(token, True):
        raise Uncounted("an error is raised or not")
    return found, error
