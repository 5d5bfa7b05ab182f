"""Languages whose files are keys and values: whether one parses, whether only layout changed, and what stands under each key."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from importlib import import_module
from types import ModuleType
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.languages.data.keys import GONE, Key, NotEdited, as_text, leaves_of, name_of, written
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem


@dataclass(frozen=True)
class Structured:
    """What such a language offers, from how its texts are read."""

    read: Callable[[str], Any]
    """The value of a text; raises NotRead."""
    ordered: Callable[[str], Any] | None = None
    """The same, so that also a key that stands twice can be told."""
    text: str = ""
    """The module of this package that changes a text."""
    only_texts: bool = False
    """Whether every value is a text."""

    def facts(self, text: str) -> SourceFacts:
        return SourceFacts()

    def problems(self, text: str, file: str) -> list[Problem]:
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

    def parts(self, text: str) -> dict[str, str] | None:
        """The leaves, each under its keys with dots between them; None for a text that is not read."""
        found = self.leaves(text)
        return None if found is None else {name_of(key): written(value) for key, value in found.items()}

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
            found: dict[Key, int] = self._module().lines(text)
        except (NotEdited, RecursionError):
            return {}
        return found

    def with_values(self, text: str, changes: Mapping[Key, Any]) -> str:
        """The text with other values; it is read again, to see that those and no others changed. Raises NotEdited."""
        before = self.leaves(text)
        if before is None:
            raise NotEdited("it can't be read")
        try:
            made: str = self._module().with_values(text, changes)
        except RecursionError as error:
            raise NotEdited("nested too deeply") from error
        if self._said(self.leaves(made)) != self._said(_changed(before, changes)):
            raise NotEdited("it is written in a way in which more than that would change")
        return made

    def _module(self) -> ModuleType:
        return import_module(f"{__package__}.{self.text}")

    def _said(self, leaves: dict[Key, Any] | None) -> dict[Key, str] | None:
        return None if leaves is None else {key: self.said(value) for key, value in leaves.items()}

    def said(self, value: Any) -> str:
        """A value as this language can say it."""
        return written(as_text(value) if self.only_texts else value)


def _changed(leaves: dict[Key, Any], changes: Mapping[Key, Any]) -> dict[Key, Any]:
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
