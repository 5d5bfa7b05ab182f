"""Bodies of statements: what stands between tags, up to the tag that ends it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from protypon.core.languages.jinja.expressions import Expressions
from protypon.core.languages.jinja.lexer import Data, Piece, Tag, Unclosed, pieces
from protypon.core.languages.jinja.tokens import Refused
from protypon.core.languages.jinja.tree import Output, Statement, Template, Text, Unread
from protypon.core.languages.source import Lines

MOST_NESTED = 60
"""Tags inside each other; what lies deeper is not read."""
INNER = frozenset(
    {"elif", "else", "endif", "endfor", "endblock", "endset", "endmacro", "endcall", "endfilter", "endwith"}
    | {"endautoescape", "endtrans", "pluralize"}
)
"""Words that stand inside or at the end of a statement, and never begin one."""


class Bodies:
    """One reading of a template: its pieces, made into bodies of statements; ``read`` reads one statement."""

    def __init__(self, text: str, read: Callable[[Bodies, Tag, str], list[Statement]]) -> None:
        self.text, self.lines, self._read = text, Lines(text), read
        self.pieces: Iterator[Piece] = pieces(text)
        self.piece: Piece | None = next(self.pieces, None)
        self.open: list[tuple[str, ...]] = []
        """What ends the statements around this one."""
        self.wrong: int | None = None
        """The line of the first thing that Jinja does not take."""
        self.strange = self.cut = False

    def template(self) -> Template:
        """Read all of it."""
        body = self._body(())
        return Template(self.text, body, self.wrong, self.strange, self.cut)

    def line_of(self, at: int) -> int:
        """The line of an offset."""
        return self.lines.at(at)[0]

    def _next(self) -> None:
        self.piece = next(self.pieces, None)

    def is_wrong(self, at: int) -> None:
        """Jinja does not take what stands at an offset."""
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
                self.is_wrong(piece.at)
                self.cut = True
                self.piece = None
            elif not piece.statement:
                found.append(self._output(piece))
                self._next()
            else:
                word = piece.tokens[0].text
                if word in INNER and any(word in words for words in self.open):
                    break
                self._next()
                found += self._read(self, piece, word)
        self.open.pop()
        return tuple(found)

    def inner(self, at: int, ends: tuple[str, ...]) -> tuple[tuple[Statement, ...], Tag | None]:
        """The body of a statement and the tag of ``ends`` that it comes to; None where that is not there."""
        if len(self.open) > MOST_NESTED:
            self.is_wrong(at)
            self.cut = True
            self.piece = None
        body = self._body(ends)
        piece = self.piece
        if isinstance(piece, Tag) and piece.tokens[0].text in ends:
            self._next()
            return body, piece
        self.is_wrong(at if piece is None else piece.at if not isinstance(piece, Tag) else piece.start)
        return body, None

    def closed_body(self, at: int, word: str) -> tuple[Statement, ...]:
        """The body of a statement with but one end."""
        body, end = self.inner(at, (word,))
        if end is not None:
            self.no_more(end)
        return body

    def no_more(self, tag: Tag) -> None:
        """Nothing may stand behind the word of a tag."""
        if len(tag.tokens) > 2:
            self.is_wrong(tag.tokens[1].at)

    def _output(self, tag: Tag) -> Statement:
        line = self.line_of(tag.start)
        try:
            tokens = Expressions(tag.tokens, self.line_of)
            value = tokens.expression_list()
            tokens.finish()
        except Refused as error:
            self.is_wrong(error.at)
            return Unread(line, "")
        return Output(line, value)
