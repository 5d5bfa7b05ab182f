"""Jinja templates (https://jinja.palletsprojects.com/en/stable/templates/): what they name, and their blocks."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from protypon.core.languages import Block, Lines, Reference, SourceFacts
from protypon.core.model import Problem

VERSION = "jinja/2"

_STRING = r"""'(?:\\.|[^'\\])*'|"(?:\\.|[^"\\])*\""""
_TAG = re.compile(
    r"\{#.*?#\}"
    r"|\{%[-+]?\s*raw\s*[-+]?%\}.*?\{%[-+]?\s*endraw\s*[-+]?%\}"
    rf"|\{{%[-+]?(?P<body>(?:{_STRING}|[^'\"]){{0,20000}}?)[-+]?%\}}"
    rf"|\{{\{{(?P<value>(?:{_STRING}|[^'\"]){{0,20000}}?)\}}\}}",
    re.DOTALL,
)
_LITERAL = re.compile(rf"\s*({_STRING})\s*", re.DOTALL)
_LIST = re.compile(rf"\s*[\[(]\s*((?:(?:{_STRING})\s*,?\s*)+)[\])]\s*", re.DOTALL)
_CHOICE = re.compile(rf"\s*({_STRING})\s+if\s.*\selse\s+({_STRING})\s*", re.DOTALL)
_SHEET = re.compile(r"[\w./-]+\.(?:css|js)\b")
_CALL = re.compile(r"\b(super|self\.(\w+))\s*\(")
_WORDS = ("include", "extends", "import", "from")
_TAILS = re.compile(r"\s+(?:with|without)\s+context\s*$|\s+ignore\s+missing\s*$")


def facts(text: str) -> SourceFacts:
    mentions = tuple(sorted(set(_SHEET.findall(text))))
    if "{%" not in text:
        return SourceFacts(mentions=mentions)
    text = text.replace("\r\n", "\n")
    lines = Lines(text)
    references: list[Reference] = []
    blocks: list[_Open] = []
    inside: list[int] = []
    for found in _TAG.finditer(text):
        word, rest = _words(found["body"]) if found["body"] is not None else ("", "")
        line, column = lines.at(found.start())
        here = inside[-1] if inside else -1
        if word in _WORDS:
            references += _references(word, rest, line, column, here)
        elif word == "block":
            inside.append(len(blocks))
            blocks.append(_Open(rest.split()[0] if rest.split() else "", line, found.end(), here))
        elif word == "endblock" and inside:
            closed = blocks[inside.pop()]
            closed.last, closed.body = line, significant(text[closed.start : found.start()])
        if here >= 0:
            blocks[here].calls += _CALL.findall(found["body"] or found["value"] or "")
    return SourceFacts(tuple(references), tuple(b.block for b in blocks), mentions)


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
