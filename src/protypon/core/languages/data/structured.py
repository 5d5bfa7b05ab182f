"""Languages whose files are keys and values: whether one parses, whether only layout changed, and what stands under each key."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.languages.data.keys import GONE, Key, as_json, as_text, leaves_of
from protypon.core.languages.source import NotEdited, SourceFacts
from protypon.core.model.nouns import Problem


def _comments(text: str) -> int:
    """How many lines are comments, or look like one."""
    return sum(line.lstrip().startswith(("#", ";")) for line in text.splitlines())


@dataclass(frozen=True)
class Structured:
    """What such a language offers, from how its texts are read."""

    read: Callable[[str], Any]
    """The value of a text; raises NotRead."""
    ordered: Callable[[str], Any] | None = None
    """The same, so that also a key that stands twice can be told."""
    placed: Callable[[str], dict[Key, int]] = lambda text: {}
    """The line of each key of a text."""
    edit: Callable[[str, Mapping[Key, Any]], str] | None = None
    """A text with other values; raises NotEdited."""
    only_texts: bool = False
    """Whether every value is a text."""
    own_comments: Callable[[str], int] = _comments
    """How many comments a text has that must stay."""

    def facts(self, text: str) -> SourceFacts:
        """Read what a file names and declares; never raises."""
        return SourceFacts()

    def problems(self, text: str, file: str) -> list[Problem]:
        """Say where a file does not parse."""
        try:
            self.read(text)
        except NotRead as error:
            return [] if error.refused else [Problem(file, error.message, error.line, error.column)]
        return []

    def significant(self, text: str) -> str:
        """The values in their order; comments and layout aside."""
        try:
            return repr((self.ordered or self.read)(text))
        except (NotRead, RecursionError):
            return text

    # Keys one by one

    def leaves(self, text: str) -> dict[Key, Any] | None:
        """What stands under each key; a text with nothing in it has none."""
        try:
            value = self.read(text)
        except (NotRead, RecursionError):
            return None if text.strip("\ufeff \t\r\n") else {}
        return {} if value is None else leaves_of(value)

    def lines(self, text: str) -> dict[Key, int]:
        """The line of each key, as far as it can be told."""
        try:
            return self.placed(text)
        except (NotEdited, RecursionError):
            return {}

    def with_values(self, text: str, changes: Mapping[Key, Any]) -> str:
        """The text with other values; it is read again, to see that those and no others changed. Raises NotEdited."""
        before = self.leaves(text)
        if before is None or self.edit is None:
            raise NotEdited("it can't be read")
        try:
            made = self.edit(text, changes)
        except RecursionError as error:
            raise NotEdited("nested too deeply") from error
        if self._leaf_texts(self.leaves(made)) != self._leaf_texts(_with_changes(before, changes)):
            raise NotEdited("it is written in a way in which more than that would change")
        if self.own_comments(made) < self.own_comments(text):
            raise NotEdited("a comment stands in what would go")
        return made

    def _leaf_texts(self, leaves: dict[Key, Any] | None) -> dict[Key, str] | None:
        return None if leaves is None else {key: self.text_of_value(value) for key, value in leaves.items()}

    def text_of_value(self, value: Any) -> str:
        """A value as this language can say it."""
        return as_json(as_text(value) if self.only_texts else value)


def _with_changes(leaves: dict[Key, Any], changes: Mapping[Key, Any]) -> dict[Key, Any]:
    """Leaves with others in their places."""
    found = dict(leaves)
    for key, value in changes.items():
        size = len(key)
        if value is GONE:
            found = {each: was for each, was in found.items() if each[:size] != key}
            continue
        found = {each: was for each, was in found.items() if each[:size] != key and each != key[: len(each)]}
        below = leaves_of(value) if isinstance(value, dict) and value else None
        found |= {(*key, *rest): each for rest, each in below.items()} if below else {key: value}
    return found
