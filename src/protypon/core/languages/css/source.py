"""Style sheets (CSS Syntax Module Level 3), read with tinycss2: imports and relative addresses."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from protypon.core.languages.source import Reference, SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "css/1"
ANY_ENCODING = False
_COMMENT = re.compile(r"""("(?:\\.|[^"\\\n])*"?|'(?:\\.|[^'\\\n])*'?)|/\*(?:.*?\*/|.*)""", re.DOTALL)
_AROUND = re.compile(r"\s*([{};,])\s*")


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    if "url" not in text.lower() and "@import" not in text.lower():
        return SourceFacts()
    import tinycss2

    nodes = tinycss2.parse_component_value_list(text, skip_comments=True)
    return SourceFacts(tuple(_references(nodes)))


def _references(nodes: Iterable[Any]) -> Iterable[Reference]:
    importing = False
    for node in nodes:
        if node.type == "whitespace":
            continue
        if node.type == "at-keyword":
            importing = node.lower_value == "import"
            continue
        how = "import" if importing else "url"
        if node.type == "url" or (node.type == "string" and importing):
            yield Reference(how, (node.value,), node.source_line, node.source_column)
        elif node.type == "function" and node.lower_name == "url":
            yield from (
                Reference(how, (a.value,), a.source_line, a.source_column) for a in node.arguments if a.type == "string"
            )
        else:
            children = getattr(node, "content", None) or getattr(node, "arguments", None)
            yield from _references(children or ())
        importing = False


def problems(text: str, file: str) -> list[Problem]:
    """A sheet never fails as a whole: browsers skip what they can't read (CSS Syntax, section 2.2)."""
    return []


def significant(text: str) -> str:
    """Return a form that two texts share when they differ in white space, line ends and comments only."""
    return _AROUND.sub(r"\1", " ".join(_COMMENT.sub(lambda found: found[1] or " ", text).split()))
