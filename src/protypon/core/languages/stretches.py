"""What each stretch of a source is: code, a string in it, a comment, words that people read, an attribute of markup, or a style sheet.

A source is taken byte for byte, as Latin-1: then every offset is one of its bytes, whatever its encoding, and nothing gets lost.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from protypon.core.languages.holes import pieces
from protypon.core.languages.trees import parser
from protypon.core.model.limits import SOURCE_BYTES

CODE, STRING, COMMENT, TEXT, ATTRIBUTE, STYLE = "code", "string", "comment", "text", "attribute", "style"


class Portion(NamedTuple):
    """One stretch of a source, and what it is."""

    begin: int
    end: int
    kind: str


_INSIDE = r"(?:\"[^\"]*\"|'[^']*'|[^>\"'])*"
_TAG = re.compile(rf"<!--.*?(?:-->|\Z)|<(script|style)\b{_INSIDE}>|</?[A-Za-z]{_INSIDE}>?", re.DOTALL | re.IGNORECASE)
_OPENS = re.compile(r"</?[A-Za-z][^<>]*")
_VALUE = re.compile(r"(?<![\w-])([\w:@.-]+)\s*=\s*(\"[^\"]*\"|'[^']*'|[^\s\"'>]+)")
_SEEN = ("alt", "title", "placeholder", "aria-label", "label", "content", "summary")
_QUOTED = re.compile(r"\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*'")
_CSS = re.compile(r"/\*.*?(?:\*/|\Z)|\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*'|url\(\s*[^\s\"')]*\s*\)", re.DOTALL)
_LINE = re.compile(r"(?m)^[ \t]*(?:-[ \t]+)?(?:[\w.-]+[ \t]*[:=])?[ \t]*([^\n]*)$")
_HASH = re.compile(r"(?m)^[ \t]*[#;].*$|(?<=\s)#\s.*$")


def portions(language: str, text: str) -> list[Portion]:
    """The stretches of a source in order, without gaps.

    >>> portions("css", "/* a */ .b { }")
    [Portion(begin=0, end=7, kind='comment'), Portion(begin=7, end=14, kind='style')]
    """
    found = READERS.get(language, _plain)(text)
    every = _without_gaps(sorted(found), len(text), _BETWEEN.get(language, TEXT))
    return [part for each in every for part in _markup_in(text, each)]


def _markup_in(text: str, portion: Portion) -> list[Portion]:
    """A string that has tags in it, as markup."""
    inner = text[portion.begin : portion.end]
    if portion.kind != STRING or _OPENS.search(inner) is None:
        return [portion]
    return _shift_portions(_tags(inner), portion.begin, TEXT, portion.end)


def _without_gaps(found: list[Portion], end: int, between: str) -> Iterator[Portion]:
    at = 0
    for each in found:
        if each.begin < at:
            continue
        if each.begin > at:
            yield Portion(at, each.begin, between)
        if each.end > each.begin:
            yield each
        at = each.end
    if at < end:
        yield Portion(at, end, between)


def _plain(text: str) -> list[Portion]:
    return []


def _markup(text: str) -> list[Portion]:
    """A template or a page: what Jinja has between its marks is code, and tags have attributes."""
    found: list[Portion] = []
    blank = list(text)
    for begin, end in pieces(text, {"{{": "}}", "{%": "%}", "{#": "#}"}):
        if text.startswith("{#", begin):
            found.append(Portion(begin, end, COMMENT))
        else:
            found += _shift_portions(_strings(text[begin:end]), begin, CODE, end)
        blank[begin:end] = " " * (end - begin)
    return [*found, *_cut_out(_tags("".join(blank)), found)]


def _cut_out(around: list[Portion], inside: list[Portion]) -> list[Portion]:
    """Stretches without what stands inside of them."""
    made: list[Portion] = []
    taken = sorted(inside)
    number = 0
    for each in sorted(around):
        at = each.begin
        while number < len(taken) and taken[number].end <= each.begin:
            number += 1
        look = number
        while look < len(taken) and taken[look].begin < each.end:
            if taken[look].begin > at:
                made.append(Portion(at, taken[look].begin, each.kind))
            at = max(at, taken[look].end)
            look += 1
        if at < each.end:
            made.append(Portion(at, each.end, each.kind))
    return made


def _strings(text: str) -> list[Portion]:
    return [Portion(*found.span(), STRING) for found in _QUOTED.finditer(text)]


def _shift_portions(found: list[Portion], by: int, between: str, end: int) -> list[Portion]:
    """Stretches of a part of a source, where it stands."""
    inner = list(_without_gaps(sorted(found), end - by, between))
    return [Portion(p.begin + by, p.end + by, p.kind) for p in inner]


def _tags(text: str) -> list[Portion]:
    found: list[Portion] = []
    at = 0
    while (tag := _TAG.search(text, at)) is not None:
        at = tag.end()
        if tag[0].startswith("<!--"):
            found.append(Portion(*tag.span(), COMMENT))
            continue
        found += _attributes(tag[0], tag.start())
        if tag[1] is not None and not tag[0].endswith("/>"):
            close = re.compile(rf"</{tag[1]}\b", re.IGNORECASE).search(text, at)
            end = close.start() if close is not None else len(text)
            inner = _css(text[at:end]) if tag[1].lower() == "style" else _strings(text[at:end])
            found += _shift_portions(inner, at, STYLE if tag[1].lower() == "style" else CODE, end)
            at = end
    return found


def _attributes(tag: str, at: int) -> list[Portion]:
    found: list[Portion] = []
    for value in _VALUE.finditer(tag):
        seen = value[1].lower() in _SEEN
        found.append(Portion(at + value.start(2), at + value.end(2), TEXT if seen else ATTRIBUTE))
    return _shift_portions([Portion(p.begin - at, p.end - at, p.kind) for p in found], at, CODE, at + len(tag))


def _css(text: str) -> list[Portion]:
    return [Portion(*m.span(), COMMENT if m[0].startswith("/*") else STRING) for m in _CSS.finditer(text)]


def _strings_and_comments(text: str) -> list[Portion]:
    """JSON and TOML: strings, and comments."""
    return [*_hashes(text), *_strings(text)]


def _hashes(text: str) -> list[Portion]:
    return [Portion(*found.span(), COMMENT) for found in _HASH.finditer(text)]


def _lines(text: str) -> list[Portion]:
    """YAML and INI: what stands behind a key is a string, line by line."""
    return [*_hashes(text), *(Portion(*found.span(1), STRING) for found in _LINE.finditer(text))]


def _catalogue(text: str) -> list[Portion]:
    """A message catalogue: what people read is quoted."""
    return [*_hashes(text), *(Portion(*found.span(), TEXT) for found in _QUOTED.finditer(text))]


_STRINGS = (
    "string", "string_content", "string_value", "string_fragment", "encapsed_string", "heredoc_body", "nowdoc_body", "template_string", "regex",
)  # fmt: skip


def _by_tree(module: str, function: str) -> Callable[[str], list[Portion]]:
    """How a source is read that has a grammar: by its leaves."""

    def read(text: str) -> list[Portion]:
        source = text.encode("latin-1")
        if len(source) > SOURCE_BYTES:
            return []
        found: list[Portion] = []
        waiting: list[Any] = [parser(module, function).parse(source).root_node]
        while waiting:
            node = waiting.pop()
            if node.type == "comment":
                found.append(Portion(node.start_byte, node.end_byte, COMMENT))
            elif node.type == "text":
                found += _shift_portions(
                    _tags(text[node.start_byte : node.end_byte]), node.start_byte, TEXT, node.end_byte
                )
            elif node.type in _STRINGS and not any(c.type in _INTERPOLATED for c in node.children):
                found.append(Portion(node.start_byte, node.end_byte, STRING))
            else:
                waiting.extend(node.children)
        return found

    return read


_INTERPOLATED = ("variable_name", "interpolation", "member_access_expression", "subscript_expression", "template_substitution")  # fmt: skip
READERS: dict[str, Callable[[str], list[Portion]]] = {
    "jinja": _markup, "html": _tags, "css": _css, "json": _strings_and_comments, "toml": _strings_and_comments, "yaml": _lines, "ini": _lines, "po": _catalogue,
    "php": _by_tree("tree_sitter_php", "language_php"), "python": _by_tree("tree_sitter_python", "language"),
    "javascript": _by_tree("tree_sitter_javascript", "language"),
}  # fmt: skip
_BETWEEN = {
    "css": STYLE, "json": CODE, "toml": CODE, "yaml": CODE, "ini": CODE, "po": CODE, "php": CODE, "python": CODE, "javascript": CODE,
}  # fmt: skip
"""What stands where nothing else does; else words."""
