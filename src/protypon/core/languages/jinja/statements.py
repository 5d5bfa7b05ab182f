"""The statements of Jinja, each read with its body; what Jinja does not take is noted, and the reading goes on behind it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from protypon.core.languages.code import Expression, Invoke, Lit, Var
from protypon.core.languages.jinja.bodies import INNER, Bodies
from protypon.core.languages.jinja.expressions import Expressions
from protypon.core.languages.jinja.lexer import Tag
from protypon.core.languages.jinja.tokens import Refused
from protypon.core.languages.jinja.tree import (
    Assign,
    AssignBody,
    BlockTag,
    Branches,
    CallTag,
    Evaluated,
    JumpTag,
    Loop,
    MacroTag,
    Naming,
    Output,
    Statement,
    Text,
    Translated,
    Unread,
    Wrapped,
)


def read_statement(p: Bodies, tag: Tag, word: str) -> list[Statement]:
    """Read one statement whose tag has been gone over, with its body."""
    line = p.line_of(tag.start)
    read = _STATEMENTS.get(word)
    if read is None:
        if word in INNER or tag.tokens[0].kind != "name":
            p.is_wrong(tag.start)
        p.strange = True
        return [Unread(line, word)]
    tokens = Expressions(tag.tokens, p.line_of)
    tokens.step()
    try:
        return read(p, tag, tokens, line)
    except Refused as error:
        p.is_wrong(error.at)
        return [Unread(line, word)]


def _body_begins(tokens: Expressions) -> None:
    """Nothing more stands in a tag but a colon."""
    tokens.skip(":")
    tokens.finish()


def if_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``if`` with its branches."""
    branches = []
    other: tuple[Statement, ...] = ()
    test = tokens.expression_list(conditional=False)
    _body_begins(tokens)
    while True:
        body, end = p.inner(tag.start, ("elif", "else", "endif"))
        branches.append((test, body, p.line_of(tag.start)))
        if end is None:
            break
        if end.tokens[0].text == "elif":
            tag, test = end, _test(p, end)
            continue
        if end.tokens[0].text == "else":
            _else_begins(p, end)
            other = p.closed_body(end.start, "endif")
        else:
            p.no_more(end)
        break
    return [Branches(line, tuple(branches), other)]


def _test(p: Bodies, tag: Tag) -> Expression:
    """The test of an ``elif``; the branches around it are read whatever stands there."""
    tokens = Expressions(tag.tokens, p.line_of)
    tokens.step()
    try:
        test = tokens.expression_list(conditional=False)
        _body_begins(tokens)
    except Refused as error:
        p.is_wrong(error.at)
        return Lit(None)
    return test


def _else_begins(p: Bodies, tag: Tag) -> None:
    if [t.text for t in tag.tokens[1:-1]] not in ([], [":"]):
        p.is_wrong(tag.tokens[1].at)


def for_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``for`` with its condition and what comes where nothing is gone through."""
    names = _targets(p, tokens, ("in",))
    tokens.expect("in")
    over = tokens.expression_list(("recursive",), conditional=False)
    test = tokens.expression() if tokens.skip("if") else None
    recursive = tokens.skip("recursive")
    _body_begins(tokens)
    body, end = p.inner(tag.start, ("endfor", "else"))
    other: tuple[Statement, ...] = ()
    if end is not None and end.tokens[0].text == "else":
        _else_begins(p, end)
        other = p.closed_body(end.start, "endfor")
    elif end is not None:
        p.no_more(end)
    return [Loop(line, names, over, test, recursive, body, other)]


def block_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``block``."""
    name = tokens.name()
    tokens.skip("scoped")
    required = tokens.skip("required")
    try:
        _body_begins(tokens)
    except Refused as error:
        p.is_wrong(error.at)
    body, end = p.inner(tag.start, ("endblock",))
    if required and not all(isinstance(s, Text) and s.text.isspace() for s in body):
        p.is_wrong(tag.start)
    if end is not None and [t.text for t in end.tokens[1:-1]] not in ([], [name]):
        p.is_wrong(end.tokens[1].at)
    stop = end.start if end is not None else len(p.text)
    return [BlockTag(line, name, body, p.line_of(stop), tag.end, stop)]


def naming_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """``extends``, ``include``, ``import`` or ``from``; of one that can't be read, that it names something."""
    word = tag.tokens[0].text
    how, column = "import" if word == "from" else word, p.lines.at(tag.start)[1]
    try:
        template = tokens.expression()
        optional, names = False, tuple[str, ...]()
        if word == "import":
            tokens.expect("as")
            names = (tokens.target(),)
        elif word == "from":
            names = _imported_names(p, tokens)
        elif word == "include" and tokens.text == "ignore" and tokens.next_is("missing"):
            tokens.step()
            tokens.step()
            optional = True
        if word != "extends" and word != "from":
            _context(p, tokens)
        tokens.finish()
    except Refused as error:
        p.is_wrong(error.at)
        return [Naming(line, how, Invoke("", None, (), (), line, 1), column)]
    return [Naming(line, how, template, column, optional, names)]


def _context(p: Bodies, tokens: Expressions) -> bool:
    if tokens.text in ("with", "without") and tokens.next_is("context"):
        tokens.step()
        tokens.step()
        return True
    return False


def _imported_names(p: Bodies, tokens: Expressions) -> tuple[str, ...]:
    """The names that a ``from`` binds."""
    tokens.expect("import")
    names: list[str] = []
    while True:
        if names:
            tokens.expect(",")
        if _context(p, tokens):
            break
        at, name = tokens.at, tokens.target()
        if name.startswith("_"):
            raise Refused(at)
        names.append(tokens.target() if tokens.skip("as") else name)
        if _context(p, tokens) or tokens.text != ",":
            break
    return tuple(names)


def set_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``set``: a value, or all up to ``endset``."""
    names = _targets(p, tokens, (), attributes=True)
    if tokens.skip("="):
        value = tokens.expression_list()
        tokens.finish()
        return [Assign(line, names, value)]
    filtered: Expression | None = None
    while tokens.skip("|"):
        filtered = tokens.filter(filtered)
    _body_begins(tokens)
    return [AssignBody(line, names, filtered, p.closed_body(tag.start, "endset"))]


def _targets(p: Bodies, tokens: Expressions, ends: tuple[str, ...], attributes: bool = False) -> tuple[str, ...]:
    """Names that are given a value, with or without brackets; an attribute of a namespace has no name."""
    names: list[str] = []
    count = 0
    while True:
        if count:
            tokens.expect(",")
        if tokens.kind == "end" or tokens.text == ")" or tokens.text in ends:
            if not count:
                raise Refused(tokens.at)
            break
        count += 1
        if tokens.skip("("):
            names += _targets(p, tokens, ()) if tokens.text != ")" else ()
            tokens.expect(")")
        else:
            name = tokens.target()
            if attributes and tokens.skip("."):
                tokens.name()
            else:
                names.append(name)
        if tokens.text != ",":
            break
    return tuple(names)


def with_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``with``."""
    names: list[str] = []
    values: list[Expression] = []
    while tokens.kind != "end":
        if values:
            tokens.expect(",")
        names += _targets(p, tokens, ())
        tokens.expect("=")
        values.append(tokens.expression())
    return [Wrapped(line, tuple(names), tuple(values), p.closed_body(tag.start, "endwith"))]


def autoescape_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``autoescape``."""
    value = tokens.expression()
    _body_begins(tokens)
    return [Wrapped(line, (), (value,), p.closed_body(tag.start, "endautoescape"))]


def filter_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``filter`` around a body."""
    value = tokens.filter(None)
    while tokens.skip("|"):
        value = tokens.filter(value)
    _body_begins(tokens)
    return [Wrapped(line, (), (value,), p.closed_body(tag.start, "endfilter"), True)]


def macro_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``macro``."""
    name = tokens.target()
    params, defaults = _signature(p, tokens)
    _body_begins(tokens)
    return [MacroTag(line, name, params, defaults, p.closed_body(tag.start, "endmacro"))]


def _signature(p: Bodies, tokens: Expressions) -> tuple[tuple[str, ...], tuple[Expression, ...]]:
    tokens.expect("(")
    params: list[str] = []
    defaults: list[Expression] = []
    while tokens.text != ")":
        if params:
            tokens.expect(",")
        at = tokens.at
        params.append(tokens.target())
        if tokens.skip("="):
            defaults.append(tokens.expression())
        elif defaults:
            raise Refused(at)
    tokens.step()
    return tuple(params), tuple(defaults)


def call_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``call`` with its body."""
    params, defaults = _signature(p, tokens) if tokens.text == "(" else ((), ())
    at = tokens.at
    call = tokens.expression()
    if not isinstance(call, Invoke):
        raise Refused(at)
    _body_begins(tokens)
    body = p.closed_body(tag.start, "endcall")
    return [*(Evaluated(line, value) for value in defaults), CallTag(line, call, params, body)]


def print_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``print``."""
    values: list[Expression] = []
    while tokens.kind != "end":
        if values:
            tokens.expect(",")
        values.append(tokens.expression())
    return [Output(line, value) for value in values]


def do_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``do``."""
    value = tokens.expression_list()
    tokens.finish()
    return [Evaluated(line, value)]


def jump_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """Read ``break`` or ``continue``."""
    tokens.finish()
    return [JumpTag(line, tag.tokens[0].text)]


def trans_tag(p: Bodies, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
    """``trans``, as the extension for translations has it: texts and names, and no statement inside."""
    given = _translation(p, tokens)
    printed: list[str] = []
    body, end = p.inner(tag.start, ("pluralize", "endtrans"))
    several = end is not None and end.tokens[0].text == "pluralize"
    printed += _printed_names(p, body, tag)
    if several and end is not None:
        if len(end.tokens) > 2 and (end.tokens[1].text not in given or len(end.tokens) > 3):
            p.is_wrong(end.tokens[1].at)
        if not given and not printed:
            p.is_wrong(end.start)
        rest, end = p.inner(end.start, ("endtrans",))
        printed += _printed_names(p, rest, tag)
    if end is not None:
        p.no_more(end)
    return [Translated(line, tuple(given), tuple(v for v in given.values() if v is not None), tuple(printed))]


def _translation(p: Bodies, tokens: Expressions) -> dict[str, Expression | None]:
    if tokens.kind == "string":
        tokens.step()
    given: dict[str, Expression | None] = {}
    trimmed = False
    while tokens.kind != "end":
        if given:
            tokens.expect(",")
        if tokens.skip(":"):
            break
        at, name = tokens.at, tokens.name()
        if name in given:
            raise Refused(at)
        if tokens.skip("="):
            given[name] = tokens.expression()
        elif name in ("trimmed", "notrimmed") and not trimmed:
            trimmed = True
        else:
            given[name] = None
    tokens.finish()
    return given


def _printed_names(p: Bodies, body: tuple[Statement, ...], tag: Tag) -> Iterator[str]:
    """The names that a text prints; anything else in it is wrong."""
    for statement in body:
        if isinstance(statement, Output) and isinstance(statement.value, Var):
            yield statement.value.name
        elif not isinstance(statement, Text):
            p.is_wrong(tag.start)


_STATEMENTS: dict[str, Callable[[Bodies, Tag, Expressions, int], list[Statement]]] = {
    "if": if_tag,
    "for": for_tag,
    "block": block_tag,
    "extends": naming_tag,
    "include": naming_tag,
    "import": naming_tag,
    "from": naming_tag,
    "set": set_tag,
    "with": with_tag,
    "autoescape": autoescape_tag,
    "filter": filter_tag,
    "macro": macro_tag,
    "call": call_tag,
    "print": print_tag,
    "do": do_tag,
    "break": jump_tag,
    "continue": jump_tag,
    "trans": trans_tag,
}
