"""What code says, in a form that every language shares: expressions, statements, functions, classes.

Plain structures, so that they are made fast and go to the cache as they are; each class has its tag. Everything that a grammar can say
is one of them: what can't be said exactly is :class:`Opaque`, with all that it may do.
Nothing here says what a call *means*: that stands in the platform file. What an operation gives stands in the language's semantics.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import ClassVar

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
    """An operation on values: ``.`` joins as text, ``+ - *``, ``== != < >``, ``not and or``, ``?:``, ``[]``, ``attr`` …

    Of ``and``, ``or``, ``??``, ``?:``, ``isset`` and ``empty`` not every part is done. ``?attr`` is ``attr``, or nothing where there is no object;
    ``static`` a property of a class, ``constant`` a constant of one, both with the class first; ``handle`` the function that its one part, a
    call, would call; ``escape`` a text as a template prints it; ``await`` what a coroutine returns; ``eval`` and
    ``exec`` what code in a text gives;
    ``sequence``, ``mapping``, ``has attr``, ``matched``, ``listed``, ``without`` and ``complex`` are what patterns ask of a value.
    """

    op: str
    parts: tuple[Expression, ...]
    tag: ClassVar[str] = "op"


class ClassName(_Node, frozen=True, tag="class-name"):
    """A class, by its full name; ``self``, ``static`` and ``parent`` stand for what they mean where they stand."""

    name: str
    tag: ClassVar[str] = "class-name"


class Items(_Node, frozen=True, tag="items"):
    """A list or table written out: pairs of key (None: the next number) and value. As a target, its values are targets."""

    pairs: tuple[tuple[Expression | None, Expression], ...]
    kind: str = "table"
    """``table`` where a language has one kind only, else ``list``, ``tuple``, ``set`` or ``dict``."""
    tag: ClassVar[str] = "items"


class Assignment(_Node, frozen=True, tag="assign"):
    """A target gets a value, and that is what comes of it.

    A target is a variable, an item (``[]``, without a key: one more), an attribute (``attr``, ``static``), several of them (:class:`Items`), or
    opaque. ``op`` is what the former value and the new one are put together by; ``=&`` makes the target another name of what it is given;
    ``++`` and ``--`` step.
    """

    target: Expression
    value: Expression
    op: str = ""
    after: bool = False
    """What comes of it is the former value."""
    tag: ClassVar[str] = "assign"


class Invoke(_Node, frozen=True, tag="call"):
    """A call. ``on`` is what a method is called on; ``name`` is empty where it is computed (then ``on`` computes it).

    ``C::m`` is a method of a class, ``::m`` one of the class that ``on`` gives; ``new C`` makes an object, ``new`` alone one of what ``on`` gives.
    A bare name that stands in a namespace has that before it; where nothing is called so, the last part of it counts.
    """

    name: str
    on: Expression | None
    arguments: tuple[Expression, ...]
    named: tuple[tuple[str, Expression], ...]
    line: int
    column: int
    safe: bool = False
    """Gives nothing where ``on`` is nothing."""
    tag: ClassVar[str] = "call"


class Fn(_Node, frozen=True, tag="fn"):
    """A function written as a value; the number of it in its file."""

    number: int
    tag: ClassVar[str] = "fn"


class Arm(_Node, frozen=True, tag="arm"):
    """One way of a :class:`Matching`; no tests: the one that is left."""

    tests: tuple[Expression, ...]
    value: Expression
    tag: ClassVar[str] = "arm"


class Matching(_Node, frozen=True, tag="match"):
    """The value of the first arm of which a test is identical with the subject; none: an error."""

    subject: Expression
    arms: tuple[Arm, ...]
    tag: ClassVar[str] = "match"


class Leave(_Node, frozen=True, tag="leave"):
    """Nothing after it runs: ``throw`` raises a value (None: the one that is being handled), ``exit`` ends the program."""

    how: str
    value: Expression | None = None
    tag: ClassVar[str] = "leave"


class Yield(_Node, frozen=True, tag="yield"):
    """A generator gives a value, and gets one."""

    parts: tuple[Expression, ...] = ()
    all: bool = False
    """It gives all that its part gives."""
    tag: ClassVar[str] = "yield"


class Comprehend(_Node, frozen=True, tag="comprehend"):
    """A comprehension: in a scope of its own, loops and conditions, and the value that each turn gives (two: key and value)."""

    kind: str
    """``list``, ``set``, ``dict`` or ``generator``."""
    values: tuple[Expression, ...]
    clauses: tuple[Clause, ...]
    tag: ClassVar[str] = "comprehend"


class Clause(_Node, frozen=True, tag="clause"):
    """``for item in value``, or ``if value`` where there is no item."""

    item: Expression | None
    value: Expression
    tag: ClassVar[str] = "clause"


class Opaque(_Node, frozen=True, tag="?"):
    """What can't be followed: nobody knows what comes of it. Its parts are done, one after the other.

    It may do more: write names (``*``: any name of its scope), call functions (``*``: any), or leave by an error.
    """

    text: str
    parts: tuple[Expression, ...] = ()
    sure: bool = True
    """Its parts are done, once each; else some of them, in any order, any number of times."""
    writes: tuple[str, ...] = ()
    calls: tuple[str, ...] = ()
    tag: ClassVar[str] = "?"


class Do(_Node, frozen=True, tag="do"):
    """An expression that is there for what it does."""

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
    """A choice between two bodies."""

    test: Expression
    then: tuple[Statement, ...]
    other: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "if"


class Each(_Node, frozen=True, tag="each"):
    """A loop over items; ``key`` and ``item`` are its targets."""

    key: Expression | None
    item: Expression | None
    over: Expression
    body: tuple[Statement, ...]
    line: int
    other: tuple[Statement, ...] = ()
    """Run where the loop was not broken off."""
    aliases: bool = False
    """``item`` is another name of each item."""
    scoped: bool = False
    """What a turn sets is over with it."""
    tag: ClassVar[str] = "each"


class While(_Node, frozen=True, tag="while"):
    """A loop as long as its test holds."""

    test: Expression
    body: tuple[Statement, ...]
    line: int
    step: tuple[Expression, ...] = ()
    """Done after each turn."""
    other: tuple[Statement, ...] = ()
    first: bool = False
    """The body is run before the test."""
    tag: ClassVar[str] = "while"


class Case(_Node, frozen=True, tag="case"):
    """One case of a :class:`Switch`; no test: the one for all that are left."""

    test: Expression | None
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "case"


class Switch(_Node, frozen=True, tag="switch"):
    """Goes on at the first case that equals the subject, and from there through the next ones."""

    subject: Expression
    cases: tuple[Case, ...]
    line: int
    tag: ClassVar[str] = "switch"


class Handler(_Node, frozen=True, tag="handler"):
    """What is done about errors of some classes (none: of all)."""

    types: tuple[Expression, ...]
    name: str
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "handler"


class Try(_Node, frozen=True, tag="try"):
    """A body, what handles its errors, and what runs in any case."""

    body: tuple[Statement, ...]
    handlers: tuple[Handler, ...]
    other: tuple[Statement, ...]
    """Run where no error came."""
    last: tuple[Statement, ...]
    """Run in any case."""
    line: int
    tag: ClassVar[str] = "try"


class With(_Node, frozen=True, tag="with"):
    """Contexts (value and target) round statements; a context may swallow an error."""

    contexts: tuple[tuple[Expression, Expression | None], ...]
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "with"


class Declare(_Node, frozen=True, tag="declare"):
    """A function is declared here; its number in the file."""

    number: int
    line: int
    tag: ClassVar[str] = "declare"


class DeclareClass(_Node, frozen=True, tag="declare-class"):
    """A class is declared here; its number in the file."""

    number: int
    line: int
    tag: ClassVar[str] = "declare-class"


class Scope(_Node, frozen=True, tag="scope"):
    """Names of this scope stand for those of another one: ``global``, ``nonlocal``, or ``static`` (kept from call to call, with their first values)."""

    how: str
    names: tuple[str, ...]
    values: tuple[Expression | None, ...]
    line: int
    tag: ClassVar[str] = "scope"


class Unset(_Node, frozen=True, tag="unset"):
    """Targets are there no more."""

    targets: tuple[Expression, ...]
    line: int
    tag: ClassVar[str] = "unset"


class Return(_Node, frozen=True, tag="return"):
    """The end of a function, with what it gives."""

    value: Expression | None
    line: int
    tag: ClassVar[str] = "return"


class Jump(_Node, frozen=True, tag="jump"):
    """``break`` or ``continue``, out of so many loops; ``goto``."""

    how: str
    levels: int
    label: str
    line: int
    tag: ClassVar[str] = "jump"


class Label(_Node, frozen=True, tag="label"):
    """A place that a jump may name."""

    name: str
    line: int
    tag: ClassVar[str] = "label"


class Print(_Node, frozen=True, tag="print"):
    """Something put out."""

    value: Expression
    line: int
    tag: ClassVar[str] = "print"


class Capture(_Node, frozen=True, tag="capture"):
    """What statements print is held back; a target may get it."""

    body: tuple[Statement, ...]
    target: Expression | None
    line: int
    tag: ClassVar[str] = "capture"


class BlockBody(_Node, frozen=True, tag="part"):
    """A named block of a template."""

    name: str
    body: tuple[Statement, ...]
    line: int
    tag: ClassVar[str] = "part"


class Param(_Node, frozen=True, tag="param"):
    """A parameter of a function."""

    name: str
    default: Expression | None = None
    type: str = ""
    way: str = ""
    """``*`` takes all that are left, ``**`` all named ones, ``&`` by reference, ``&*`` all that are left by reference, ``!`` by name only,
    ``/`` by position only."""
    promoted: bool = False
    """The argument becomes an attribute of the object."""
    modifiers: tuple[str, ...] = ()
    """Those of that attribute."""
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
    """Variables that a closure takes with it (``*``: all that it names); with ``&``, as another name of the same."""
    own: tuple[str, ...] = ()
    """Names that are its own wherever they are assigned, in languages that know before."""
    generates: bool = False
    """A call gives a generator, and runs nothing yet."""
    modifiers: tuple[str, ...] = ()
    """``static``, ``abstract``, ``private``, ``async``, ``&`` (gives a reference) …"""
    returns: str = ""
    """The type that it says it gives."""
    decorators: tuple[Expression, ...] = ()
    """What is called with it where it is declared, the last one first."""
    tag: ClassVar[str] = "function"

    @property
    def fewest(self) -> int:
        """How many arguments it must be given."""
        return sum(p.default is None and p.way in ("", "&", "/") for p in self.params)

    @property
    def most(self) -> int | None:
        """How many it can be given by position; None: any number."""
        return (
            None
            if any(p.way in ("*", "&*") for p in self.params)
            else sum(p.way in ("", "&", "/") for p in self.params)
        )


class Member(_Node, frozen=True, tag="member"):
    """A constant, property or case of a class."""

    kind: str
    """``constant``, ``property``, ``static`` (a property of the class itself), ``case``, or ``field`` (a name with a type, in Python)."""
    name: str
    value: Expression | None
    line: int
    type: str = ""
    modifiers: tuple[str, ...] = ()
    """``private``, ``protected``, ``readonly`` …"""
    tag: ClassVar[str] = "member"


class Adapted(_Node, frozen=True, tag="adapted"):
    """What a class makes of a method of its traits: another name or visibility for it, or that it goes before those of other traits."""

    trait: str
    """Empty: whichever has the method."""
    method: str
    alias: str = ""
    visibility: str = ""
    before: tuple[str, ...] = ()
    """Traits whose method of that name is passed over."""
    tag: ClassVar[str] = "adapted"


class Class(_Node, frozen=True, tag="class"):
    """One class, interface, trait or enumeration."""

    name: str
    kind: str
    bases: tuple[str, ...]
    """What it extends; interfaces are ``interfaces``."""
    members: tuple[Member, ...]
    methods: tuple[int, ...]
    """Their numbers in the file."""
    line: int
    last: int
    start: int
    end: int
    interfaces: tuple[str, ...] = ()
    traits: tuple[str, ...] = ()
    body: tuple[Statement, ...] = ()
    """What runs while it is declared, in languages where something does."""
    marks: tuple[Invoke, ...] = ()
    unclear: str = ""
    """Why not all of its members are known."""
    modifiers: tuple[str, ...] = ()
    """``abstract``, ``final``, ``readonly``."""
    adapted: tuple[Adapted, ...] = ()
    decorators: tuple[Expression, ...] = ()
    """What is called with it where it is declared, the last one first."""
    keywords: tuple[tuple[str, Expression], ...] = ()
    """What is given to those above it by name; ``metaclass`` is what makes its objects."""
    tag: ClassVar[str] = "class"


Expression = (
    Lit | Var | Op | ClassName | Items | Assignment | Invoke | Fn | Matching | Leave | Yield | Comprehend | Opaque
)  # fmt: skip
Statement = (
    Do | Let | If | Each | While | Switch | Try | With | Declare | DeclareClass | Scope | Unset | Return | Jump | Label | Print | Capture | BlockBody
)  # fmt: skip
Piece = Expression | Statement | Arm | Clause | Case | Handler | Param | Function | Member | Adapted | Class


class Code(_Node, frozen=True, tag="code"):
    """All that one file says."""

    functions: tuple[Function, ...] = ()
    body: tuple[Statement, ...] = ()
    classes: tuple[Class, ...] = ()
    extends: tuple[Expression, ...] = ()
    """For a template: what it extends."""
    unread: str = ""
    """Why the file was not read, where it was not."""
    sound: bool = False
    """Known to have no syntax error, so that nobody need look again."""
    strict: bool = False
    """What it calls is given no value of another type than is asked for."""
    tag: ClassVar[str] = "code"


Node = Piece | Code
"""Any of the above."""

ANY = ("*",)
"""Any name, any function."""


def anything(text: str, parts: tuple[Expression, ...] = ()) -> Opaque:
    """What may do whatever can be done where it stands."""
    return Opaque(text, parts, False, ANY, ANY)


def spreads(argument: Expression) -> bool:
    """Whether an argument stands for as many as a list has."""
    return isinstance(argument, Op) and argument.op in ("*", "**") and len(argument.parts) == 1


MOST_ITEMS = 1000
"""Longer lists are not looked into."""

_NAMED = re.compile(r"\b(Adapted|Expression|Statement|Arm|Clause|Case|Handler|Param|Invoke|Function|Member|Class)\b")
_FIELDS: dict[type, tuple[str, ...]] = {}


def children(node: Node) -> Iterator[Node]:
    """The nodes directly inside one, in the order of its fields."""
    kind = type(node)
    fields = _FIELDS.get(kind)
    if fields is None:
        fields = _FIELDS[kind] = tuple(f for f in kind.__struct_fields__ if _NAMED.search(kind.__annotations__[f]))
    for field in fields:
        yield from _nodes(getattr(node, field))


def _nodes(value: object) -> Iterator[Node]:
    if isinstance(value, tuple):
        for each in value:
            yield from _nodes(each)
    elif isinstance(value, _Node):
        yield value  # type: ignore[misc]


def walk(node: Node) -> Iterator[Node]:
    """A node and all inside it, in the order in which they stand."""
    waiting = [node]
    while waiting:
        found = waiting.pop()
        yield found
        if not isinstance(found, Lit | Var):
            waiting.extend(reversed(list(children(found))))


def declared_in(code: Code) -> frozenset[tuple[str, str]]:
    """All functions and classes of a file, by kind and name in small letters."""
    functions = {("function", f.name.lower()) for f in code.functions if f.name and "::" not in f.name}
    return frozenset(functions | {("class", c.name.lower()) for c in code.classes})


def declared_plainly(code: Code) -> frozenset[tuple[str, str]]:
    """Functions and classes that a file declares in any case, by kind and name in small letters."""
    functions = {("function", code.functions[s.number].name.lower()) for s in code.body if isinstance(s, Declare)}
    return frozenset(
        functions | {("class", code.classes[s.number].name.lower()) for s in code.body if isinstance(s, DeclareClass)}
    )


def bodies(code: Code) -> Iterator[Node]:
    """All that is run of a file, wherever it stands: statements, those of functions, and what classes hold."""
    yield from code.body
    for function in code.functions:
        yield from function.body
    for each in code.classes:
        yield from each.body
        yield from each.members


def always_returns(body: tuple[Statement, ...]) -> bool:
    """Say whether every path through statements returns a value (or leaves by an error)."""
    for statement in body:
        if isinstance(statement, Return):
            return statement.value is not None
        if isinstance(statement, Do) and isinstance(statement.value, Leave):
            return True
        if (
            isinstance(statement, If)
            and statement.other
            and all(map(always_returns, (statement.then, statement.other)))
        ):
            return True
        if isinstance(statement, Try) and (always_returns(statement.last) or _try_returns(statement)):
            return True
    return False


def _try_returns(statement: Try) -> bool:
    ways = [(*statement.body, *statement.other), *(handler.body for handler in statement.handlers)]
    return all(map(always_returns, ways))
