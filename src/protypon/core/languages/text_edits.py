"""Pieces of code as texts: taken out of a file, renamed, moved to the right or left, put in and taken away again."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from protypon.core.languages.spans import DeclarationSpan
from protypon.core.languages.writers import Writer


@dataclass(frozen=True, slots=True)
class Style:
    """How a file is written, so that what is added looks like it."""

    quote: str = "'"
    indent: str = "    "
    newline: str = "\n"


def style_of(data: bytes, writer: Writer, usual: str) -> Style:
    """The quotes, indentation and line ends that a file has most of; ``usual`` is the quote where it has none."""
    single, double = writer.quotes(data)
    quote = usual if single == double else ("'" if single > double else '"')
    leads = Counter(m[1] for m in re.finditer(rb"(?m)^(\t|  +)\S", data))
    widths = [lead for lead in leads if lead != b"\t"]
    indent = "\t" if leads[b"\t"] > sum(leads[w] for w in widths) else " " * min(map(len, widths), default=4)
    crlf = data.count(b"\r\n")
    return Style(quote, indent, "\r\n" if crlf and crlf * 2 >= data.count(b"\n") else "\n")


def take_function(data: bytes, span: DeclarationSpan, writer: Writer) -> bytes:
    """A function with the comment above it, as it would stand at the left edge, its lines ended by LF."""
    function = _dedent_lines(data[span.start : span.end], data, span.start, span.column, writer)
    comment = _comment(data, span)
    return (comment + function).replace(b"\r\n", b"\n")


def _comment(data: bytes, span: DeclarationSpan) -> bytes:
    end = span.start
    if span.guard is not None and span.begin < span.guard[0]:
        end = span.guard[0]
    lines = data[span.begin : end].splitlines()
    text = b"\n".join(line.strip() if not line.strip().startswith(b"*") else b" " + line.strip() for line in lines)
    return text.strip() + b"\n" if text.strip() else b""


def _dedent_lines(text: bytes, data: bytes, start: int, column: int, writer: Writer) -> bytes:
    """Take an indentation off all lines but the first, where they are not part of a text."""
    if not column:
        return text
    kept = writer.protected_spans(data)
    lines = text.splitlines(keepends=True)
    at = start
    for number, line in enumerate(lines):
        if number and not any(a < at < b for a, b in kept):
            lead, end = line[:column].rstrip(b"\r\n"), line[len(line.rstrip(b"\r\n")) :]
            lines[number] = (line[column:] or end) if not lead.strip() else line.lstrip(b" \t")
        at += len(line)
    return b"".join(lines)


def indent_lines(text: bytes, indent: str, writer: Writer) -> bytes:
    """Move all lines of a piece to the right, where they are not part of a text."""
    whole = writer.whole(text)
    begin = whole.find(text)
    kept = writer.protected_spans(whole)
    lines = text.splitlines(keepends=True)
    at = begin
    for number, line in enumerate(lines):
        if line.strip() and not any(a < at < b for a, b in kept):
            lines[number] = indent.encode() + line
        at += len(line)
    return b"".join(lines)


def rename_functions(text: bytes, names: Mapping[str, str], writer: Writer, folds: bool) -> bytes:
    """Give functions other names where a piece declares or calls them."""
    if not names:
        return text
    wanted = {_key(old, folds): new for old, new in names.items()}
    whole = writer.whole(text)
    places = []
    for call in writer.calls(whole):
        if _key(call.name, folds) in wanted:
            places.append((call.name_end - len(call.name.encode()), call.name_end, wanted[_key(call.name, folds)]))
    for span in writer.declarations(whole):
        if span.kind == "function" and _key(span.name, folds) in wanted:
            found = re.compile(rb"\b" + re.escape(span.name.encode()) + rb"\s*\(").search(whole, _word(whole, span))
            if found:
                places.append((found.start(), found.start() + len(span.name.encode()), wanted[_key(span.name, folds)]))
    return _with_names(text, whole, places)


def with_class_named(text: bytes, old: str, new: str, writer: Writer, folds: bool) -> bytes:
    """Give a class another name where a piece declares or names it."""
    whole = writer.whole(text)
    found = writer.class_names(whole)
    return _with_names(text, whole, [(a, b, new) for name, a, b in found if _key(name, folds) == _key(old, folds)])


def _with_names(text: bytes, whole: bytes, places: list[tuple[int, int, str]]) -> bytes:
    """A piece with other names at some places, which count in the file that it makes up by itself."""
    begin = whole.find(text)
    result, at = b"", begin
    for start, end, new in sorted(set(places)):
        result += whole[at:start] + new.encode()
        at = end
    return result + whole[at : begin + len(text)]


def _word(whole: bytes, span: DeclarationSpan) -> int:
    """Where a function's own name can begin: behind its marks, at the word that declares it."""
    found = re.compile(rb"(?m)^[ \t]*(?:async +)?(?:def|function)\b|\bfunction\b").search(whole, span.start)
    return found.end() if found else span.start


def _key(name: str, folds: bool) -> str:
    return name.lower() if folds else name


def append_block(data: bytes, block: bytes, writer: Writer, newline: str) -> bytes:
    """Put a block behind all code of a file; what ended the file goes on to end it."""
    at = writer.end_of_code(data)
    end = newline.encode()
    blank = end * (writer.BLANKS + 1) if data[:at].strip() else b""
    tail = data[at:] if data else end
    return data[:at] + blank + block.replace(b"\n", end) + tail


def without(data: bytes, begin: int, end: int) -> bytes:
    """Take a block of whole lines out, with the empty lines before it."""
    start = len(data[:begin].rstrip(b"\r\n"))
    if not start:
        return data[end:]
    return data[:start] + data[end:]


def line_of(data: bytes, offset: int) -> int:
    """The line of an offset, from 1.

    >>> line_of(b"a\\nb", 2)
    2
    """
    return data.count(b"\n", 0, offset) + 1
