"""The comment that stands right above a line, or at the head of a file: what its author says of it."""

from __future__ import annotations

import re

_LINE = re.compile(r"^\s*(?:<\?php\s*)?(?://+|#+(?!\[))\s?(.*)$")
_ONE = re.compile(r"^\s*(?:<\?php\s*)?(?:/\*+(.*?)\*/|\{#-?(.*?)-?#\}|<!--(.*?)-->)\s*(?:\?>)?\s*$", re.DOTALL)
_ENDS = ("*/", "#}", "-->")
_BEGINS = {"*/": "/*", "#}": "{#", "-->": "<!--"}
_HEAD = re.compile(r"\s*(?:<\?php\s*)?(/\*.*?\*/|\{#.*?#\}|<!--.*?-->)", re.DOTALL)
LONGEST = 60
"""A comment of more lines is searched no further."""


def above(text: str, line: int) -> str:
    """The comment that ends on the line before ``line`` (from 1); empty where there is none."""
    lines = text.split("\n")
    number = min(line, len(lines) + 1) - 2
    while number >= 0 and lines[number].strip() in ("<?php", "#["):
        number -= 1
    if number < 0:
        return ""
    last = lines[number].rstrip().removesuffix("?>").rstrip()
    end = next((e for e in _ENDS if last.endswith(e)), None)
    if end is not None:
        for first in range(number, max(-1, number - LONGEST), -1):
            if _BEGINS[end] in lines[first]:
                return _bare("\n".join(lines[first : number + 1]))
        return ""
    found: list[str] = []
    while number >= 0 and (match := _LINE.match(lines[number])) and not lines[number].startswith("#!"):
        found.insert(0, match[1])
        number -= 1
    return "\n".join(found).strip()


def head(text: str) -> str:
    """The comment with which a file begins."""
    block = _HEAD.match(text)
    if block:
        return _bare(block[1])
    lines = []
    for line in text.lstrip("\ufeff").removeprefix("<?php").lstrip("\n").split("\n")[:LONGEST]:
        match = _LINE.match(line)
        if match is None:
            break
        lines.append(match[1])
    return "\n".join(lines).strip()


def _bare(text: str) -> str:
    """A comment without its marks."""
    whole = _ONE.match(text.strip())
    inner = (
        next((part for part in whole.groups() if part is not None), "")
        if whole
        else text.split("/*")[-1].split("*/")[0]
    )
    return "\n".join(line.strip().lstrip("*").strip() for line in inner.split("\n")).strip()


def summary(text: str) -> str:
    """The first sentence of a comment, in one line.

    >>> summary("Says when the causeway floods.\\n\\nTakes the height.")
    'Says when the causeway floods.'
    """
    first = text.split("\n\n")[0]
    line = " ".join(part for part in first.split("\n") if not part.startswith("@"))
    found = re.match(r"(.+?[.!?])(?:\s|$)", line)
    return (found[1] if found else line).strip()
