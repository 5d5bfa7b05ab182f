"""Python code files: whether they parse, and whether only layout changed."""

from __future__ import annotations

import ast

from protypon.core.languages import SourceFacts
from protypon.core.model import Problem

VERSION = "python/1"


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    try:
        ast.parse(text)
    except SyntaxError as error:
        return [Problem(file, error.msg, error.lineno, error.offset)]
    except (RecursionError, MemoryError, ValueError) as error:
        return [Problem(file, f"does not parse: {error or 'nested too deeply'}")]
    return []


def significant(text: str) -> str:
    """The syntax tree as text; of a file that does not parse, the text itself."""
    try:
        return ast.dump(ast.parse(text))
    except (SyntaxError, RecursionError, MemoryError, ValueError):
        return text
