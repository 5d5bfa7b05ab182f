"""What a source says of itself: the files that it names, its blocks, what it calls and binds; and places in a text."""

from __future__ import annotations

from bisect import bisect_right

from msgspec import Struct


class Reference(Struct, frozen=True, gc=False, array_like=True):
    """One place where a file names other files."""

    how: str
    """``extends``, ``include``, ``import`` or ``url``."""
    names: tuple[str, ...]
    """The literal names, of which the first that is there is used; none: the name is made at run time."""
    line: int
    column: int
    optional: bool = False
    """Nothing breaks where none of the names is there."""
    block: int = -1
    """Number of the block that it stands in, in the same file; -1: in none."""


class Block(Struct, frozen=True, gc=False, array_like=True):
    """A named part of a template that a child can replace alone."""

    name: str
    line: int
    last: int
    body: str
    """The text between its tags, without layout and comments."""
    within: int = -1
    """Number of the block around it; -1: none."""
    calls: tuple[str, ...] = ()
    """Blocks it calls by name; an empty name: the same block further up."""


class SourceFacts(Struct, frozen=True, gc=False, array_like=True):
    """All that one source says of itself."""

    references: tuple[Reference, ...] = ()
    blocks: tuple[Block, ...] = ()
    mentions: tuple[str, ...] = ()
    """Names of sheets and scripts that stand anywhere in the text."""
    calls: tuple[str, ...] = ()
    """Names of what a template calls."""
    bound: tuple[str, ...] = ()
    """Names that a template may give a value: set, counted through, imported."""
    asked: tuple[str, ...] = ()
    """Blocks that a template calls by name where it stands in none."""


class Lines:
    """Offsets -> lines and columns, both from 1."""

    def __init__(self, text: str) -> None:
        self.starts = [0]
        position = text.find("\n")
        while position >= 0:
            self.starts.append(position + 1)
            position = text.find("\n", position + 1)

    def at(self, offset: int) -> tuple[int, int]:
        """Line and column of an offset, both from 1."""
        line = bisect_right(self.starts, offset)
        return line, offset - self.starts[line - 1] + 1


class NotEdited(Exception):
    """A text in which one thing can't be changed without touching more than it; the message says why."""
