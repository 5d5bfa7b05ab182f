"""Where a theme has a name of its own, place by place: those that are sure to be it, and those that may be something else."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from protypon.core.languages.stretches import ATTRIBUTE, CODE, COMMENT, STRING, STYLE, TEXT, Portion, portions
from protypon.core.themes.renaming.spelling import Spelled, Spelling

_ADDRESS = re.compile(
    r"(?:[a-z][a-z0-9+.-]*:)?//[\w-]+(?:\.[\w-]+)+[^\s\"'<>)\\]*|[\w.+-]+@[\w-]+(?:\.[\w-]+)+|\bwww\.[^\s\"'<>)]+",
    re.IGNORECASE,
)
_PATH = re.compile(r"[\w./@-]+")
KINDS = {CODE: "name in code", STRING: "text in code", STYLE: "CSS name", ATTRIBUTE: "attribute", TEXT: "words", COMMENT: "comment"}  # fmt: skip


COUNTING = frozenset([KINDS[CODE], KINDS[STRING], KINDS[STYLE], KINDS[ATTRIBUTE], "path of a file"])
"""Kinds of place where the platform, or code, goes by a name."""


class Occurrence(NamedTuple):
    """One place where a name stands, and what it would say instead."""

    path: str
    line: int
    begin: int
    end: int
    """Offsets in bytes."""
    old: str
    """All of the name that it is a part of."""
    new: str
    """What stands there then, between ``begin`` and ``end``."""
    kind: str
    sure: bool
    why: str = ""
    """Why it is not sure."""


@dataclass(frozen=True)
class Surroundings:
    """What is known of a theme besides its files, that bears on which names are its own."""

    foreign: frozenset[str] = frozenset()
    """Names that others have: the parents', the platform's."""
    plain: frozenset[str] = frozenset()
    """Likewise, of those that are the old name and nothing more, in small letters."""
    slugs: tuple[str, ...] = ()
    """The slugs of other themes, of which one may begin as the old one does."""
    paths: frozenset[str] = frozenset()
    """Files that keep their path: its parents', and some of its own."""
    moved: Mapping[str, str] = field(default_factory=dict)
    """Files of its own that have another path then."""
    makers: tuple[str, ...] = ()
    """Who made it: a name that stays."""
    declared: frozenset[str] = frozenset()
    """Functions, classes and points that are its own, in small letters."""


class NameSearch:
    """One theme's names, looked for in its files."""

    def __init__(self, old: str, new: str, titles: tuple[str, str], around: Surroundings) -> None:
        self.spelling, self.around = Spelling(old, new), around
        self.old_title, self.new_title = titles
        self._longer = [Spelling(slug, "") for slug in around.slugs if len(slug) > len(old)]

    @cached_property
    def _title(self) -> re.Pattern[str] | None:
        """The title, where it is more than the name again."""
        if self.old_title == self.spelling.old:
            return None
        title = self.old_title.encode("utf-8").decode("latin-1")
        return re.compile(rf"(?<![\w\x80-\xff-]){re.escape(title)}(?![\w\x80-\xff-])") if len(title) > 1 else None

    def in_text(self, path: str, language: str, data: bytes) -> list[Occurrence]:
        """Every place in one file."""
        text = data.decode("latin-1")
        spans = _protected_spans(text, self.around.makers)
        found: list[Occurrence] = []
        at, line = 0, 1
        for part in portions(language, text):
            for each in self._in_portion(text, part):
                if any(begin <= each.begin < end for begin, end in spans):
                    continue
                line, at = line + text.count("\n", at, each.begin), each.begin
                found.append(each._replace(path=path, line=line))
        return found

    def _in_portion(self, text: str, part: Portion) -> Iterator[Occurrence]:
        inner = text[part.begin : part.end]
        titles = [m.span() for m in self._title.finditer(inner)] if self._title is not None else []
        new_title = self.new_title.encode("utf-8").decode("latin-1")
        prose = _is_prose(inner, part.kind)
        rows: list[Occurrence] = []
        for begin, end in titles:
            sure = part.kind in (TEXT, COMMENT, STRING) and (" " in self.old_title or not self._is_common)
            if part.kind in (TEXT, COMMENT) or (part.kind == STRING and (prose or _is_all(inner, begin, end))):
                old = inner[begin:end]
                why = "" if sure else "the title is a word that the theme uses as one"
                rows.append(Occurrence("", 0, part.begin + begin, part.begin + end, old, new_title, "title", sure, why))
        for each in self.spelling.places(inner):
            if any(begin <= each.begin < end for begin, end in titles) and rows:
                continue
            found = self._judge_occurrence(text, part, inner, each, prose)
            if found is not None:
                rows.append(found)
        yield from sorted(rows, key=lambda row: row.begin)

    @property
    def _is_common(self) -> bool:
        """Whether the name is said to be a word like any other."""
        return self.spelling.old.lower() in self.around.plain

    def _judge_occurrence(self, text: str, part: Portion, inner: str, each: Spelled, prose: bool) -> Occurrence | None:
        moved = self._moved_path(inner, each)
        if moved is not None:
            begin = part.begin + each.begin
            return Occurrence("", 0, begin, part.begin + each.end, moved[0], moved[1], "path of a file", True)
        run = inner[each.run_begin : each.run_end]
        made = self.spelling.anew(inner, each, CODE if part.kind == CODE else part.kind)
        sure, why = self._is_own(part, inner, each, run, prose)
        if sure is None:
            return None
        begin = part.begin + each.begin
        return Occurrence("", 0, begin, part.begin + each.end, run, made, KINDS[part.kind], sure, why)

    def _is_own(self, part: Portion, inner: str, each: Spelled, run: str, prose: bool) -> tuple[bool | None, str]:
        """Whether a place is sure to be the theme's own name; None: it is something else."""
        if _path_around(inner, each).lstrip("./") in self.around.paths:
            return None, ""
        one_word = len(self.spelling.words) == 1
        name = run.strip("-_")
        if name in self.around.foreign or any(_begins_with(longer, run) for longer in self._longer):
            return False, "a parent or the platform has this name too"
        if each.place == "inner":
            return False, "it stands inside of a longer name"
        if part.kind == CODE:
            if each.place == "exact" and run.lower() not in self.around.declared:
                return None, ""
            return True, ""
        if part.kind == STYLE:
            before = inner[each.run_begin - 1 : each.run_begin]
            if each.place == "exact" and before not in (".", "#") and not run.startswith("-"):
                return None, ""
            return (False, "a parent has such a class too") if each.place == "exact" and self._is_common else (True, "")
        if each.place == "exact" and one_word and (prose or self._is_common):
            return False, "it may be a word like any other"
        if each.place == "first" and one_word and prose and "_" not in run and name.lower() not in self.around.declared:
            return False, "it may be a word like any other"
        return True, ""

    def _moved_path(self, inner: str, each: Spelled) -> tuple[str, str] | None:
        """Of a path of a file that moves, or the end of one: the old path, and what stands in the place of the name then."""
        path = _path_around(inner, each).lstrip("./")
        if "." not in path or not self.around.moved:
            return None
        for old, new in self.around.moved.items():
            if old == path or old.endswith("/" + path):
                before = inner[_path_begin(inner, each) : each.begin].lstrip("./")
                at = len(old) - len(path) + len(before)
                made = new[at : len(new) - (len(old) - at - (each.end - each.begin))]
                return (old, made) if new[:at] == old[:at] or "/" not in path else None
        return None

    def renamed_path(self, path: str) -> str:
        """The path of a file, with each part of it that is the name, or begins with it, anew."""
        parts = []
        for part in path.split("/"):
            places = [p for p in self.spelling.places(part) if p.place != "inner"]
            foreign = part.strip("-_") in self.around.foreign or any(_begins_with(s, part) for s in self._longer)
            for each in reversed([] if foreign else places):
                made = self.spelling.anew(part, each, "path")
                part = part[: each.begin] + made + part[each.end :]
            parts.append(part)
        return "/".join(parts)


def _path_begin(inner: str, each: Spelled) -> int:
    begin = each.begin
    while begin > 0 and _PATH.match(inner[begin - 1]):
        begin -= 1
    return begin


def _path_around(inner: str, each: Spelled) -> str:
    """The path that a place is a part of."""
    found = _PATH.match(inner, _path_begin(inner, each))
    return found[0] if found is not None else ""


def _is_prose(inner: str, kind: str) -> bool:
    """Whether a stretch is what people write for people: words, or a string with spaces in it."""
    return kind in (TEXT, COMMENT) or (kind == STRING and any(letter.isspace() for letter in inner.strip("\"' \t\r\n")))


def _is_all(inner: str, begin: int, end: int) -> bool:
    return not inner[:begin].strip("\"' \t") and not inner[end:].strip("\"' \t\r\n,")


def _begins_with(spelling: Spelling, run: str) -> bool:
    return any(place.place != "inner" for place in spelling.places(run))


def _protected_spans(text: str, makers: Iterable[str]) -> list[tuple[int, int]]:
    """What stays as it is: addresses, and the names of makers."""
    spans = [found.span() for found in _ADDRESS.finditer(text)]
    for maker in makers:
        written = maker.encode("utf-8").decode("latin-1")
        spans += [found.span() for found in re.finditer(re.escape(written), text)] if len(written) > 1 else []
    return spans


def tokens(spelling: Spelling, found: Iterable[Occurrence]) -> dict[str, str]:
    """Whole names -> what they are then, of the places that are sure."""
    made: dict[str, str] = {}
    for each in found:
        if each.sure and each.kind not in ("title", "path of a file"):
            place = next((p for p in spelling.places(each.old) if p.place != "inner"), None)
            if place is not None:
                made[each.old] = each.old[: place.begin] + each.new + each.old[place.end :]
    return made


def apply_occurrences(data: bytes, found: Iterable[Occurrence]) -> bytes:
    """A file with the places that are sure said anew."""
    out, at = [], 0
    text = data.decode("latin-1")
    for each in sorted((o for o in found if o.sure), key=lambda o: o.begin):
        if each.begin < at:
            continue
        out += [text[at : each.begin], each.new]
        at = each.end
    return "".join([*out, text[at:]]).encode("latin-1")


def names_in(spelling: Spelling, texts: Mapping[str, tuple[str, bytes]]) -> tuple[frozenset[str], frozenset[str]]:
    """The names in some files that begin with a name or have it inside; and those that are nothing else, in small letters, where they count.

    ``texts``: path -> language and bytes.
    """
    longer: set[str] = set()
    plain: set[str] = set()
    for language, data in texts.values():
        if not re.search("[-_]?".join(map(re.escape, spelling.words)).encode(), data, re.IGNORECASE):
            continue
        text = data.decode("latin-1")
        for part in portions(language, text):
            inner = text[part.begin : part.end]
            for each in spelling.places(inner):
                run = inner[each.run_begin : each.run_end]
                if each.place != "exact":
                    longer.add(run.strip("-_"))
                elif run == run.lower():
                    plain.add(run)
    return frozenset(longer), frozenset(plain)
