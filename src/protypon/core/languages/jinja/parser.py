"""Jinja templates, read once into a syntax tree. What Jinja does not take is noted, and the reading goes on behind it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache

from protypon.core.languages.code import Expression, Invoke, Lit, Var
from protypon.core.languages.jinja.expressions import Expressions, Refused
from protypon.core.languages.jinja.lexer import Data, Piece, Tag, Unclosed, normalized, pieces
from protypon.core.languages.jinja.tree import (
    Assign,
    AssignBody,
    BlockTag,
    Branches,
    CallTag,
    Evaluated,
    Jump,
    Loop,
    MacroTag,
    Naming,
    Output,
    Statement,
    Template,
    Text,
    Translated,
    Unread,
    Wrapped,
)
from protypon.core.languages.source import Lines

MOST_NESTED = 60
"""Tags inside each other; what lies deeper is not read."""
_INNER = frozenset(
    {"elif", "else", "endif", "endfor", "endblock", "endset", "endmacro", "endcall", "endfilter", "endwith"}
    | {"endautoescape", "endtrans", "pluralize"}
)
"""Words that stand inside or at the end of a statement, and never begin one."""


@lru_cache(maxsize=8)
def parse(text: str) -> Template:
    """Read a template; never raises. The last few are remembered, because several ask for one in turn."""
    text = normalized(text)
    if "{%" not in text and "{{" not in text and "{#" not in text:
        return Template(text, (Text(1, text),) if text else ())
    return _Parser(text).template()


class _Parser:
    """One reading."""

    def __init__(self, text: str) -> None:
        self.text, self.lines = text, Lines(text)
        self.pieces: Iterator[Piece] = pieces(text)
        self.piece: Piece | None = next(self.pieces, None)
        self.open: list[tuple[str, ...]] = []
        """What ends the statements around this one."""
        self.wrong: int | None = None
        self.strange = self.cut = False

    def template(self) -> Template:
        body = self._body(())
        return Template(self.text, body, self.wrong, self.strange, self.cut)

    def line_of(self, at: int) -> int:
        return self.lines.at(at)[0]

    def _next(self) -> None:
        self.piece = next(self.pieces, None)

    def _is_wrong(self, at: int) -> None:
        self.wrong = self.line_of(at) if self.wrong is None else self.wrong

    # Bodies

    def _body(self, ends: tuple[str, ...]) -> tuple[Statement, ...]:
        """Statements up to a tag of ``ends``, which is not gone over; or to the end of the template."""
        found: list[Statement] = []
        self.open.append(ends)
        while self.piece is not None:
            piece = self.piece
            if isinstance(piece, Data):
                found.append(Text(self.line_of(piece.at), piece.text))
                self._next()
            elif isinstance(piece, Unclosed):
                self._is_wrong(piece.at)
                self.cut = True
                self.piece = None
            elif not piece.statement:
                found.append(self._output(piece))
                self._next()
            else:
                word = piece.tokens[0].text
                if word in _INNER and any(word in words for words in self.open):
                    break
                found += self._statement(piece, word)
        self.open.pop()
        return tuple(found)

    def _inner(self, at: int, ends: tuple[str, ...]) -> tuple[tuple[Statement, ...], Tag | None]:
        """The body of a statement and the tag of ``ends`` that it comes to; None where that is not there."""
        if len(self.open) > MOST_NESTED:
            self._is_wrong(at)
            self.cut = True
            self.piece = None
        body = self._body(ends)
        piece = self.piece
        if isinstance(piece, Tag) and piece.tokens[0].text in ends:
            self._next()
            return body, piece
        self._is_wrong(at if piece is None else piece.at if not isinstance(piece, Tag) else piece.start)
        return body, None

    def _closed(self, at: int, word: str) -> tuple[Statement, ...]:
        """The body of a statement with but one end."""
        body, end = self._inner(at, (word,))
        if end is not None:
            self._no_more(end)
        return body

    def _no_more(self, tag: Tag) -> None:
        """Nothing may stand behind the word of a tag."""
        if len(tag.tokens) > 2:
            self._is_wrong(tag.tokens[1].at)

    def _output(self, tag: Tag) -> Statement:
        line = self.line_of(tag.start)
        try:
            tokens = Expressions(tag.tokens, self.line_of)
            value = tokens.listed()
            tokens.finish()
        except Refused as error:
            self._is_wrong(error.at)
            return Unread(line, "")
        return Output(line, value)

    # Statements

    def _statement(self, tag: Tag, word: str) -> list[Statement]:
        self._next()
        line = self.line_of(tag.start)
        read = _STATEMENTS.get(word)
        if read is None:
            self._strange(tag, word)
            return [Unread(line, word)]
        tokens = Expressions(tag.tokens, self.line_of)
        tokens.step()
        try:
            return read(self, tag, tokens, line)
        except Refused as error:
            self._is_wrong(error.at)
            return [Unread(line, word)]

    def _strange(self, tag: Tag, word: str) -> None:
        """A tag that only an extension can know; an end without a beginning is wrong."""
        if word in _INNER or tag.tokens[0].kind != "name":
            self._is_wrong(tag.start)
        self.strange = True

    def _body_begins(self, tokens: Expressions) -> None:
        """Nothing more stands in a tag but a colon."""
        tokens.skip(":")
        tokens.finish()

    def if_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        branches = []
        other: tuple[Statement, ...] = ()
        test = tokens.listed(conditional=False)
        self._body_begins(tokens)
        while True:
            body, end = self._inner(tag.start, ("elif", "else", "endif"))
            branches.append((test, body, self.line_of(tag.start)))
            if end is None:
                break
            if end.tokens[0].text == "elif":
                tag, test = end, self._test(end)
                continue
            if end.tokens[0].text == "else":
                self._else_begins(end)
                other = self._closed(end.start, "endif")
            else:
                self._no_more(end)
            break
        return [Branches(line, tuple(branches), other)]

    def _test(self, tag: Tag) -> Expression:
        """The test of an ``elif``; the branches around it are read whatever stands there."""
        tokens = Expressions(tag.tokens, self.line_of)
        tokens.step()
        try:
            test = tokens.listed(conditional=False)
            self._body_begins(tokens)
        except Refused as error:
            self._is_wrong(error.at)
            return Lit(None)
        return test

    def _else_begins(self, tag: Tag) -> None:
        if [t.text for t in tag.tokens[1:-1]] not in ([], [":"]):
            self._is_wrong(tag.tokens[1].at)

    def for_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        names = self._targets(tokens, ("in",))
        tokens.expect("in")
        over = tokens.listed(("recursive",), conditional=False)
        test = tokens.expression() if tokens.skip("if") else None
        recursive = tokens.skip("recursive")
        self._body_begins(tokens)
        body, end = self._inner(tag.start, ("endfor", "else"))
        other: tuple[Statement, ...] = ()
        if end is not None and end.tokens[0].text == "else":
            self._else_begins(end)
            other = self._closed(end.start, "endfor")
        elif end is not None:
            self._no_more(end)
        return [Loop(line, names, over, test, recursive, body, other)]

    def block_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        name = tokens.name()
        tokens.skip("scoped")
        required = tokens.skip("required")
        try:
            self._body_begins(tokens)
        except Refused as error:
            self._is_wrong(error.at)
        body, end = self._inner(tag.start, ("endblock",))
        if required and not all(isinstance(s, Text) and s.text.isspace() for s in body):
            self._is_wrong(tag.start)
        if end is not None and [t.text for t in end.tokens[1:-1]] not in ([], [name]):
            self._is_wrong(end.tokens[1].at)
        stop = end.start if end is not None else len(self.text)
        return [BlockTag(line, name, body, self.line_of(stop), tag.end, stop)]

    def naming_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        """``extends``, ``include``, ``import`` or ``from``; of one that can't be read, that it names something."""
        word = tag.tokens[0].text
        how, column = "import" if word == "from" else word, self.lines.at(tag.start)[1]
        try:
            template = tokens.expression()
            optional, names = False, tuple[str, ...]()
            if word == "import":
                tokens.expect("as")
                names = (tokens.target(),)
            elif word == "from":
                names = self._imported(tokens)
            elif word == "include" and tokens.text == "ignore" and tokens.next_is("missing"):
                tokens.step()
                tokens.step()
                optional = True
            if word != "extends" and word != "from":
                self._context(tokens)
            tokens.finish()
        except Refused as error:
            self._is_wrong(error.at)
            return [Naming(line, how, Invoke("", None, (), (), line, 1), column)]
        return [Naming(line, how, template, column, optional, names)]

    def _context(self, tokens: Expressions) -> bool:
        if tokens.text in ("with", "without") and tokens.next_is("context"):
            tokens.step()
            tokens.step()
            return True
        return False

    def _imported(self, tokens: Expressions) -> tuple[str, ...]:
        """The names that a ``from`` binds."""
        tokens.expect("import")
        names: list[str] = []
        while True:
            if names:
                tokens.expect(",")
            if self._context(tokens):
                break
            at, name = tokens.at, tokens.target()
            if name.startswith("_"):
                raise Refused(at)
            names.append(tokens.target() if tokens.skip("as") else name)
            if self._context(tokens) or tokens.text != ",":
                break
        return tuple(names)

    def set_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        names = self._targets(tokens, (), attributes=True)
        if tokens.skip("="):
            value = tokens.listed()
            tokens.finish()
            return [Assign(line, names, value)]
        filtered: Expression | None = None
        while tokens.skip("|"):
            filtered = tokens.filter(filtered)
        self._body_begins(tokens)
        return [AssignBody(line, names, filtered, self._closed(tag.start, "endset"))]

    def _targets(self, tokens: Expressions, ends: tuple[str, ...], attributes: bool = False) -> tuple[str, ...]:
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
                names += self._targets(tokens, ()) if tokens.text != ")" else ()
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

    def with_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        names: list[str] = []
        values: list[Expression] = []
        while tokens.kind != "end":
            if values:
                tokens.expect(",")
            names += self._targets(tokens, ())
            tokens.expect("=")
            values.append(tokens.expression())
        return [Wrapped(line, tuple(names), tuple(values), self._closed(tag.start, "endwith"))]

    def autoescape_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        value = tokens.expression()
        self._body_begins(tokens)
        return [Wrapped(line, (), (value,), self._closed(tag.start, "endautoescape"))]

    def filter_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        value = tokens.filter(None)
        while tokens.skip("|"):
            value = tokens.filter(value)
        self._body_begins(tokens)
        return [Wrapped(line, (), (value,), self._closed(tag.start, "endfilter"))]

    def macro_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        name = tokens.target()
        params, defaults = self._signature(tokens)
        self._body_begins(tokens)
        return [MacroTag(line, name, params, defaults, self._closed(tag.start, "endmacro"))]

    def _signature(self, tokens: Expressions) -> tuple[tuple[str, ...], tuple[Expression, ...]]:
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

    def call_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        params, defaults = self._signature(tokens) if tokens.text == "(" else ((), ())
        at = tokens.at
        call = tokens.expression()
        if not isinstance(call, Invoke):
            raise Refused(at)
        self._body_begins(tokens)
        body = self._closed(tag.start, "endcall")
        return [*(Evaluated(line, value) for value in defaults), CallTag(line, call, params, body)]

    def print_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        values: list[Expression] = []
        while tokens.kind != "end":
            if values:
                tokens.expect(",")
            values.append(tokens.expression())
        return [Output(line, value) for value in values]

    def do_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        value = tokens.listed()
        tokens.finish()
        return [Evaluated(line, value)]

    def jump_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        tokens.finish()
        return [Jump(line)]

    def trans_tag(self, tag: Tag, tokens: Expressions, line: int) -> list[Statement]:
        """``trans``, as the extension for translations has it: texts and names, and no statement inside."""
        given = self._translation(tokens)
        printed: list[str] = []
        body, end = self._inner(tag.start, ("pluralize", "endtrans"))
        several = end is not None and end.tokens[0].text == "pluralize"
        printed += self._printed(body, tag)
        if several and end is not None:
            if len(end.tokens) > 2 and (end.tokens[1].text not in given or len(end.tokens) > 3):
                self._is_wrong(end.tokens[1].at)
            if not given and not printed:
                self._is_wrong(end.start)
            rest, end = self._inner(end.start, ("endtrans",))
            printed += self._printed(rest, tag)
        if end is not None:
            self._no_more(end)
        return [Translated(line, tuple(given), tuple(v for v in given.values() if v is not None), tuple(printed))]

    def _translation(self, tokens: Expressions) -> dict[str, Expression | None]:
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

    def _printed(self, body: tuple[Statement, ...], tag: Tag) -> Iterator[str]:
        """The names that a text prints; anything else in it is wrong."""
        for statement in body:
            if isinstance(statement, Output) and isinstance(statement.value, Var):
                yield statement.value.name
            elif not isinstance(statement, Text):
                self._is_wrong(tag.start)


_STATEMENTS: dict[str, Callable[[_Parser, Tag, Expressions, int], list[Statement]]] = {
    "if": _Parser.if_tag,
    "for": _Parser.for_tag,
    "block": _Parser.block_tag,
    "extends": _Parser.naming_tag,
    "include": _Parser.naming_tag,
    "import": _Parser.naming_tag,
    "from": _Parser.naming_tag,
    "set": _Parser.set_tag,
    "with": _Parser.with_tag,
    "autoescape": _Parser.autoescape_tag,
    "filter": _Parser.filter_tag,
    "macro": _Parser.macro_tag,
    "call": _Parser.call_tag,
    "print": _Parser.print_tag,
    "do": _Parser.do_tag,
    "break": _Parser.jump_tag,
    "continue": _Parser.jump_tag,
    "trans": _Parser.trans_tag,
}
