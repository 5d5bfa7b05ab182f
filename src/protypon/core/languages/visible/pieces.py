"""What a source prints, as pieces in the order in which they stand: texts, and holes for what is filled in at run time."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from protypon.core.languages import code as c
from protypon.core.languages.code import Code
from protypon.core.languages.holes import pieces as filled_in

FILE = -1
"""In the place of the number of a function: what a file itself prints."""
_LITERAL = re.compile(r"\"((?:[^\"\\\n]|\\.)*)\"|'((?:[^'\\\n]|\\.)*)'")
_NAME = re.compile(r"[A-Za-z_]\w*(?:\.\w+)*")
_SAYS = re.compile(r"\{%[-+]?\s*(?:set|trans|call|with|macro)\b")
"""Statements of Jinja whose texts may be printed by others."""
_PLACEHOLDER = re.compile(r"%(?:\(\w+\)|\d+\$)?[-+#0]*\d*(?:\.\d+)?[a-zA-Z]|\{\w*(?:[.:!,][^{}]*)?\}")
"""What a formatting function fills in: of C's printf (ISO C, 7.21.6.1) as PHP and Python have it, and of ``str.format``."""


class Shard(NamedTuple):
    """One text, or one hole."""

    text: str
    line: int
    names: tuple[str, ...] | None = None
    """Of a hole, what stands in it: texts, names with dots, and what is called. None: a text."""
    perhaps: bool = False
    """It may be left out: it stands under a condition, or is handed to something that may print it."""


class Flow(NamedTuple):
    """What one function prints or gives back, or what a file prints outside of any."""

    function: int
    """Its number in the file's code; :data:`FILE` for none."""
    shards: list[Shard]


def printed_by_code(code: Code) -> Iterator[Flow]:
    """The flows of a file whose code is read: what it prints itself, then each of its functions."""
    yield Flow(FILE, list(_statements(code.body, False)))
    for number, function in enumerate(code.functions):
        yield Flow(number, list(_statements(function.body, False)))
    members = [member for each in code.classes for member in each.members if member.value is not None]
    for member in members:
        yield Flow(FILE, list(_expression(member.value, member.line, True)) if member.value is not None else [])


def printed_by_markup(text: str) -> Flow:
    """The flow of a template of which only its marks are read.

    >>> printed_by_markup('<p>Open {{ text("all.year") }}</p>').shards[1]
    Shard(text='', line=1, names=('all.year', 'text'), perhaps=False)
    """
    shards: list[Shard] = []
    at, line = 0, 1
    for begin, end in [*filled_in(text), (len(text), len(text))]:
        if begin > at:
            shards.append(Shard(text[at:begin], line))
        line += text.count("\n", at, begin)
        if end > begin and not text.startswith("{#", begin):
            shards += _fill_hole(text[begin:end], line)
        line += text.count("\n", begin, end)
        at = end
    return Flow(FILE, shards)


def _fill_hole(piece: str, line: int) -> Iterator[Shard]:
    """A hole, with the texts that stand in it as what may come out."""
    inner = piece[2:-2]
    texts = [found[1] or found[2] or "" for found in _LITERAL.finditer(inner)]
    names = _NAME.findall(_LITERAL.sub(" ", inner))
    hole = Shard("", line, (*texts, *(n for name in names for n in _endings(name))))
    yield hole
    if piece.startswith("{{") or _SAYS.match(piece):
        for each in texts:
            yield from _passed_text(each, line)


def _passed_text(text: str, line: int) -> Iterator[Shard]:
    """A text that is given to something that may print it, with what that fills in as holes."""
    at = 0
    for found in _PLACEHOLDER.finditer(text):
        yield Shard(text[at : found.start()], line, None, True)
        yield Shard("", line, ())
        at = found.end()
    yield Shard(text[at:], line, None, True)
    yield Shard("", line, ())


def format_pieces(text: str, line: int) -> list[Shard]:
    """A text of which a formatting function may fill in parts."""
    return [s._replace(perhaps=False) for s in list(_passed_text(text, line))[:-1]]


def _endings(name: str) -> Iterator[str]:
    """A name with dots, and what is left of it without its first parts."""
    parts = name.split(".")
    return (".".join(parts[begin:]) for begin in range(len(parts)))


def _statements(body: Iterable[c.Node], perhaps: bool) -> Iterator[Shard]:
    for statement in body:
        yield from _statement(statement, perhaps)


def _statement(s: c.Node, perhaps: bool) -> Iterator[Shard]:
    match s:
        case c.Print(value=value, line=line):
            yield from _expression(value, line, perhaps)
        case c.BlockBody(body=body):
            yield from _statements(body, perhaps)
        case c.Declare() | c.DeclareClass():
            return
        case c.Do(value=value, line=line) | c.Let(value=value, line=line):
            yield from _aside(value, line)
        case c.Return(value=value, line=line):
            if value is not None:
                yield Shard("", line, ())
                yield from _expression(value, line, False)
                yield Shard("", line, ())
        case _:
            line = getattr(s, "line", 0)
            for inner in c.children(s):
                yield Shard("", line, ())
                yield from _statement(inner, True) if _is_statement(inner) else _aside(inner, line)
            yield Shard("", line, ())


def _is_statement(node: c.Node) -> bool:
    return hasattr(node, "line") and not isinstance(node, c.Invoke)


def _aside(value: c.Node, line: int) -> Iterator[Shard]:
    """What is worked out and may be printed later."""
    yield Shard("", line, ())
    yield from _expression(value, line, True)
    yield Shard("", line, ())


def _expression(e: c.Node, line: int, perhaps: bool) -> Iterator[Shard]:
    """What comes out where a value is printed."""
    match e:
        case c.Lit(value=bool() | None):
            return
        case c.Lit(value=value):
            yield Shard(str(value), line, None, perhaps)
        case c.Op(op="." | "escape" | "format", parts=parts):
            for part in parts[:1] if e.op != "." else parts:
                yield from _expression(part, line, perhaps)
        case c.Invoke(arguments=arguments, named=named):
            yield Shard("", e.line, tuple(_names(e)))
            for argument in (*arguments, *(value for _, value in named)):
                if isinstance(argument, c.Lit) and isinstance(argument.value, str):
                    yield from _passed_text(argument.value, e.line)
                elif not isinstance(argument, c.Var | c.Lit):
                    yield from _aside(argument, e.line)
            if e.on is not None:
                yield from _aside(e.on, e.line)
        case c.Fn():
            return
        case _:
            yield Shard("", line, tuple(_names(e)))
            for inner in c.children(e):
                if not isinstance(inner, c.Var):
                    yield from _aside(inner, line)


def _names(node: c.Node) -> Iterator[str]:
    """What stands in a value by name: texts, what is called, and keys one inside the other."""
    for each in c.walk(node):
        match each:
            case c.Lit(value=str() as text):
                yield text
            case c.Invoke(name=name) if name:
                yield name
            case c.Op(op="attr" | "[]" | "?attr"):
                chain = _chain(each)
                yield from _endings(".".join(chain)) if chain else ()
            case c.Var(name=name):
                yield name
            case _:
                pass


def _chain(node: c.Node) -> list[str]:
    """A name, and the keys that are asked of it; nothing where one of them is made at run time."""
    if isinstance(node, c.Var):
        return [node.name]
    if isinstance(node, c.Op) and len(node.parts) == 2 and isinstance(node.parts[1], c.Lit):
        before = _chain(node.parts[0])
        return [*before, str(node.parts[1].value)] if before else []
    return []
