"""Scripts (ECMAScript), read with tree-sitter's grammar: the modules that they import by a relative path."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from protypon.core.languages.source import Reference, SourceFacts
from protypon.core.languages.trees import parser, place
from protypon.core.model.limits import SOURCE_BYTES
from protypon.core.model.nouns import Problem

VERSION = "javascript/3"
ANY_ENCODING = False
_WHOLE = ("string", "template_string", "regex")
"""Nodes whose text counts as it is."""
_COMMENTS = ("comment", "html_comment")


def _root(text: str) -> Any:
    source = text.encode("utf-8", "surrogateescape")
    return parser("tree_sitter_javascript", "language").parse(source).root_node


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    if "import" not in text and "export" not in text:
        return SourceFacts()
    return SourceFacts(tuple(_imports(_root(text))))


def _imports(root: Any) -> Iterator[Reference]:
    """Modules imported by a relative path (ECMAScript, Modules: ModuleSpecifier)."""
    for node in root.named_children:
        named = node.child_by_field_name("source") if node.type in ("import_statement", "export_statement") else None
        if named is not None:
            name = (named.text or b"")[1:-1].decode("utf-8", "replace")
            if name.startswith(("./", "../")):
                yield Reference("import", (name,), *place(node))


def problems(text: str, file: str) -> list[Problem]:
    """A script that does not parse stops nothing but itself: nothing is said of it."""
    return []


def significant(text: str) -> str:
    """The tokens, without comments; line breaks stay, for they can end a statement. Of one that does not parse, all lines."""
    source = text.encode("utf-8", "surrogateescape")
    tree = parser("tree_sitter_javascript", "language").parse(source) if len(source) <= SOURCE_BYTES else None
    if tree is None or tree.root_node.has_error:
        return "\n".join(" ".join(line.split()) for line in text.split("\n") if line.strip())
    out: list[bytes] = []
    at = 0
    for start, end in _tokens(tree.walk()):
        out += [b"\n" if b"\n" in source[at:start] else b" ", source[start:end]]
        at = end
    return b"".join(out).strip().decode("utf-8", "surrogateescape")


def _tokens(cursor: Any) -> Iterator[tuple[int, int]]:
    """Where the leaves of a tree begin and end, in their order; comments are none."""
    while True:
        node = cursor.node
        whole = node.type in _WHOLE
        if node.type not in _COMMENTS and (whole or not node.child_count):
            yield node.start_byte, node.end_byte
        if node.type in _COMMENTS or whole or not cursor.goto_first_child():
            while not cursor.goto_next_sibling():
                if not cursor.goto_parent():
                    return
