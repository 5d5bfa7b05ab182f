"""What a slip says."""

from __future__ import annotations

import re

from protypon.core.languages.source import Lines, Reference, SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "slip/1"
ANY_ENCODING = False


def facts(text: str) -> SourceFacts:
    lines = Lines(text)
    found = re.finditer(r"^> (\S+)$", text, re.MULTILINE)
    return SourceFacts(tuple(Reference("include", (m[1],), *lines.at(m.start())) for m in found))


def problems(text: str, file: str) -> list[Problem]:
    return [Problem(file, "wants a name", n) for n, line in enumerate(text.splitlines(), 1) if line.strip() == ">"]


def significant(text: str) -> str:
    return "\n".join(line.split(";")[0].strip() for line in text.splitlines())
