"""Scripts: the modules they import by a relative path. Comments are told only where no regular expression can hide them."""

from __future__ import annotations

import re

from protypon.core.languages import Lines, Reference, SourceFacts
from protypon.core.model import Problem

VERSION = "javascript/1"
ANY_ENCODING = False
_IMPORT = re.compile(r"""^[ \t]*(?:import|export)\b[^'";]*?["'](\.{1,2}/[^"'\n]+)["']""", re.MULTILINE)
_TOKEN = re.compile(r"""("(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])*'|`(?:\\.|[^`\\])*`)|/\*.*?\*/|//[^\n]*""", re.DOTALL)


def facts(text: str) -> SourceFacts:
    lines = Lines(text)
    return SourceFacts(tuple(Reference("import", (f[1],), *lines.at(f.start())) for f in _IMPORT.finditer(text)))


def problems(text: str, file: str) -> list[Problem]:
    """No parser for scripts stands here: nothing is said of them."""
    return []


def significant(text: str) -> str:
    """Line breaks stay (they can end a statement); where a lone ``/`` may open a regular expression, comments stay too."""
    bare = _TOKEN.sub(lambda found: found[1] or " ", text)
    if "/" in _TOKEN.sub("", text):
        bare = text
    return "\n".join(" ".join(line.split()) for line in bare.split("\n") if line.strip())
