"""Declarations in code as texts of their own: where they stand, read out of a file, and given another text there."""

from __future__ import annotations

import re
from typing import Protocol

from protypon.core.languages.spans import DeclarationSpan
from protypon.core.languages.text_edits import indent_lines, line_of, take_function
from protypon.core.languages.writers import Writer, writer
from protypon.core.model.actions import Check
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Theme
from protypon.core.themes.reach import Location
from protypon.core.units.coder import coder
from protypon.core.units.draft import Draft
from protypon.core.units.world import World

REASON = re.compile(rb"^(?:#|//) In place of [^\n]*\n")
"""The line above a copy that says what it stands for."""


class Declaration(Protocol):
    """A function, class or method of a theme."""

    @property
    def theme(self) -> Theme:
        """The theme that declares it."""

    @property
    def path(self) -> str:
        """The file that it stands in."""

    @property
    def name(self) -> str:
        """Its name, as it is declared."""

    @property
    def start(self) -> int:
        """Where it begins in its file, in bytes."""

    @property
    def end(self) -> int:
        """Where it ends in its file, in bytes."""

    @property
    def place(self) -> Location:
        """Where it stands."""


def writer_at(world: World, path: str) -> Writer:
    """How code of a file is written."""
    rule = world.platform.rule_of(path)
    assert rule is not None
    return writer(rule.language)


def span_of(world: World, declared: Declaration) -> tuple[bytes, DeclarationSpan | None]:
    """The file of a declaration, and where it stands in it."""
    data = world.snapshot.read(declared.theme, declared.path)
    rule = world.platform.rule_of(declared.path)
    spans = writer(rule.language).declarations(data) if rule is not None else []
    return data, next((s for s in spans if s.start == declared.start), None)


def text_of(world: World, declared: Declaration) -> bytes:
    """A declaration as a text of its own, with the comment above it, at the left edge."""
    data, span = span_of(world, declared)
    if span is None:
        return data[declared.start : declared.end]
    return take_function(data, span, writer_at(world, declared.path))


def apart(text: bytes, made: Writer) -> tuple[bytes, bytes]:
    """The comments above a declaration that is a text of its own, and the declaration."""
    whole = made.whole(text)
    offset = whole.find(text)
    span = next((s for s in made.declarations(whole) if s.start >= offset), None)
    start = span.start - offset if span is not None else 0
    return text[:start], text[start:]


def first_line(world: World, declared: Declaration, text: bytes) -> int:
    """The line of its file at which a declaration's text begins; the comments in it stand right above it."""
    comment, _ = apart(text, writer_at(world, declared.path))
    data = world.snapshot.read(declared.theme, declared.path)
    return line_of(data, declared.start) - comment.count(b"\n")


def with_text(draft: Draft, own: Declaration, text: bytes, label: str) -> Draft:
    """Give a copy in the child another text, where it stands; ``label`` is the release that it is in place of by now."""
    data, span = span_of(draft.world, own)
    made = writer_at(draft.start, own.path)
    if span is None:
        raise ProtyponError(f"{own.name}: it can't be found in {own.path}", Check())
    code, _ = coder(draft, own.path)
    comment, declared = apart(text, made)
    column = data[span.start - span.column : span.start].decode("utf-8", "replace")
    if span.column:
        declared = indent_lines(declared, column, made)[span.column :]
    begin, head_end = span.begin, span.guard[0] if span.guard is not None and span.begin < span.guard[0] else span.start
    above = data[begin:head_end]
    reasons = [line for line in above.splitlines(keepends=True) if re.match(rb"\s*(?:#|//) In place of ", line)]
    lead = b"" if head_end != span.start else column.encode()
    body = b"".join(lead + line for line in comment.splitlines(keepends=True))
    words = b"".join(
        re.sub(rb"(In place of \S+ \()[^)]*\)", lambda m: m[1] + label.encode() + b")", line) for line in reasons
    )
    new_above = words + body[len(lead) :] if not words and body else words + body
    if new_above and head_end == span.start and lead:
        new_above = new_above + lead if new_above.endswith(b"\n") else new_above
    end = code.style.newline.encode()
    new = new_above.replace(b"\n", end) + data[head_end : span.start] + declared.replace(b"\n", end)
    return draft.with_file(own.path, data[:begin] + new + data[span.end :])
