"""Manifests in the leading comment of a file: lines of ``Field: value``, in whatever comment marks the file's language has."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import NotRead

HEAD = 8192
"""So much of a file is searched."""
_FIELD = re.compile(
    r"""^(?P<before>[ \t]*+(?:<\?php)?+[ \t]*+(?:/\*+|\*|//|\#+|<!--|--|;|\{\#)?+[ \t@]*+)
    (?P<name>[A-Za-z][A-Za-z0-9\ \t_-]*+):[ \t]*+
    (?P<value>[^\r\n]*+)$""",
    re.MULTILINE | re.VERBOSE,
)
"""Nothing in it can match in two ways (``*+``), so that a line is read once."""


_ENDS = ("*/", "-->", "#}")
"""What a comment may end with, in the line of its last field."""


def _value(match: re.Match[str]) -> str:
    """What a field says, without the end of the comment."""
    said = match["value"].rstrip()
    end = next((end for end in _ENDS if said.endswith(end)), "")
    return said.removesuffix(end).rstrip() if end else said


def read(text: str) -> dict[str, Any]:
    """Fields by name, lower case, with ``_`` for spaces; the first of a name counts."""
    found: dict[str, Any] = {}
    for match in _FIELD.finditer(_comment(text)):
        found.setdefault(_key(match["name"]), _value(match))
    if not found:
        raise NotRead("no comment with lines of Field: value stands at the top", 1, 1)
    return found


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """Set fields where they stand; new ones come after the last, in the same marks."""
    text = text or "/*\n */\n"
    for keys, value in changes.items():
        text = _set_field(text, keys[-1], value)
    return text


def _key(name: str) -> str:
    return re.sub(r"[ -]+", "_", name.strip()).lower()


def _comment(text: str) -> str:
    """The first comment of a file, with its marks."""
    head = text[:HEAD]
    block = re.match(r"\s*(?:<\?php\s*)?(?:/\*.*?\*/|<!--.*?-->|\{#.*?#\})", head, re.DOTALL)
    if block:
        return block[0]
    lines = re.match(r"\s*(?:<\?php\s*)?(?:[ \t]*(?://|#|--|;)[^\n]*\n?)+", head)
    return lines[0] if lines else ""


def end_of_comment(data: bytes) -> int:
    """Where what follows the leading comment begins, in bytes; 0 where there is none."""
    text = data.decode("utf-8", "surrogateescape")
    comment = _comment(text)
    end = text.index(comment) + len(comment) if comment else 0
    behind = re.match(r"[ \t]*(?:\r?\n)*", text[end:])
    return len(text[: end + (behind.end() if behind else 0)].encode("utf-8", "surrogateescape"))


def _set_field(text: str, field: str, value: Any) -> str:
    comment = _comment(text)
    start = text.index(comment) if comment else 0
    matches = list(_FIELD.finditer(comment))
    words = ", ".join(map(str, value)) if isinstance(value, list | tuple) else value
    for match in matches:
        if _key(match["name"]) == field:
            if words is None:
                end = match.end() + 1
                return text[: start + match.start()] + text[start + end :]
            at = start + match.start("value")
            return text[:at] + str(words) + text[at + len(_value(match)) :]
    if words is None:
        return text
    line = f"{matches[-1]['before'] if matches else ' * '}{field.replace('_', ' ').capitalize()}: {words}\n"
    line = re.sub(r"^[ \t]*(?:<\?php)?[ \t]*/\*+", " *", line)
    at = start + (matches[-1].end() + 1 if matches else comment.index("\n") + 1)
    return text[:at] + line + text[at:]
