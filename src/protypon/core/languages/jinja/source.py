"""Jinja templates (https://jinja.palletsprojects.com/en/stable/templates/): what they name, and their blocks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from typing import NamedTuple

from protypon.core.languages.code import Code
from protypon.core.languages.mentions import mentions
from protypon.core.languages.source import Block, Lines, Reference, SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "jinja/5"
ANY_ENCODING = False
HOISTS = FOLDS_CASE = False

_OPENING = re.compile(r"\{[#%{]")
_RAW = re.compile(r"\{%[-+]?\s*raw\s*[-+]?%\}")
_END_RAW = re.compile(r"\{%[-+]?\s*endraw\s*[-+]?%\}")
_TOKEN = re.compile(
    r"""(?P<space>\s+)|(?P<name>[^\W\d]\w*)|(?P<string>'[^'\\]*(?:\\.[^'\\]*)*'|"[^"\\]*(?:\\.[^"\\]*)*")"""
    r"""|(?P<end>[-+]?(?:%\}|\}\}))|(?P<other>\d[\w.]*|[^'"])""",
    re.DOTALL,
)
"""Every token is found by one match at its place: nothing is read twice, whatever a template holds."""
_OPENS, _CLOSES = "([{", ")]}"
_WORDS = ("include", "extends", "import", "from")


def facts(text: str) -> SourceFacts:
    names = mentions(text)
    if "{%" not in text and "{{" not in text:
        return SourceFacts(mentions=names)
    text = text.replace("\r\n", "\n")
    lines = Lines(text)
    references: list[Reference] = []
    blocks: list[_Open] = []
    inside: list[int] = []
    calls: set[str] = set()
    bound: set[str] = set()
    for tag in _tags(text):
        word, rest = (tag.tokens[0].text, tag.tokens[1:]) if tag.statement and tag.tokens else ("", tag.tokens)
        line, column = lines.at(tag.start)
        here = inside[-1] if inside else -1
        if word in _WORDS:
            references += _references(word, rest, line, column, here)
        elif word == "block":
            inside.append(len(blocks))
            blocks.append(_Open(rest[0].text if rest else "", line, tag.end, here))
        elif word == "endblock" and inside:
            closed = blocks[inside.pop()]
            closed.last, closed.body = line, significant(text[closed.start : tag.start])
        called = [one.text for one, after in pairwise(tag.tokens) if one.kind == "name" and after.text == "("]
        calls.update(called)
        bound.update(token.text for token in _binding(word, rest) if token.kind == "name")
        if here >= 0:
            blocks[here].calls += _block_calls(tag.tokens)
    return SourceFacts(
        tuple(references), tuple(b.block for b in blocks), names, tuple(sorted(calls)), tuple(sorted(bound))
    )


class _Token(NamedTuple):
    """A name, a string or a sign of a tag."""

    kind: str
    text: str


class _Tag(NamedTuple):
    """A statement or an expression: where it stands, and what stands between its marks."""

    statement: bool
    tokens: list[_Token]
    start: int
    end: int


def _block_calls(tokens: list[_Token]) -> Iterator[str]:
    """The blocks that a tag calls: ``super()``, as the empty name, and ``self.NAME()``."""
    words = [token.text for token in tokens]
    for number, word in enumerate(words):
        if word == "super" and words[number + 1 : number + 2] == ["("]:
            yield ""
        if word == "self" and words[number + 1 : number + 2] == ["."] and words[number + 3 : number + 4] == ["("]:
            yield words[number + 2]


def _binding(word: str, rest: list[_Token]) -> list[_Token]:
    """The part of a statement in which the names stand that it gives a value."""
    if word == "set":
        return _before(rest, "=")
    if word in ("with", "macro", "call"):
        return rest
    if word == "for":
        return _before(rest, "in")
    if word in ("import", "from"):
        marks = [n for n, token in enumerate(rest) if token.kind == "name" and token.text in ("import", "as")]
        return rest[marks[-1] + 1 :] if marks else rest
    return []


def _before(tokens: list[_Token], word: str) -> list[_Token]:
    """The tokens before a word or sign that stands in no bracket."""
    depth = 0
    for number, token in enumerate(tokens):
        if token.text == word and not depth:
            return tokens[:number]
        depth += _deeper(token)
    return tokens


def _deeper(token: _Token) -> int:
    """How much deeper in brackets a token leads."""
    if token.kind != "other":
        return 0
    return (token.text in _OPENS) - (token.text in _CLOSES)


def _tags(text: str) -> Iterator[_Tag]:
    """Every tag outside comments and raw parts, in one pass; one that is not closed ends the reading, as in Jinja."""
    position = 0
    while opening := _OPENING.search(text, position):
        start, kind = opening.start(), text[opening.start() + 1]
        raw = _RAW.match(text, start) if kind == "%" else None
        if kind == "#":
            end = text.find("#}", start + 2) + 2
            closed = end > 1
        elif raw:
            after = _END_RAW.search(text, raw.end())
            end, closed = (after.end() if after else 0), after is not None
        else:
            tag = _tag(text, start, kind)
            end, closed = (tag.end if tag else 0), tag is not None
            if tag:
                yield tag
        if not closed:
            return
        position = end


def _tag(text: str, start: int, kind: str) -> _Tag | None:
    """Read a tag up to its mark, which counts in no bracket; None where there is none, or a string that is not closed."""
    tokens: list[_Token] = []
    depth, position = 0, start + (3 if text[start + 2 : start + 3] in ("-", "+") else 2)
    mark = "%}" if kind == "%" else "}}"
    while found := _TOKEN.match(text, position):
        what, words = found.lastgroup or "", found[0]
        if what == "end" and words[-2:] == mark and depth <= 0:
            return _Tag(kind == "%", tokens, start, found.end())
        if what == "end":  # a mark inside brackets is only its signs
            what, words = "other", words[0]
        position += len(words)
        if what != "space":
            tokens.append(_Token(what, words))
            depth += _deeper(tokens[-1])
    return None


@dataclass(slots=True)
class _Open:
    """A block while it is read."""

    name: str
    line: int
    start: int
    within: int
    last: int = 0
    body: str = ""
    calls: list[str] = field(default_factory=list)

    @property
    def block(self) -> Block:
        names = tuple(dict.fromkeys(self.calls))
        return Block(self.name, self.line, self.last or self.line, self.body, self.within, names)


def _references(word: str, rest: list[_Token], line: int, column: int, block: int) -> list[Reference]:
    how = "import" if word == "from" else word
    rest, optional = _without_modifiers(rest)
    rest = _before(rest, {"import": "as", "from": "import"}.get(word, ""))
    choices = _choices(rest)
    if choices is None:
        return [Reference(how, (), line, column, optional, block)]
    return [Reference(how, names, line, column, optional, block) for names in choices]


def _without_modifiers(tokens: list[_Token]) -> tuple[list[_Token], bool]:
    """Tokens without ``ignore missing`` and ``with context`` at their end, and whether missing ones are ignored."""
    optional = False
    while [t.text for t in tokens[-2:]] in (["ignore", "missing"], ["with", "context"], ["without", "context"]):
        optional |= tokens[-2].text == "ignore"
        tokens = tokens[:-2]
    return tokens, optional


def _choices(tokens: list[_Token]) -> list[tuple[str, ...]] | None:
    """The names that an expression comes to: one list of literal names for each way of its conditions; None: not known."""
    found = []
    while True:
        value = _before(tokens, "if")
        names = _names(value)
        if names is None:
            return None
        found.append(names)
        if len(value) == len(tokens):
            return found
        test = _before(tokens[len(value) + 1 :], "else")
        tokens = tokens[len(value) + len(test) + 2 :]
        if not tokens:  # without ``else`` it may be nothing at all
            return None


def _names(tokens: list[_Token]) -> tuple[str, ...] | None:
    """A literal name, or a list of them; texts beside each other are one (Jinja, "Literals")."""
    if tokens and tokens[0].text in ("(", "[") and tokens[-1].text in (")", "]"):
        tokens = tokens[1:-1]
        listed = True
    else:
        listed = False
    names = [""]
    fresh = True
    for token in tokens:
        if token.kind == "string":
            names[-1] += _text(token.text)
            fresh = False
        elif listed and token.text == "," and not fresh:
            names.append("")
            fresh = True
        else:
            return None
    if fresh:
        names.pop()
    return tuple(names) or None


def _text(literal: str) -> str:
    try:
        return literal[1:-1].encode("ascii", "backslashreplace").decode("unicode-escape")
    except UnicodeDecodeError:
        return literal[1:-1]


def code(data: bytes) -> Code:
    """What a template says, from Jinja's own parser, which is imported when first asked."""
    from protypon.core.languages.jinja import code as jinja_code

    return jinja_code.code(data.decode("utf-8-sig", "replace"))


def is_own(name: str) -> bool:
    return False


def problems(text: str, file: str) -> list[Problem]:
    """Parse errors as Jinja itself tells them; a tag that only an extension knows is none."""
    from jinja2 import Environment, TemplateSyntaxError

    environment = Environment(extensions=["jinja2.ext.do", "jinja2.ext.i18n", "jinja2.ext.loopcontrols"])
    try:
        environment.parse(text)
    except TemplateSyntaxError as error:
        message = error.message or "does not parse"
        if "unknown tag" in message and "Jinja was looking for" not in message:
            return []
        return [Problem(file, message, error.lineno)]
    except RecursionError:
        return [Problem(file, "nested too deeply")]
    return []


_COMMENT = re.compile(r"\{#(?:.*?#\}|.*)|<!--(?!\[)(?:.*?-->|.*)", re.DOTALL)
_AROUND = re.compile(r"\s*([<>{}%])\s*")


def parts(text: str) -> dict[str, str]:
    """The blocks."""
    return {block.name: block.body for block in facts(text).blocks}


def significant(text: str) -> str:
    return _AROUND.sub(r"\1", " ".join(_COMMENT.sub(" ", text).split()))
