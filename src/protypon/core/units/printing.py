"""What the units of a lineage print, so that words of a page can be looked for in it: the input and outcome of every kind's ``prints``."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import NamedTuple, cast

from protypon.core.languages.css.selectors import AskedFor, asked_for
from protypon.core.languages.markup import HOLE, Printed, may_have_class, may_have_id, printed_elements
from protypon.core.languages.visible.aligning import LONGEST_WORDS
from protypon.core.languages.visible.pieces import Shard
from protypon.core.languages.visible.reading import BLOCKS, INLINE, fold_text
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Theme, Unit
from protypon.core.units.world import World

_ELEMENTS = re.compile(r"(?:^|[\s>+~,])([A-Za-z][\w-]*)")
_NAMED = re.compile(r"[.#]((?:[A-Za-z_-]|[^\x00-\x7f])(?:[\w-]|[^\x00-\x7f])*)")
SHORT = 6
_ASCII = re.compile(r"[a-z0-9]+")


class Sought:
    """What is looked for: words as they are seen, or what a selector asks of elements."""

    def __init__(
        self, text: str, selector: AskedFor | None = None, names: Iterable[str] = (), *, split: bool = False
    ) -> None:
        """``names``: files that name one of them are wanted too; ``split``: and those that may have words with markup inside of them."""
        self.text, self.selector, self.names, self.split = text, selector, frozenset(names), split

    @cached_property
    def words(self) -> str:
        """As they are compared."""
        return fold_text(self.text)[:LONGEST_WORDS]

    @cached_property
    def _fragments(self) -> tuple[bytes, ...]:
        """Letters of which a file has to have some, in small letters."""
        parts = [part for word in self.words.split() for part in _ASCII.findall(word)]
        if self.split:
            parts = [piece for part in parts for piece in _halves(part)]
        return tuple(dict.fromkeys(part.encode() for part in [*parts, *(name.lower() for name in self.names)]))

    def may_be_in(self, data: bytes) -> bool:
        """Whether a file can have one of the words; said without reading what it means."""
        low = data.lower()
        return not self._fragments or any(each in low for each in self._fragments)

    def wants(self, world: World, theme: Theme, path: str) -> bool:
        """Whether a file is to be read for it."""
        if self.selector is None:
            return self.may_be_in(world.snapshot.read(theme, path))
        return any(may_match(each, self.selector) for each in elements(world, theme, path))


def _halves(word: str) -> tuple[str, str]:
    """Of a word that is cut by markup, one of these stays whole; a short one is only cut behind its first letter or before its last."""
    if len(word) < SHORT:
        return (word[1:], word[:-1]) if len(word) > 2 else (word, word)
    return word[: len(word) // 2], word[-(len(word) // 2) :]


class PrintSource(NamedTuple):
    """One unit of a theme, and what it prints."""

    unit: Unit
    theme: Theme
    path: str
    shards: Sequence[Shard] = ()
    first: int = 1
    last: int | None = None
    """The lines of the file that are its own; None: to the end."""
    function: int = -1
    """Where its function begins in the file; -1: it stands in none."""
    names: tuple[str, ...] = ()
    """The names under which it is asked for, where it is put into what others print."""
    is_value: bool = False
    """It is a value and no markup of a file."""
    by: str = ""
    """The kind of unit that brought it."""
    selected: int | None = None
    """Of a rule of a sheet, how near its selector is to the one looked for, 0 for the same."""

    @property
    def key(self) -> tuple[Unit, str, str, int]:
        """Unit, theme, path and function: which source it is."""
        return self.unit, self.theme.slug, self.path, self.function


class PrintedAt(NamedTuple):
    """Where something was found."""

    source: PrintSource
    line: int


class Running(NamedTuple):
    """Whether what prints something is used."""

    used: str
    """``yes``, ``no`` or ``unknown``."""
    because: str = ""
    pages: tuple[str, ...] = ()
    """The kinds of page on which it is."""


class WayToChange(NamedTuple):
    """One way to change what was found."""

    rank: int
    """What goes stale least has the lowest."""
    step: Override
    what: str
    """What it does, in words."""


TEXT_RANK, RULE_RANK, SETTING_RANK, HOOK_RANK, FUNCTION_RANK, BLOCK_RANK, FILE_RANK = range(7)
"""The ways to change something, by how soon they go stale: the fewer words of the parent they copy, the later."""
EDIT_VALUE = ("--value", "V")


def may_match(element: Printed, wanted: AskedFor) -> bool:
    """Whether an element can be one that a selector asks for."""
    return (
        (not wanted.name or element.name in ("", wanted.name))
        and all(may_have_class(element, name) for name in wanted.classes)
        and all(may_have_id(element, name) for name in wanted.ids)
    )


def matches_surely(element: Printed, wanted: AskedFor) -> bool:
    """The same, where nothing that is filled in has to be so."""
    return wanted.name in ("", element.name) and wanted.classes <= element.classes and wanted.ids <= set(element.ids)


def elements(world: World, theme: Theme, path: str) -> list[Printed]:
    """The elements that a file prints, remembered by what it says."""
    key = ("printed", theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        text = world.snapshot.read(theme, path).decode("utf-8", "replace")
        world.snapshot.worked_out[key] = list(printed_elements(text))
    return cast("list[Printed]", world.snapshot.worked_out[key])


def files_that_print(world: World) -> Iterator[tuple[Theme, str]]:
    """The templates that count, and all code: (theme, path)."""
    taken: set[str] = set()
    for theme in world.lineage.themes:
        for path, rule in world.platform.ruled(theme.files).rows:
            if rule.kind == "code" or (rule.kind == "template" and path not in taken):
                taken.add(path)
                yield theme, path


def selector_in(text: str) -> AskedFor | None:
    """What a text asks of elements if it can be meant as a selector: it has a class or an id, and no words besides."""
    wanted = asked_for(text) if HOLE not in text and text.strip() else None
    names = _ELEMENTS.findall(text)
    return wanted if wanted is not None and named_in(text) and all(map(is_element, names)) else None


def named_in(selector: str) -> frozenset[str]:
    """The classes and ids that a selector names, of the element and of those around it."""
    return frozenset(_NAMED.findall(selector))


def is_element(name: str) -> bool:
    """Whether HTML has an element of a name (its index of elements), or may have it (custom elements, section 4.13.3)."""
    return name.lower() in INLINE | BLOCKS or "-" in name
