"""Where a line stands in a text, in words: in which block, element, function or rule."""

from __future__ import annotations

import re

from protypon.core.languages.jinja.blocks import blocks
from protypon.core.languages.registry import LANGUAGES, is_written
from protypon.core.languages.writers import writer

_TAG = re.compile(r"<(/?)([A-Za-z][\w-]*)((?:\"[^\"]*\"|'[^']*'|[^>\"'])*)>")
_VOID = frozenset(
    {"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"}
)
"""Elements that have no end (HTML Living Standard, section 13.1.2)."""
_NAMED = re.compile(r"""\b(id|class)\s*=\s*["']([^"'{]*)["']""")
LONGEST = 200_000
"""Bytes of a text in which it is looked for."""


def around(text: str, line: int, language: str) -> str:
    """Where a line (from 1) stands: the innermost things around it, outer ones first; empty where nothing is known.

    >>> around("<ul>\\n<li>a</li>\\n</ul>", 2, "plain")
    '<ul>'
    """
    if len(text) > LONGEST:
        return ""
    row = LANGUAGES.get(language)
    found: list[str] = []
    if row is not None and row.extends:
        found += [f"block {b.name}" for b in blocks(text) if b.line <= line <= b.last][-1:]
    if is_written(language):
        found += _declarations_around(text, line, language)
    elif language == "css":
        found += _rule(text, line)
    elif language in ("jinja", "plain"):
        found += _element(text, line)
    return ", ".join(found)


def _declarations_around(text: str, line: int, language: str) -> list[str]:
    data = text.encode("utf-8")
    named = []
    for span in writer(language).declarations(data):
        first, last = (data.count(b"\n", 0, at) + 1 for at in (span.start, span.end))
        if first <= line <= last:
            named.append(f"{span.kind} {span.name}")
    return named[-1:]


def _element(text: str, line: int) -> list[str]:
    """The innermost element that is open before a line, with its id or class."""
    end = 0
    for _ in range(line - 1):
        end = text.find("\n", end) + 1
        if end == 0:
            return []
    open_tags: list[tuple[str, str]] = []
    for found in _TAG.finditer(text, 0, end):
        name = found[2].lower()
        if found[1]:
            while open_tags and any(n == name for n, _ in open_tags) and open_tags.pop()[0] != name:
                pass
        elif name not in _VOID and not found[3].endswith("/"):
            open_tags.append((name, found[3]))
    if not open_tags:
        return []
    name, attributes = open_tags[-1]
    said = _NAMED.search(attributes)
    return [f'<{name} {said[1]}="{said[2].strip()}">' if said and said[2].strip() else f"<{name}>"]


def _rule(text: str, line: int) -> list[str]:
    """The selectors of the rules that are open at a line."""
    lines, before = text.split("\n")[:line], ""
    open_rules: list[str] = []
    for row in lines[:-1]:
        plain = re.sub(r"/\*.*?\*/", "", row)
        for piece in re.split(r"([{}])", plain):
            if piece == "{":
                open_rules.append(before)
            elif piece == "}":
                del open_rules[-1:]
            elif piece.strip():
                before = piece.strip()
    if lines and "{" in lines[-1] and "}" not in lines[-1]:
        open_rules.append(lines[-1].partition("{")[0].strip())
    return [rule for rule in open_rules[-1:] if rule]
