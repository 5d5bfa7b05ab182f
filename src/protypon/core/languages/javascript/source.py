"""Scripts: the modules they import by a relative path. Comments are told only where no regular expression can hide them."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.languages.source import Lines, Reference, SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "javascript/2"
ANY_ENCODING = False
_BEGINS = re.compile(r"^[ \t]*(?:import|export)\b", re.MULTILINE)
_STOPS = re.compile(r"""['";]""")
_PATH = re.compile(r"""["'](\.{1,2}/[^"'\n]+)["']""")
_TOKEN = re.compile(
    r"""("(?:\\.|[^"\\\n])*"?|'(?:\\.|[^'\\\n])*'?|`(?:\\.|[^`\\])*`?)|/\*(?:.*?\*/|.*)|//[^\n]*""", re.DOTALL
)


def facts(text: str) -> SourceFacts:
    lines = Lines(text)
    return SourceFacts(tuple(Reference("import", (name,), *lines.at(at)) for at, name in _imports(text)))


def _imports(text: str) -> Iterator[tuple[int, str]]:
    """Where a module is imported by a relative path: the first text after the word, before the statement ends."""
    stop = None
    for begin in _BEGINS.finditer(text):
        if stop is None or stop.start() < begin.end():
            stop = _STOPS.search(text, begin.end())
        if stop is None:
            return
        found = _PATH.match(text, stop.start())
        if found:
            yield begin.start(), found[1]


def problems(text: str, file: str) -> list[Problem]:
    """No parser for scripts stands here: nothing is said of them."""
    return []


def significant(text: str) -> str:
    """Line breaks stay (they can end a statement); where a lone ``/`` may open a regular expression, comments stay too."""
    bare = _TOKEN.sub(lambda found: found[1] or " ", text)
    if "/" in _TOKEN.sub("", text):
        bare = text
    return "\n".join(" ".join(line.split()) for line in bare.split("\n") if line.strip())
