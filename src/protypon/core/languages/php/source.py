"""PHP (https://www.php.net/manual/en/langref.php) and the HTML round it, read by tree-sitter: what the code says."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from typing import Any

from protypon.core.files.programs import identity, program
from protypon.core.languages.code import Code
from protypon.core.languages.mentions import mentions
from protypon.core.languages.php import semantics
from protypon.core.languages.php.declarations import PhpFile
from protypon.core.languages.php.statements import file_statements
from protypon.core.languages.source import SourceFacts
from protypon.core.languages.trees import first_error, parser
from protypon.core.model.nouns import Problem

INTERPRETER = program("php")
VERSION = f"php/4 {identity(INTERPRETER)}"
"""With the interpreter at hand it has the last word on what parses."""
SECONDS = 10
ANY_ENCODING = True
"""PHP takes every byte above 127 as a letter (Language Reference, Variables)."""
SEMANTICS = semantics


def _tree(source: bytes) -> Any:
    return parser("tree_sitter_php", "language_php").parse(source)


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    return SourceFacts(mentions=mentions(text))


def code(data: bytes) -> Code:
    """Say what a file says; of one that is broken, what could be read. Positions count in its own bytes."""
    reader = PhpFile(data)
    root = _tree(reader.source).root_node
    return reader.code(file_statements(reader, root), not root.has_error)


def in_text(text: str, how: str) -> Code | None:
    """Code in a text, for ``eval``: without the tag before it."""
    found = code(b"<?php " + text.encode("utf-8", "surrogateescape"))
    return found if found.sound else None


def problems(text: str, file: str) -> list[Problem]:
    """Where a file does not parse; where the grammar does not know something that the interpreter does, nothing is wrong."""
    source = text.encode("utf-8", "surrogateescape")
    found = first_error(_tree(source), file)
    if not found or INTERPRETER is None:
        return found
    command = [INTERPRETER, "-n", "-d", "display_errors=1", "-l"]
    try:
        done = subprocess.run(command, input=source, capture_output=True, timeout=SECONDS)
    except (OSError, subprocess.TimeoutExpired):
        return found
    if done.returncode == 0:
        return []
    said = re.search(r"(?:Parse|Fatal) error:\s*(.+) in .* on line (\d+)", done.stdout.decode("utf-8", "replace"))
    if said is None:
        return found
    column = next((p.column for p in found if p.line == int(said[2])), None)
    return [Problem(file, said[1], int(said[2]), column)]


def significant(text: str) -> str:
    """The tokens, one a line, without comments; white space in HTML counts as one space."""
    source = text.encode("utf-8", "surrogateescape")
    return "\n".join(_tokens(_tree(source).root_node, source))


def _tokens(root: Any, source: bytes) -> Iterator[str]:
    waiting = [root]
    while waiting:
        node = waiting.pop()
        if node.type == "comment":
            continue
        whole = node.type in ("string", "encapsed_string", "heredoc", "nowdoc", "text")
        if whole or node.child_count == 0:
            text = source[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape")
            yield " ".join(text.split()) if node.type == "text" else text
        else:
            waiting.extend(reversed(node.children))
