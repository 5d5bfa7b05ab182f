"""Where the rules of a style sheet stand: each block with its selectors and declarations as ranges of the text (CSS Syntax Module Level 3)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, NamedTuple

from protypon.core.languages.css.rules import (
    GROUPS,
    MOST_NESTED,
    MOST_RULES,
    Condition,
    StyleDeclaration,
    declaration_of,
    grows,
    layer_path,
    split,
    token_text,
    write_out_nesting,
)

_LINE_END = re.compile(r"\r\n|[\n\r\f]")


class Range(NamedTuple):
    """A stretch of a text: offsets of its first letter and of the one behind its last."""

    begin: int
    end: int


class PlacedDeclaration(NamedTuple):
    """A declaration, with the semicolon behind it."""

    said: StyleDeclaration
    place: Range


@dataclass(slots=True)
class RuleBlock:
    """A rule for elements, with all that stands around it."""

    selectors: list[tuple[str, Range]]
    """Each as it counts, nesting written out, and where it is written."""
    declarations: list[PlacedDeclaration]
    layer: tuple[str, ...]
    conditions: tuple[Condition, ...]
    place: Range
    inside: Range
    """What stands between its braces."""
    is_nested: bool
    blocks: list[RuleBlock] = field(default_factory=list)
    holds_more: bool = False
    """Other things than declarations stand in it: rules, or what is not read."""


def blocks(text: str) -> list[RuleBlock]:
    """Every rule of a sheet in its order, those inside of others behind them. Raises RecursionError for one that is nested without end."""
    import tinycss2

    tokens = tinycss2.parse_component_value_list(text)
    found = list(_Spans(text).rules(tokens, len(text), _Context()))
    return found


class _Context(NamedTuple):
    selectors: tuple[str, ...] = ()
    layer: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()
    depth: int = 0


class Offsets:
    """Where the tokens of a text stand: each ends where the next one begins."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.lines = [0, *(found.end() for found in _LINE_END.finditer(text))]

    def at(self, token: Any) -> int:
        """The offset of a token, in characters."""
        line, column = int(token.source_line), int(token.source_column)
        return self.lines[line - 1] + column - 1

    def ends(self, tokens: Sequence[Any], end: int) -> list[int]:
        """Where each token ends, the last one at ``end``."""
        return [*(self.at(token) for token in tokens[1:]), end] if tokens else []


class _Spans(Offsets):
    """One walk over a sheet's tokens."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.nameless = self.found = 0

    def rules(self, tokens: Sequence[Any], end: int, around: _Context) -> Iterator[RuleBlock]:
        """The rules of a sheet, or of a group in it."""
        ends = self.ends(tokens, end)
        first = 0
        for number, token in enumerate(tokens):
            if token.type == "{} block":
                yield from self._statement(tokens[first : number + 1], ends[number], around)
                first = number + 1
            elif token.type == "literal" and token.value == ";" and keyword(tokens[first:number]):
                first = number + 1

    def _statement(self, tokens: Sequence[Any], end: int, around: _Context) -> Iterator[RuleBlock]:
        """What ends in a block: a rule, or a group."""
        tokens = without_leading_space(tokens)
        if around.depth > MOST_NESTED or self.found > MOST_RULES:
            return
        word = keyword(tokens)
        if word:
            yield from self._group(word, tokens, end, around)
            return
        written = list(self._selectors(tokens[:-1], self.at(tokens[-1]), around))
        if written:
            yield from self._rule(written, tokens, end, around)

    def _selectors(self, prelude: Sequence[Any], end: int, around: _Context) -> Iterator[tuple[str, Range]]:
        """Those of a rule; nothing where one of them means nothing."""
        ends = self.ends(prelude, end)
        if grows(list(split(prelude)), around.selectors):
            return
        commas = [n for n, token in enumerate(prelude) if token.type == "literal" and token.value == ","]
        for before, after in pairwise([-1, *commas, len(prelude)]):
            part = prelude[before + 1 : after]
            kept = [n for n, token in enumerate(part) if token.type not in ("whitespace", "comment")]
            if not kept:
                continue
            place = Range(self.at(part[kept[0]]), ends[before + 1 + kept[-1]])
            yield write_out_nesting(token_text(part), around.selectors) if around.selectors else token_text(part), place

    def _rule(
        self, written: list[tuple[str, Range]], tokens: Sequence[Any], end: int, around: _Context
    ) -> Iterator[RuleBlock]:
        self.found += len(written)
        opened = self.at(tokens[-1]) + 1
        closed = end - 1 if end > opened and self.text[end - 1] == "}" else end
        block = RuleBlock(
            written, [], around.layer, around.conditions, Range(self.at(tokens[0]), end), Range(opened, closed),
            bool(around.selectors),
        )  # fmt: skip
        inner = around._replace(selectors=tuple(name for name, _ in written), depth=around.depth + 1)
        below = list(self._contents(block, tokens[-1].content, closed, inner))
        block.blocks = below
        yield block
        yield from below

    def _contents(self, block: RuleBlock, tokens: Sequence[Any], end: int, around: _Context) -> Iterator[RuleBlock]:
        """Declarations, and what is nested among them."""
        ends = self.ends(tokens, end)
        first = 0
        for number, token in enumerate(tokens):
            semicolon = token.type == "literal" and token.value == ";"
            if semicolon or (token.type == "{} block" and not is_custom(tokens[first:number])):
                if semicolon and not keyword(tokens[first:number]):
                    self._declaration(block, tokens[first:number], ends[number])
                else:
                    block.holds_more = True
                    yield from (
                        self._statement(tokens[first : number + 1], ends[number], around) if not semicolon else ()
                    )
                first = number + 1
        self._declaration(block, tokens[first:], end)

    def _declaration(self, block: RuleBlock, tokens: Sequence[Any], end: int) -> None:
        import tinycss2

        tokens = without_leading_space(tokens)
        if not tokens:
            return
        found = tinycss2.parse_one_declaration(tokens)
        if found.type != "declaration":
            block.holds_more = True
            return
        last = end
        if self.text[last - 1 : last] != ";":
            last = self.at(tokens[0]) + len(self.text[self.at(tokens[0]) : end].rstrip())
        block.declarations.append(PlacedDeclaration(declaration_of(found), Range(self.at(tokens[0]), last)))

    def _group(self, word: str, tokens: Sequence[Any], end: int, around: _Context) -> Iterator[RuleBlock]:
        """``@media`` and its like, and ``@layer``; what stands in other at-rules are no rules for elements."""
        prelude, block = tokens[1:-1], tokens[-1]
        inner = around._replace(depth=around.depth + 1)
        if word == "layer":
            names = [layer_path(name) for name in split(prelude)]
            self.nameless += not names
            inner = inner._replace(layer=(*around.layer, *(names[0] if names else (f"({self.nameless})",))))
        elif word in GROUPS:
            inner = inner._replace(conditions=(*around.conditions, Condition(word, token_text(prelude))))
        else:
            return
        opened = self.at(block) + 1
        closed = end - 1 if end > opened and self.text[end - 1] == "}" else end
        if not around.selectors:
            yield from self.rules(block.content, closed, inner)
            return
        whole = Range(self.at(tokens[0]), end)
        every = [(name, Range(whole.begin, whole.begin)) for name in around.selectors]
        own = RuleBlock(every, [], inner.layer, inner.conditions, whole, Range(opened, closed), True)
        below = list(self._contents(own, block.content, closed, inner))
        own.blocks = below
        yield own
        yield from below


def without_leading_space(tokens: Sequence[Any]) -> Sequence[Any]:
    """Without white space and comments before the first thing that counts."""
    first = next((n for n, token in enumerate(tokens) if token.type not in ("whitespace", "comment")), len(tokens))
    return tokens[first:]


def keyword(tokens: Sequence[Any]) -> str:
    """The word of an at-rule; empty for anything else."""
    tokens = without_leading_space(tokens)
    return tokens[0].lower_value if tokens and tokens[0].type == "at-keyword" else ""


def is_custom(tokens: Sequence[Any]) -> bool:
    """Whether a custom property begins here, whose value may have braces in it."""
    tokens = without_leading_space(tokens)
    return len(tokens) > 1 and tokens[0].type == "ident" and tokens[0].value.startswith("--")
