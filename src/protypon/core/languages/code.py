"""What code says, in a form that every language shares: expressions, statements, functions.

Plain named tuples, so that they are made fast and go to the cache as they are. The last field of each is its tag.
Nothing here says what a call *means*: that stands in the platform file.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

Node = Any
"""One of the expressions or statements below."""


class Lit(NamedTuple):
    """A text, number, truth value or nothing."""

    value: str | int | float | bool | None
    tag: str = "lit"


class Var(NamedTuple):
    """A variable, or a bare name (of a constant or function)."""

    name: str
    tag: str = "var"


class Op(NamedTuple):
    """An operation on values: ``.`` joins as text, ``+ - *``, ``== != < >``, ``not and or``, ``?:``, ``[]``, ``attr``, ``set`` (of an attribute);
    ``maybe`` does its parts or not, and gives what can't be known."""

    op: str
    parts: tuple[Node, ...]
    tag: str = "op"


class Items(NamedTuple):
    """A list or table written out: pairs of key (None: the next number) and value."""

    pairs: tuple[tuple[Node | None, Node], ...]
    tag: str = "items"


class Invoke(NamedTuple):
    """A call. ``on`` is what a method is called on; ``name`` is empty where it is computed (then ``on`` computes it).

    A bare name that stands in a namespace has that before it; where nothing is called so, the last part of it counts.
    """

    name: str
    on: Node | None
    arguments: tuple[Node, ...]
    named: tuple[tuple[str, Node], ...]
    line: int
    column: int
    tag: str = "call"


class Fn(NamedTuple):
    """A function written as a value; the number of it in its file."""

    number: int
    tag: str = "fn"


class Opaque(NamedTuple):
    """What can't be known without running it; its parts are done."""

    text: str
    parts: tuple[Node, ...] = ()
    tag: str = "?"


class Do(NamedTuple):
    value: Node
    line: int
    tag: str = "do"


class Let(NamedTuple):
    """A variable gets a value."""

    name: str
    value: Node
    line: int
    tag: str = "let"


class If(NamedTuple):
    test: Node
    then: tuple[Node, ...]
    other: tuple[Node, ...]
    line: int
    tag: str = "if"


class Each(NamedTuple):
    """A loop over items; ``key`` and ``item`` name its variables."""

    key: str
    item: str
    over: Node
    body: tuple[Node, ...]
    line: int
    tag: str = "each"


class Declare(NamedTuple):
    """A function is declared here; its number in the file."""

    number: int
    line: int
    tag: str = "declare"


class Return(NamedTuple):
    value: Node | None
    line: int
    tag: str = "return"


class Print(NamedTuple):
    value: Node
    line: int
    tag: str = "print"


class Halt(NamedTuple):
    """Nothing after it runs: the function (or program) is left by an error or an exit."""

    line: int
    tag: str = "halt"


class BlockBody(NamedTuple):
    """A named block of a template."""

    name: str
    body: tuple[Node, ...]
    line: int
    tag: str = "part"


class Param(NamedTuple):
    name: str
    default: Node | None = None
    type: str = ""
    way: str = ""
    """``*`` takes all that are left, ``**`` all named ones, ``&`` by reference, ``!`` by name only."""
    tag: str = "param"


class Function(NamedTuple):
    """One function, method or closure."""

    name: str
    """Empty for a closure; ``Class::name`` for a method."""
    params: tuple[Param, ...]
    marks: tuple[Invoke, ...]
    """Decorators and attributes."""
    doc: str
    body: tuple[Node, ...]
    line: int
    last: int
    column: int
    start: int
    end: int
    """Offsets in bytes, ``end`` excluded."""
    captured: tuple[str, ...] = ()
    """Variables that a closure takes with it."""
    tag: str = "function"

    @property
    def fewest(self) -> int:
        """How many arguments it must be given."""
        return sum(p.default is None and p.way in ("", "&") for p in self.params)

    @property
    def most(self) -> int | None:
        """How many it can be given by position; None: any number."""
        return None if any(p.way == "*" for p in self.params) else sum(p.way in ("", "&") for p in self.params)


class Code(NamedTuple):
    """All that one file says."""

    functions: tuple[Function, ...] = ()
    body: tuple[Node, ...] = ()
    classes: tuple[tuple[str, str], ...] = ()
    """Classes with the one that each extends."""
    extends: tuple[Node, ...] = ()
    """For a template: what it extends."""
    unread: str = ""
    """Why the file was not read, where it was not."""
    sound: bool = False
    """Known to have no syntax error, so that nobody need look again."""
    tag: str = "code"


MOST_ITEMS = 1000
"""Longer lists are not looked into."""

_CODEC: dict[str, tuple[Any, str]] = {
    "lit": (Lit, "."), "var": (Var, "."), "op": (Op, ".l"), "items": (Items, "p"), "call": (Invoke, ".nlq.."),
    "fn": (Fn, "."), "?": (Opaque, ".l"), "do": (Do, "n."), "let": (Let, ".n."), "if": (If, "nll."), "each": (Each, "..nl."),
    "declare": (Declare, ".."), "return": (Return, "n."), "print": (Print, "n."), "halt": (Halt, "."), "part": (BlockBody, ".l."),
    "param": (Param, ".n.."), "function": (Function, ".ll.l.....t"), "code": (Code, "llPl.."),
}  # fmt: skip
"""Tag -> class, and of each field: ``n`` a node or None, ``l`` nodes, ``p`` pairs of nodes, ``q`` names with nodes, ``t`` texts."""


def unpacked(row: Any) -> Any:
    """The inverse of writing a node as JSON."""
    if row is None:
        return None
    cls, shape = _CODEC[row[-1]]
    return cls(*[_FIELDS[kind](value) for kind, value in zip(shape, row[:-1], strict=True)])


_FIELDS: dict[str, Any] = {
    ".": lambda value: value,
    "n": unpacked,
    "l": lambda rows: tuple([unpacked(row) for row in rows]),
    "p": lambda rows: tuple([(unpacked(key), unpacked(value)) for key, value in rows]),
    "q": lambda rows: tuple([(name, unpacked(value)) for name, value in rows]),
    "t": tuple,
    "P": lambda rows: tuple([tuple(row) for row in rows]),
}


def children(node: Node) -> Iterator[Node]:
    """The nodes directly inside one."""
    _, shape = _CODEC[node[-1]]
    for kind, value in zip(shape, node, strict=False):
        if kind == "n" and value is not None:
            yield value
        elif kind == "l":
            yield from value
        elif kind == "p":
            for key, item in value:
                yield item
                if key is not None:
                    yield key
        elif kind == "q":
            yield from (item for _, item in value)


def walk(node: Node) -> Iterator[Node]:
    """A node and all inside it, in the order in which they stand."""
    waiting = [node]
    while waiting:
        found = waiting.pop()
        yield found
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
