"""Pieces of a source -> what a visitor sees of them: without tags, with entities read, and folded so that it can be compared."""

from __future__ import annotations

import re
import unicodedata
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from html import unescape
from itertools import pairwise
from typing import NamedTuple

from protypon.core.languages.markup import HOLE
from protypon.core.languages.visible.pieces import Shard

SEEN_ATTRIBUTES = ("alt", "title", "placeholder", "aria-label", "label", "value", "content", "summary")
"""Those whose text a visitor sees, hears or is told (HTML, sections 4.8.3, 3.2.6.1, 4.10.5.3; WAI-ARIA, aria-label)."""
INLINE = frozenset(
    ["a", "abbr", "b", "bdi", "bdo", "big", "cite", "code", "data", "del", "dfn", "em", "font", "i", "ins", "kbd", "mark", "q", "s", "samp", "small", "span",
     "strong", "sub", "sup", "time", "tt", "u", "var", "wbr"]
)  # fmt: skip
"""Elements between whose letters there is no space (HTML, section 4.5)."""
BLOCKS = frozenset(
    ["address", "area", "article", "aside", "audio", "base", "blockquote", "body", "br", "button", "canvas", "caption", "center", "col", "colgroup", "datalist",
     "dd", "details", "dialog", "div", "dl", "dt", "embed", "fieldset", "figcaption", "figure", "footer", "form", "h1", "h2", "h3", "h4", "h5", "h6", "head",
     "header", "hgroup", "hr", "html", "iframe", "img", "input", "label", "legend", "li", "link", "main", "map", "math", "menu", "meta", "meter", "nav",
     "noscript", "object", "ol", "optgroup", "option", "output", "p", "param", "picture", "pre", "progress", "rp", "rt", "ruby", "script", "search", "section",
     "select", "slot", "source", "style", "summary", "svg", "table", "tbody", "td", "template", "textarea", "tfoot", "th", "thead", "title", "tr", "track",
     "ul", "video"]
)  # fmt: skip
"""All others that HTML has."""
LONGEST = 1_000_000
_BEGINS = re.compile(rf"<!--|<(?:script|style)\b|</?[A-Za-z{HOLE}]|<!|<\?", re.IGNORECASE)
_TAG_ENDS = re.compile(r"(?:\"[^\"]*\"|'[^']*'|[^>\"'])*>?")
_SEEN = re.compile(
    rf"(?<![\w-])(?:{'|'.join(SEEN_ATTRIBUTES)})\s*=\s*(?:\"([^\"]*)\"|'([^']*)'|([^\s\"'>]+))", re.IGNORECASE
)
_DASHES = dict.fromkeys(map(ord, "‐‑‒–—―−"), "-")
_QUOTES = {**dict.fromkeys(map(ord, "‘’‚′`"), "'"), **dict.fromkeys(map(ord, "“”„″«»"), '"')}
_GONE = dict.fromkeys(map(ord, "\u00ad\u200b\u200c\u200d\u2060\ufeff"), "")
_FOLDING = _DASHES | _QUOTES | _GONE


class SeenAt(NamedTuple):
    """Where a stretch of a seen text comes from."""

    shard: int
    line: int


class Stretch(NamedTuple):
    """Seen text between two holes."""

    text: str
    """Folded."""
    starts: tuple[int, ...]
    """Where in it each of its places begins."""
    places: tuple[SeenAt, ...]
    perhaps: bool
    """All of it may be left out."""
    before: tuple[int, ...]
    """The shards of the holes before it."""

    def places_between(self, begin: int, end: int) -> list[SeenAt]:
        """Where the words from one offset to another stand in the source."""
        first = max(bisect_right(self.starts, begin) - 1, 0)
        last = max(bisect_right(self.starts, max(end - 1, begin)) - 1, first)
        return list(self.places[first : last + 1])


class SeenText(NamedTuple):
    """One run of what is seen: words of it stand side by side on a page."""

    stretches: list[Stretch]


def fold_text(text: str) -> str:
    """A text as it is compared: without regard to letter case, to kinds of dash, quote and space, and to marks that are not seen.

    >>> fold_text("The  keeper’s\\u00a0Lamp – Straße")
    "the keeper's lamp - strasse"
    """
    if text.isascii():
        return " ".join(text.replace("`", "'").lower().split())
    plain = unicodedata.normalize("NFKC", text.translate(_FOLDING)).translate(_FOLDING).casefold()
    return " ".join(plain.split())


def _folded_piece(text: str) -> str:
    """The same of a part: a space at its edge stays."""
    inner = fold_text(text)
    if not inner:
        return " " if (text.isascii() and text) or text.translate(_GONE) else ""
    return (" " if text[0].isspace() else "") + inner + (" " if text[-1].isspace() else "")


def seen_runs(shards: list[Shard]) -> Iterator[SeenText]:
    """The runs of seen text that pieces make: the page's own, and one for each attribute that is seen."""
    whole = "".join(HOLE if s.names is not None else s.text.replace(HOLE, " ") for s in shards)
    if len(whole) > LONGEST:
        return
    plain = _Source(whole, shards)
    attributes: list[tuple[int, int]] = []
    yield plain.run(_outside(whole, attributes))
    for begin, end in attributes:
        yield plain.run([(begin, end, True)])


class _Source:
    """Pieces as one text, and which piece each letter comes from."""

    def __init__(self, whole: str, shards: list[Shard]) -> None:
        self.whole, self.shards = whole, shards
        at, self.starts = 0, list[int]()
        for shard in shards:
            self.starts.append(at)
            at += 1 if shard.names is not None else len(shard.text)

    def run(self, spans: Iterable[tuple[int, int, bool]]) -> SeenText:
        """The stretches of some spans of the text: (begin, end, seen as letters; else as a space)."""
        made = _StretchMaker(self.shards)
        for begin, end, letters in spans:
            if not letters:
                made.space()
                continue
            for one, two in pairwise(self._cuts(begin, end)):
                made.add(self.whole[one:two], bisect_right(self.starts, one) - 1, one, self.starts)
        return made.finish()

    def _cuts(self, begin: int, end: int) -> list[int]:
        """Where pieces begin and end inside a span; pieces without letters begin where the next one does."""
        first, last = bisect_right(self.starts, begin), bisect_right(self.starts, end - 1)
        return [begin, *dict.fromkeys(s for s in self.starts[first:last] if s > begin), end]


class _StretchMaker:
    """Stretches while they are put together."""

    def __init__(self, shards: list[Shard]) -> None:
        self.shards = shards
        self.stretches: list[Stretch] = []
        self._begin(())

    def _begin(self, holes: tuple[int, ...]) -> None:
        self.parts: list[str] = []
        self.size, self.gap, self.perhaps = 0, False, True
        self.starts, self.places = list[int](), list[SeenAt]()
        self.holes = holes

    def space(self) -> None:
        self.gap = True

    def add(self, raw: str, shard: int, at: int, starts: list[int]) -> None:
        piece = self.shards[shard]
        if piece.names is not None:
            if self.size:
                self._end()
                self._begin((shard,))
            else:
                self._begin((*self.holes, shard))
            return
        line = piece.line + piece.text.count("\n", 0, at - starts[shard])
        for number, row in enumerate(unescape(raw).split("\n") if "\n" in raw else [unescape(raw)]):
            self.gap = self.gap or number > 0
            text = _folded_piece(row)
            if not text.strip():
                self.gap = self.gap or bool(text)
                continue
            if self.gap or text[0] == " ":
                text = " " + text.lstrip()
            self.gap = text.endswith(" ")
            self._add_part(text.rstrip(), SeenAt(shard, line + number), piece.perhaps)

    def _add_part(self, text: str, place: SeenAt, perhaps: bool) -> None:
        if not self.size:
            text = text.lstrip()
        self.starts.append(self.size)
        self.places.append(place)
        self.parts.append(text)
        self.size += len(text)
        self.perhaps = self.perhaps and perhaps

    def _end(self) -> None:
        text = "".join(self.parts)
        self.stretches.append(Stretch(text, tuple(self.starts), tuple(self.places), self.perhaps, self.holes))

    def finish(self) -> SeenText:
        if self.size or self.holes:
            self._end()
        return SeenText(self.stretches)


def _outside(whole: str, attributes: list[tuple[int, int]]) -> Iterator[tuple[int, int, bool]]:
    """What stands outside of tags, comments, scripts and sheets; the spans of attributes that are seen are noted."""
    at, never = 0, set[str]()
    while True:
        found = _BEGINS.search(whole, at)
        if found is None:
            break
        begin, mark = found.start(), found[0].lower()
        end = _end_of(whole, found, mark, never)
        if end is None:
            yield (at, found.end(), True)
            at = found.end()
            continue
        if begin > at:
            yield at, begin, True
        if not mark.startswith(("<!", "<?", "<script", "<style")):
            spans = (_inside(each) for each in _SEEN.finditer(whole, begin, end))
            attributes += [(one, two) for one, two in spans if two > one]
        name = re.match(r"</?(\w*)", whole[begin : begin + 20])
        if not (mark.startswith("<!--") or (name is not None and name[1].lower() in INLINE)):
            yield begin, begin, False
        at = end
    if at < len(whole):
        yield at, len(whole), True


def _inside(found: re.Match[str]) -> tuple[int, int]:
    return next(found.span(number) for number in (1, 2, 3) if found[number] is not None)


def _end_of(whole: str, found: re.Match[str], mark: str, never: set[str]) -> int | None:
    """Behind what a mark begins; None where nothing ends it."""
    last = {"<!--": "-->", "<script": r"</script[^>]*>?", "<style": r"</style[^>]*>?", "<?": r"\?>"}.get(mark)
    if last is None:
        tag = _TAG_ENDS.match(whole, found.end())
        return tag.end() if tag is not None else found.end()
    ends = None if last in never else re.compile(last, re.IGNORECASE).search(whole, found.end())
    if ends is None:
        never.add(last)
        return None
    return ends.end()
