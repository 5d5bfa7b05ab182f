"""What code says, in a form that every language shares: expressions, statements, functions.

Plain structures, so that they are made fast and go to the cache as they are; each class has its tag.
Nothing here says what a call *means*: that stands in the platform file.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar

from msgspec import Struct


class _Node(Struct, frozen=True, gc=False, array_like=True, tag_field="tag_"):
    """What all share: written as a list that begins with the tag."""


class Lit(_Node, frozen=True, tag="lit"):
    """A text, number, truth value or nothing."""

    value: str | int | float | bool | None
    tag: ClassVar[str] = "lit"


class Var(_Node, frozen=True, tag="var"):
    """A variable, or a bare name (of a constant or function)."""

    name: str
    tag: ClassVar[str] = "var"


class Op(_Node, frozen=True, tag="op"):
    """An operation on values: ``.`` joins as text, ``+ - *``, ``== != < >``, ``not and or``, ``?:``, ``[]``, ``attr``, ``set`` (of an attribute);
    ``maybe`` does its parts or not, and gives what can't be known."""

    op: str
    parts: tuple[Expression, ...]
    tag: ClassVar[str] = "op"


class Items(_Node, frozen=True, tag="items"):
    """A list or table written out: pairs of key (None: the next number) and value."""

    pairs: tuple[tuple[Expression | None, Expression], ...]
    tag: ClassVar[str] = "items"


class Invoke(_Node, frozen=True, tag="call"):
    """A call. ``on`` is what a method is called on; ``name`` is empty where it is computed (then ``on`` computes it).

    A bare name that stands in a namespace has that before it; where nothing is called so, the last part of it counts.
    """

    name: str
    on: Expression | None
    arguments: tuple[Expression, ...]
    named: tuple[tuple[str, Expression], ...]
    line: int
    column: int
    tag: ClassVar[str] = "call"


class Fn(_Node, frozen=True, tag="fn"):
    """A function written as a value; the number of it in its file."""

    number: int
    tag: ClassVar[str] = "fn"


class Opaque(_Node, frozen=True, tag="?"):
    """What can't be known without running it; its parts are done."""

    text: str
    parts: tuple[Expression, ...] = ()
    tag: ClassVar[str] = "?"


class Do(_Node, frozen=True, tag="do"):
    value: Expression
    line: int
    tag: ClassVar[str] = "do"


class Let(_Node, frozen=True, tag="let"):
    """A variable gets a value."""

    name: str
    value: Expression
    line: int
    tag: ClassVar[str] = "let"


class If(_Node, frozen=True, tag="if"):
    test: Expression
    then: tuple[Statement, ...]
    other: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "if"


class Each(_Node, frozen=True, tag="each"):
    """A loop over items; ``key`` and ``item`` name its variables."""

    key: str
    item: str
    over: Expression
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "each"


class Declare(_Node, frozen=True, tag="declare"):
    """A function is declared here; its number in the file."""

    number: int
    line: int
    tag: ClassVar[str] = "declare"


class Return(_Node, frozen=True, tag="return"):
    value: Expression | None
    line: int
    tag: ClassVar[str] = "return"


class Print(_Node, frozen=True, tag="print"):
    value: Expression
    line: int
    tag: ClassVar[str] = "print"


class Halt(_Node, frozen=True, tag="halt"):
    """Nothing after it runs: the function (or program) is left by an error or an exit."""

    line: int
    tag: ClassVar[str] = "halt"


class BlockBody(_Node, frozen=True, tag="part"):
    """A named block of a template."""

    name: str
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "part"


class Param(_Node, frozen=True, tag="param"):
    name: str
    default: Expression | None = None
    type: str = ""
    way: str = ""
    """``*`` takes all that are left, ``**`` all named ones, ``&`` by reference, ``!`` by name only."""
    tag: ClassVar[str] = "param"


class Function(_Node, frozen=True, tag="function"):
    """One function, method or closure."""

    name: str
    """Empty for a closure; ``Class::name`` for a method."""
    params: tuple[Param, ...]
    marks: tuple[Invoke, ...]
    """Decorators and attributes."""
    doc: str
    body: tuple[Statement, ...]
    line: int
    last: int
    column: int
    start: int
    end: int
    """Offsets in bytes, ``end`` excluded."""
    captured: tuple[str, ...] = ()
    """Variables that a closure takes with it."""
    tag: ClassVar[str] = "function"

    @property
    def fewest(self) -> int:
        """How many arguments it must be given."""
        return sum(p.default is None and p.way in ("", "&") for p in self.params)

    @property
    def most(self) -> int | None:
        """How many it can be given by position; None: any number."""
        return None if any(p.way == "*" for p in self.params) else sum(p.way in ("", "&") for p in self.params)


Expression = Lit | Var | Op | Items | Invoke | Fn | Opaque
Statement = Do | Let | If | Each | Declare | Return | Print | Halt | BlockBody


class Code(_Node, frozen=True, tag="code"):
    """All that one file says."""

    functions: tuple[Function, ...] = ()
    body: tuple[Statement, ...] = ()
    classes: tuple[tuple[str, str], ...] = ()
    """Classes with the one that each extends."""
    extends: tuple[Expression, ...] = ()
    """For a template: what it extends."""
    unread: str = ""
    """Why the file was not read, where it was not."""
    sound: bool = False
    """Known to have no syntax error, so that nobody need look again."""
    tag: ClassVar[str] = "code"


Node = Any
"""Any of the above."""


def spreads(argument: Expression) -> bool:
    """Whether an argument stands for as many as a list has."""
    return isinstance(argument, Op) and argument.op == "*"


MOST_ITEMS = 1000
"""Longer lists are not looked into."""

_INSIDE: dict[str, tuple[tuple[str, str], ...]] = {
    "op": (("parts", "l"),),
    "items": (("pairs", "p"),),
    "call": (("on", "n"), ("arguments", "l"), ("named", "q")),
    "?": (("parts", "l"),),
    "do": (("value", "n"),),
    "let": (("value", "n"),),
    "if": (("test", "n"), ("then", "l"), ("other", "l")),
    "each": (("over", "n"), ("body", "l")),
    "return": (("value", "n"),),
    "print": (("value", "n"),),
    "part": (("body", "l"),),
    "param": (("default", "n"),),
    "function": (("params", "l"), ("marks", "l"), ("body", "l")),
    "code": (("functions", "l"), ("body", "l"), ("extends", "l")),
}
"""Tag -> the fields in which nodes stand: ``n`` a node or None, ``l`` nodes, ``p`` pairs of nodes, ``q`` names with nodes."""


def children(node: Node) -> Iterator[Node]:
    """The nodes directly inside one."""
    for field, kind in _INSIDE.get(node.tag, ()):
        value = getattr(node, field)
        if kind == "n":
            if value is not None:
                yield value
        elif kind == "l":
            yield from value
        elif kind == "p":
            for key, item in value:
                yield item
                if key is not None:
                    yield key
        else:
            yield from (item for _, item in value)


def walk(node: Node) -> Iterator[Node]:
    """A node and all inside it, in the order in which they stand."""
    waiting = [node]
    while waiting:
        found = waiting.pop()
        yield found
        if found.tag in _INSIDE:
            waiting.extend(reversed(list(children(found))))


def always_returns(body: tuple[Node, ...]) -> bool:
    """Say whether every path through statements returns a value (or leaves by an error)."""
    for statement in body:
        if statement.tag == "return":
            return statement.value is not None
        if statement.tag == "halt":
            return True
        if statement.tag == "if" and statement.other and all(map(always_returns, (statement.then, statement.other))):
            return True
    return False
