"""The syntax tree of a Jinja template: a class a statement; expressions are in the form that all code shares."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from protypon.core.languages.code import Expression


class _Statement(Struct, frozen=True, gc=False):
    """What all share: the line in which the tag begins."""

    line: int


class Text(_Statement, frozen=True, gc=False):
    """Data, printed as it is."""

    text: str


class Output(_Statement, frozen=True, gc=False):
    """``{{ … }}``, or one value of a ``print``."""

    value: Expression


class Branches(_Statement, frozen=True):
    """``if``, with its ``elif`` in order: test, body and line of each."""

    branches: tuple[tuple[Expression, tuple[Statement, ...], int], ...]
    other: tuple[Statement, ...]


class Loop(_Statement, frozen=True):
    """``for``; with a condition or ``recursive`` it does not go over all of its items."""

    names: tuple[str, ...]
    over: Expression
    test: Expression | None
    recursive: bool
    body: tuple[Statement, ...]
    other: tuple[Statement, ...]


class BlockTag(_Statement, frozen=True):
    """``block``: what stands between its tags, with offsets, and the line of its last tag."""

    name: str
    body: tuple[Statement, ...]
    last: int
    start: int
    end: int


class Naming(_Statement, frozen=True, gc=False):
    """``extends``, ``include``, ``import`` or ``from``: a tag that names other templates."""

    how: str
    template: Expression
    column: int
    optional: bool = False
    """``ignore missing``."""
    names: tuple[str, ...] = ()
    """What an import binds."""


class Assign(_Statement, frozen=True, gc=False):
    """``set NAMES = value``; no name for an attribute of a namespace."""

    names: tuple[str, ...]
    value: Expression


class AssignBody(_Statement, frozen=True):
    """``set NAMES`` with a body."""

    names: tuple[str, ...]
    filter: Expression | None
    body: tuple[Statement, ...]


class MacroTag(_Statement, frozen=True):
    """``macro``; names and defaults of its parameters."""

    name: str
    params: tuple[str, ...]
    defaults: tuple[Expression, ...]
    body: tuple[Statement, ...]


class Wrapped(_Statement, frozen=True):
    """``with``, ``filter``, ``autoescape``: values that are worked out, names that they are given to, and the body."""

    names: tuple[str, ...]
    values: tuple[Expression, ...]
    body: tuple[Statement, ...]
    filters: bool = False
    """What the body prints goes through the value, a filter."""


class CallTag(_Statement, frozen=True):
    """``call``: a macro is called, and may run the body with the parameters."""

    call: Expression
    params: tuple[str, ...]
    body: tuple[Statement, ...]


class Evaluated(_Statement, frozen=True, gc=False):
    """``do``: values that are worked out and not printed."""

    value: Expression


class Translated(_Statement, frozen=True, gc=False):
    """``trans``: names with their values, and the names that its texts print."""

    names: tuple[str, ...]
    values: tuple[Expression, ...]
    printed: tuple[str, ...]


class JumpTag(_Statement, frozen=True, gc=False):
    """``break`` or ``continue``."""

    how: str


class Unread(_Statement, frozen=True, gc=False):
    """A tag of an extension, or one that says what Jinja does not take."""

    word: str


Statement = (
    Text
    | Output
    | Branches
    | Loop
    | BlockTag
    | Naming
    | Assign
    | AssignBody
    | MacroTag
    | Wrapped
    | CallTag
    | Evaluated
    | Translated
    | JumpTag
    | Unread
)


class Template(Struct, frozen=True):
    """All of a template: its statements, and what was not read."""

    text: str
    """With one kind of line end; offsets count in it."""
    body: tuple[Statement, ...]
    wrong: int | None = None
    """The line of the first thing that Jinja does not take."""
    strange: bool = False
    """There are tags that only an extension knows."""
    cut: bool = False
    """Not read to its end."""


def inside(statement: Statement) -> tuple[Statement, ...]:
    """The statements directly inside one, in the order in which they stand."""
    if isinstance(statement, Branches):
        return (*(s for _, body, _ in statement.branches for s in body), *statement.other)
    if isinstance(statement, Loop):
        return (*statement.body, *statement.other)
    if isinstance(statement, BlockTag | AssignBody | MacroTag | Wrapped | CallTag):
        return statement.body
    return ()


def expressions(statement: Statement) -> tuple[Expression, ...]:
    """The expressions of a statement itself."""
    match statement:
        case Output(value=value) | Evaluated(value=value) | Assign(value=value):
            return (value,)
        case Branches(branches=branches):
            return tuple(test for test, _, _ in branches)
        case Loop(over=over, test=test):
            return (over,) if test is None else (over, test)
        case Naming(template=template):
            return (template,)
        case AssignBody(filter=filtered):
            return () if filtered is None else (filtered,)
        case MacroTag(defaults=values) | Wrapped(values=values) | Translated(values=values):
            return values
        case CallTag(call=call):
            return (call,)
        case _:
            return ()


def names_bound(statement: Statement) -> tuple[str, ...]:
    """The names that a statement may give a value."""
    match statement:
        case Loop(names=names) | Naming(names=names) | Assign(names=names) | AssignBody(names=names):
            return names
        case Wrapped(names=names) | Translated(names=names) | CallTag(params=names):
            return names
        case MacroTag(name=name, params=params):
            return (name, *params)
        case _:
            return ()


def named_twice(statements: Iterable[Statement], seen: set[str] | None = None) -> BlockTag | None:
    """The first block whose name another one before it has: Jinja makes no page of such a template."""
    seen = set() if seen is None else seen
    for statement in statements:
        if isinstance(statement, BlockTag):
            if statement.name in seen:
                return statement
            seen.add(statement.name)
        found = named_twice(inside(statement), seen)
        if found is not None:
            return found
    return None
