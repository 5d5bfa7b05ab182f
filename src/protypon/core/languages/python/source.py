"""Python code files (https://docs.python.org/3/reference/): what the code says, read by tree-sitter; whether it parses, by Python itself."""

from __future__ import annotations

import ast
import sys

from protypon.core.languages.code import Code, Do
from protypon.core.languages.python import semantics
from protypon.core.languages.python.declarations import PythonFile
from protypon.core.languages.python.statements import statements
from protypon.core.languages.source import SourceFacts
from protypon.core.languages.trees import doubtful, parser
from protypon.core.model.nouns import Problem

VERSION = f"python/5 {sys.version}"
"""The interpreter that this runs on has the last word on what parses."""
ANY_ENCODING = False
SEMANTICS = semantics


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    return SourceFacts()


def code(data: bytes) -> Code:
    """Say what a file says; of one that is broken, what could be read. Positions count in its own bytes."""
    root = parser("tree_sitter_python", "language").parse(PythonFile(data).source).root_node
    reader = PythonFile(data)
    body = statements(reader, root.named_children)
    if reader.clashing:
        reader = PythonFile(data, frozenset(reader.clashing))
        body = statements(reader, root.named_children)
    return reader.code(doubtful(reader, root, body) if root.has_error else body, False)


def in_text(text: str, how: str) -> Code | None:
    """Code in a text: statements for ``exec``, one expression for ``eval``."""
    bare = text.strip()
    if problems(bare, ""):
        return None
    found = code(bare.encode("utf-8", "surrogateescape"))
    single = len(found.body) == 1 and isinstance(found.body[0], Do)
    return found if how == "exec" or single else None


def problems(text: str, file: str) -> list[Problem]:
    """Say where a file does not parse."""
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
