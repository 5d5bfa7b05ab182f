"""Classes, ids and custom properties that rules ask for: which a release took away, and what took their place."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from difflib import SequenceMatcher
from typing import NamedTuple

from protypon.core.languages.css.rules import StyleRule
from protypon.core.languages.css.selectors import names_in
from protypon.core.model.labels import is_later
from protypon.core.model.nouns import Release, Theme
from protypon.core.units.world import World

_WORD = re.compile(rb"-{0,2}[A-Za-z_][\w-]*")
_BEFORE_A_HOLE = re.compile(rb"(?<![\w-])([A-Za-z_][\w-]*+)(?=\{|<\?|\$|%[sd(]|['\"]\s*[.+~%])")
_AFTER_A_HOLE = re.compile(rb"(?:\}|\?>|%s|[.+~]\s{0,9}['\"])([\w-]++)")
"""What stands before or behind a piece that is filled in at run time: a name may begin or end so."""
_VARIABLE = re.compile(r"var\(\s*(--[\w-]+)")
_CLASSES = re.compile(rb"class\s*=\s*[\"']([^\"']*)[\"']")
PRINTS = ("template", "code", "script", "setting", "text")
"""Kinds of file in which the name of a class or id can stand that comes into a page."""
SHORTEST = 3
"""Letters of a name that is looked for: shorter ones are words of other things."""


class Had(NamedTuple):
    """Where a kept release has a name."""

    release: Release
    path: str
    line: int


def names_of(rule: StyleRule) -> set[str]:
    """The classes and ids that a rule asks for, and the custom properties that its values do without a fallback."""
    used = (name for declaration in rule.declarations for name in _VARIABLE.findall(declaration.value))
    return set(names_in(rule.selector)) | set(used)


def names_gone(world: World, wanted: set[str]) -> dict[str, Had]:
    """The names that a kept release of an ancestor has in a file which changed since, and that nothing in the lineage has now."""
    wanted = {name for name in wanted if len(name.lstrip("-")) >= SHORTEST}
    found: dict[str, Had] = {}
    looked = {name.encode(): name for name in wanted}
    for release in reversed(world.releases):
        theme = world.ancestor(release.theme)
        if theme is None or release.identity == theme.identity or is_later(release.label, theme.release) or not looked:
            continue
        for path, (_, digest) in world.snapshot.files_of(release).items():
            if theme.files.get(path, None) is not None and theme.files[path].digest == digest:
                continue
            for word, line in _words_in(world, path, world.snapshot.blob(digest) or b"", looked.keys()):
                found.setdefault(looked[word], Had(release, path, line))
    there = _still_there(world, set(found)) if found else set()
    return {name: had for name, had in found.items() if name not in there}


def _words_in(world: World, path: str, data: bytes, looked: Iterable[bytes]) -> Iterator[tuple[bytes, int]]:
    """The names that a file of some kind has, each with its first line."""
    rule = world.platform.rule_of(path)
    if rule is None or rule.kind not in (*PRINTS, "style"):
        return
    there = set(_WORD.findall(data))
    for word in looked:
        place = (
            next((at for at in _places(data, word) if _is_meant(data, at, word, rule.kind)), None)
            if word in there
            else None
        )
        if place is not None:
            yield word, data.count(b"\n", 0, place) + 1


MOST_PLACES = 100
"""Places of one word in one file that are looked at."""
BESIDE = 200
"""Letters before and behind a word that are looked at."""


def _places(data: bytes, word: bytes) -> Iterator[int]:
    at = -1
    for _ in range(MOST_PLACES):
        at = data.find(word, at + 1)
        if at < 0:
            return
        yield at


def _is_meant(data: bytes, at: int, word: bytes, kind: str) -> bool:
    """Whether a name is meant as one, and is no word of a sentence: a custom property that is set, an attribute of markup, a quoted text of code."""
    before, after = data[max(0, at - BESIDE) : at], data[at + len(word) : at + len(word) + BESIDE]
    if re.match(rb"[\w-]", after) or re.search(rb"[\w-]$", before):
        return False
    if word.startswith(b"--"):
        return after.lstrip().startswith(b":")
    if kind == "style":
        return False
    if kind == "template":
        return re.search(rb"(?:class|id)\s*=\s*[\"'][^\"'<>]*$", before) is not None
    line = before.rpartition(b"\n")[2], after.partition(b"\n")[0]
    return all(re.search(rb"[\"']", part) for part in line)


def _still_there(world: World, names: set[str]) -> set[str]:
    """Those that any text of the lineage has, or may make at run time; of a custom property, that a sheet or template sets."""
    found: set[str] = set()
    for theme in world.lineage.themes:
        for path, rule in world.platform.ruled(theme.files).rows:
            left = names - found
            if not left or rule.kind not in (*PRINTS, "style"):
                continue
            data = world.snapshot.read(theme, path)
            if rule.kind == "style":
                found |= {
                    name
                    for name in left
                    if name.startswith("--") and re.search(rf"(?<![\w-]){re.escape(name)}\s*:".encode(), data)
                }
                continue
            words = {word.decode() for word in _WORD.findall(data) if word.isascii()}
            begun = tuple(word.decode() for word in _BEFORE_A_HOLE.findall(data) if word.isascii())
            ends = (word.decode() for word in _AFTER_A_HOLE.findall(data) if word.isascii())
            ended = tuple(word for word in ends if any(char.isalpha() for char in word))
            found |= {name for name in left if name in words or name.startswith(begun) or name.endswith(ended)}
    return found


def successor(world: World, name: str, had: Had) -> str:
    """The class that stands where one stood, in the file as it is now: the line that is most like the old one has just one other."""
    theme: Theme | None = world.ancestor(had.release.theme)
    if theme is None or had.path not in theme.files or name.startswith("--"):
        return ""
    digest = world.snapshot.files_of(had.release)[had.path][1]
    old = (world.snapshot.blob(digest) or b"").split(b"\n")
    new = world.snapshot.read(theme, had.path).split(b"\n")
    before = old[had.line - 1]
    added = [line for line in new if line not in old]
    best = max(added, key=lambda line: SequenceMatcher(None, before, line, autojunk=False).ratio(), default=b"")
    if SequenceMatcher(None, before, best, autojunk=False).ratio() < 0.6:
        return ""
    was, now = (
        {word for classes in _CLASSES.findall(line) for word in classes.split() if _WORD.fullmatch(word)}
        for line in (before, best)
    )
    return (now - was).pop().decode() if len(now - was) == 1 and was - now == {name.encode()} else ""
