"""The blocks of a Jinja template as texts that can be copied, filled in and edited (https://jinja.palletsprojects.com/en/stable/templates/#blocks)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import groupby, pairwise
from operator import itemgetter
from typing import NamedTuple

from protypon.core.languages.jinja.lexer import Tag, normalize, pieces

_OPENS = frozenset({"if", "for", "call", "filter", "macro", "with", "autoescape", "trans"})


@dataclass(slots=True)
class BlockText:
    """One block: its name, and where it stands in the text; offsets count characters of the normalized text."""

    name: str
    line: int
    begin: int
    """Where its first tag begins."""
    start: int
    """Where what stands between its tags begins."""
    within: int
    """The number of the block around it; -1: none."""
    end: int = 0
    stop: int = 0
    """Where its last tag ends."""
    last: int = 0
    """The line of its last tag."""
    supers: list[tuple[int, int, bool]] = field(default_factory=list)
    """Where ``{{ super() }}`` stands by itself: begin, end, and whether that is so whatever conditions hold."""
    asks: int = 0
    """How often it calls ``super``, by itself or in whatever."""


def blocks(text: str) -> list[BlockText]:
    """Every block of a template that has an end, in the order in which they begin."""
    found: list[BlockText] = []
    open_blocks: list[tuple[int, int]] = []
    depth, line, counted = 0, 1, 0
    for piece in pieces(text):
        if not isinstance(piece, Tag):
            continue
        line += text.count("\n", counted, piece.start)
        counted = piece.start
        words = [token.text for token in piece.tokens]
        here = found[open_blocks[-1][0]] if open_blocks else None
        if here is not None:
            here.asks += sum(a == "super" and b == "(" for a, b in pairwise(words))
            if not piece.statement and words == ["super", "(", ")", ""]:
                here.supers.append((piece.start, piece.end, depth == open_blocks[-1][1]))
        if not piece.statement:
            continue
        if words[0] == "block" and len(words) > 2:
            found.append(BlockText(words[1], line, piece.start, piece.end, open_blocks[-1][0] if open_blocks else -1))
            open_blocks.append((len(found) - 1, depth))
        elif words[0] == "endblock" and open_blocks:
            number, depth = open_blocks.pop()
            found[number].end, found[number].stop, found[number].last = piece.start, piece.end, line
        elif words[0] in _OPENS or (words[0] == "set" and "=" not in words):
            depth += 1
        elif words[0].startswith("end"):
            depth -= 1
    return [block for block in found if block.stop]


def decode_template(data: bytes) -> str:
    """A template's text as it is read here: with one kind of line end."""
    return normalize(data.decode("utf-8-sig", "replace"))


Filling = Callable[[str, int], str | None]
"""The text of another version of a block: of a name at a level; None where there is none."""


def fill_block(
    text: str, number: int, found: list[BlockText], further: Callable[[], str | None], nearest: Filling
) -> str:
    """What stands between the tags of a block, with the text further up where it asks for that, and each block inside it as ``nearest`` has it.

    ``nearest`` takes the name of a block inside and its number here.
    """
    block = found[number]
    edits: list[_Edit] = []
    for begin, end, _ in block.supers:
        above = further()
        if above is not None:
            edits.append(_Edit(*_with_layout(text, begin, end), above, foreign=True))
    for inner_number, inner in enumerate(found):
        if inner.within == number:
            other = nearest(inner.name, inner_number)
            if other is not None:
                opening = text[inner.begin : inner.start].replace("-%}", "%}")
                closing = text[inner.end : inner.stop].replace("{%-", "{%")
                edits.append(_Edit(inner.begin, inner.stop, opening + other + closing, foreign=False))
    return _apply_edits(text, *printed_span(text, block), sorted(edits))


def printed_span(text: str, block: BlockText) -> tuple[int, int]:
    """Where what a block prints begins and ends: without the white space that its tags take away."""
    begin, end = block.start, block.end
    if text.startswith("-%}", block.start - 3):
        begin = end - len(text[begin:end].lstrip())
    if text.startswith("{%-", block.end):
        end = begin + len(text[begin:end].rstrip())
    return begin, max(begin, end)


def _with_layout(text: str, begin: int, end: int) -> tuple[int, int]:
    """An output with the white space around it that it takes away."""
    if text.startswith("{{-", begin):
        begin = len(text[:begin].rstrip())
    if text.endswith("-}}", 0, end):
        end = len(text) - len(text[end:].lstrip())
    return begin, end


def can_stand(name: str, text: str) -> bool:
    """Whether a text can stand in a block of a name by itself: it asks for nothing further up, and no block is in it twice."""
    found = blocks(f"{{% block {name} %}}{text}{{% endblock %}}")
    names = [block.name for block in found]
    return len(set(names)) == len(names) and not any(block.asks for block in found)


class _Edit(NamedTuple):
    """A piece of a text that another one takes the place of."""

    begin: int
    end: int
    new: str
    foreign: bool
    """Whether its tags take no white space away around it, and those around it take none of its own."""


def _apply_edits(text: str, begin: int, end: int, edits: list[_Edit]) -> str:
    parts: list[tuple[str, bool]] = []
    at = begin
    for edit in edits:
        parts += [(text[at : max(edit.begin, at)], False), (edit.new, edit.foreign)]
        at = edit.end
    parts.append((text[min(at, end) : end], False))
    return _join_pieces(parts)


def _join_pieces(parts: list[tuple[str, bool]]) -> str:
    """Pieces of text, each with whether it is foreign, with an empty comment where a tag would take white space of another piece away."""
    whole = [("".join(part for part, _ in group), foreign) for foreign, group in groupby(parts, key=itemgetter(1))]
    out: list[str] = []
    takes = ends_blank = False
    for part, _ in whole:
        if not part:
            continue
        if (takes and part[0].isspace()) or (ends_blank and part.lstrip().startswith(("{%-", "{{-", "{#-"))):
            out.append("{##}")
            takes = False
        out.append(part)
        takes = part.rstrip().endswith(("-%}", "-}}", "-#}")) if not part.isspace() else takes
        ends_blank = part[-1].isspace()
    return "".join(out)


def only_adds(block: BlockText) -> bool:
    """Whether a block prints what stands further up, once, whatever holds, and only adds to it."""
    return block.asks == 1 and len(block.supers) == 1 and block.supers[0][2]


class Edited:
    """A template's bytes, edited at offsets of its normalized text."""

    def __init__(self, data: bytes) -> None:
        self.data, self.text = data, decode_template(data)
        self.exact = data.decode("utf-8", "replace").encode("utf-8") == data
        """Whether it can be edited: it is UTF-8."""
        self.newline = "\r\n" if data.count(b"\r\n") > data.count(b"\n") / 2 else "\n"

    def with_piece(self, begin: int, end: int, new: str) -> bytes:
        """The bytes with another text from one offset to another."""
        first, last = self._place(begin), self._place(end)
        return self.data[:first] + new.replace("\n", self.newline).encode("utf-8") + self.data[last:]

    def _place(self, offset: int) -> int:
        """The place of an offset in the bytes."""
        bom = 3 if self.data.startswith(b"\xef\xbb\xbf") else 0
        raw = self.data[bom:].decode("utf-8", "replace")
        seen = at = 0
        while seen < offset:
            at += 2 if raw.startswith("\r\n", at) else 1
            seen += 1
        return bom + len(raw[:at].encode("utf-8"))
