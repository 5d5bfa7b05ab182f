"""Jinja templates (https://jinja.palletsprojects.com/en/stable/templates/): what they name, and their blocks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from protypon.core.languages import Block, Lines, Reference, SourceFacts
from protypon.core.languages.code import Code
from protypon.core.model import Problem

VERSION = "jinja/4"
ANY_ENCODING = False
HOISTS = FOLDS_CASE = False

_STRING = r"""'(?:\\.|[^'\\])*'|"(?:\\.|[^"\\])*\""""
_OPENING = re.compile(r"\{[#%{]")
_RAW = re.compile(r"\{%[-+]?\s*raw\s*[-+]?%\}")
_END_RAW = re.compile(r"\{%[-+]?\s*endraw\s*[-+]?%\}")
_ENDS = {"%": re.compile(rf"{_STRING}|[-+]?%\}}", re.DOTALL), "{": re.compile(rf"{_STRING}|[-+]?\}}\}}", re.DOTALL)}
_LITERAL = re.compile(rf"\s*({_STRING})\s*", re.DOTALL)
_LIST = re.compile(rf"\s*[\[(]\s*((?:(?:{_STRING})\s*,?\s*)+)[\])]\s*", re.DOTALL)
_CHOICE = re.compile(rf"\s*({_STRING})\s+if\s.*\selse\s+({_STRING})\s*", re.DOTALL)
_ENDING = re.compile(r"\.(?:css|js)\b")
_NAME = re.compile(r"[\w./-]+\Z")
_LONGEST = 300
_CALL = re.compile(r"\b(super|self\.(\w+))\s*\(")
_CALLED = re.compile(r"([A-Za-z_]\w*)\s*\(")
_NAMES = re.compile(r"[A-Za-z_]\w*")
_WORDS = ("include", "extends", "import", "from")
_TAILS = re.compile(r"\s+(?:with|without)\s+context\s*$|\s+ignore\s+missing\s*$")


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
        word, rest = _words(tag.body) if tag.statement else ("", "")
        line, column = lines.at(tag.start)
        here = inside[-1] if inside else -1
        if word in _WORDS:
            references += _references(word, rest, line, column, here)
        elif word == "block":
            inside.append(len(blocks))
            blocks.append(_Open(rest.split()[0] if rest.split() else "", line, tag.end, here))
        elif word == "endblock" and inside:
            closed = blocks[inside.pop()]
            closed.last, closed.body = line, significant(text[closed.start : tag.start])
        calls.update(_CALLED.findall(tag.body))
        bound.update(_NAMES.findall(_binding(word, rest)))
        if here >= 0:
            blocks[here].calls += _CALL.findall(tag.body)
    return SourceFacts(
        tuple(references), tuple(b.block for b in blocks), names, tuple(sorted(calls)), tuple(sorted(bound))
    )


def _binding(word: str, rest: str) -> str:
    """The part of a statement in which the names stand that it gives a value."""
    if word in ("set", "with"):
        return rest if word == "with" else rest.partition("=")[0]
    if word == "for":
        return rest.partition(" in ")[0]
    if word in ("macro", "call"):
        return rest
    return re.split(r"\s(?:import|as)\s", rest)[-1] if word in ("import", "from") else ""


class _Tag(NamedTuple):
    """A statement or an expression: where it stands, and the text between its marks."""

    statement: bool
    body: str
    start: int
    end: int


def _tags(text: str) -> Iterator[_Tag]:
    """Every tag outside comments and raw parts, in one pass; one that is not closed ends the reading, as in Jinja."""
    position = 0
    while opening := _OPENING.search(text, position):
        start, kind = opening.start(), text[opening.start() + 1]
        raw = _RAW.match(text, start) if kind == "%" else None
        if kind == "#":
            position = text.find("#}", start + 2) + 2
            closed = position > 1
        elif raw:
            end = _END_RAW.search(text, raw.end())
            position, closed = (end.end() if end else 0), end is not None
        else:
            mark = _end_of_tag(text, start + 2, kind)
            position, closed = (mark.end() if mark else 0), mark is not None
            if mark:
                yield _Tag(
                    kind == "%", text[start + 2 : mark.start()].removeprefix("-").removeprefix("+"), start, mark.end()
                )
        if not closed:
            return


def _end_of_tag(text: str, position: int, kind: str) -> re.Match[str] | None:
    """The mark that closes a tag, looked for outside strings."""
    for found in _ENDS[kind].finditer(text, position):
        if found[0][0] not in "\"'":
            return found
    return None


def mentions(text: str) -> tuple[str, ...]:
    """Names of sheets and scripts that stand anywhere in a text."""
    return tuple(sorted(set(_mentions(text))))


def _mentions(text: str) -> Iterator[str]:
    """Names of sheets and scripts, read backwards from their endings, so that no long run of letters is read twice."""
    for ending in _ENDING.finditer(text):
        name = _NAME.search(text[max(0, ending.start() - _LONGEST) : ending.start()])
        if name:
            yield name[0] + ending[0]


@dataclass(slots=True)
class _Open:
    """A block while it is read."""

    name: str
    line: int
    start: int
    within: int
    last: int = 0
    body: str = ""
    calls: list[tuple[str, str]] = field(default_factory=list)

    @property
    def block(self) -> Block:
        names = tuple(dict.fromkeys(name for _, name in self.calls))
        return Block(self.name, self.line, self.last or self.line, self.body, self.within, names)


def _words(body: str) -> tuple[str, str]:
    """The first word of a tag, and the rest."""
    parts = body.split(None, 1)
    return (parts[0], parts[1].rstrip() if len(parts) > 1 else "") if parts else ("", "")


def _references(word: str, rest: str, line: int, column: int, block: int) -> list[Reference]:
    how = "import" if word == "from" else word
    optional = re.search(r"\signore\s+missing\b", rest) is not None
    if word == "import":
        rest = re.split(r"\s+as\s+\w+", rest)[0]
    elif word == "from":
        rest = re.split(r"\s+import\s", rest)[0]
    while _TAILS.search(rest):
        rest = _TAILS.sub("", rest)
    if found := _LITERAL.fullmatch(rest):
        return [Reference(how, (_text(found[1]),), line, column, optional, block)]
    if found := _LIST.fullmatch(rest):
        names = tuple(_text(name) for name in re.findall(_STRING, found[1], re.DOTALL))
        return [Reference(how, names, line, column, optional, block)]
    if found := _CHOICE.fullmatch(rest):
        return [Reference(how, (_text(name),), line, column, optional, block) for name in found.groups()]
    return [Reference(how, (), line, column, optional, block)]


def _text(literal: str) -> str:
    return re.sub(r"\\(.)", r"\1", literal[1:-1])


def code(data: bytes) -> Code:
    """What a template says, from Jinja's own parser, which is imported when first asked."""
    from protypon.core.languages import jinja_code

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


_COMMENT = re.compile(r"\{#.*?#\}|<!--(?!\[).*?-->", re.DOTALL)
_AROUND = re.compile(r"\s*([<>{}%])\s*")


def significant(text: str) -> str:
    return _AROUND.sub(r"\1", " ".join(_COMMENT.sub(" ", text).split()))
