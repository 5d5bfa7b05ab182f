"""Message catalogues (``.po`` files of GNU gettext), entry by entry: read, and changed so that every other byte stays.

The form is that of the GNU gettext manual, "The Format of PO Files". A key is what a compiled catalogue has as one ("The Format of
GNU MO Files"): the message, its context before it with ``\\x04`` between, its plural behind it with ``\\x00`` between.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.languages.data.keys import GONE, Key
from protypon.core.languages.source import NotEdited

_LINE = re.compile(r"[^\n]*\n|[^\n]+")
_KEYWORD = re.compile(r"(msgctxt|msgid_plural|msgid|msgstr(?:\[(\d{1,2})\])?)[ \t]*(.*)")
_STRING = re.compile(r'"((?:[^"\\]|\\.)*)"[ \t]*')
_ESCAPE = re.compile(r"\\(x[0-9A-Fa-f]{1,2}|[0-7]{1,3}|.)", re.DOTALL)
_BY_PROGRAMS = (":", ".", ",", "|", "~")
"""What comments of programs begin with: places, the author's notes, flags, what was before, what is not used."""
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "a": "\a", "b": "\b", "f": "\f", "v": "\v"}


@dataclass(slots=True)
class Message:
    """One message, with the lines (from 0) that it takes."""

    first: int
    """With the comments above it."""
    begins: int
    """The first line that is no comment."""
    last: int = 0
    comments: list[str] = field(default_factory=list)
    texts: dict[str, str] = field(default_factory=dict)
    """By keyword."""
    said_at: int = -1
    """The line of its first translation."""

    @property
    def key(self) -> str:
        """What the message is found by: context, text, and plural (GNU gettext manual, "PO Files")."""
        context = f"{self.texts['msgctxt']}\x04" if "msgctxt" in self.texts else ""
        plural = f"\x00{self.texts['msgid_plural']}" if "msgid_plural" in self.texts else ""
        return f"{context}{self.texts.get('msgid', '')}{plural}"

    @property
    def value(self) -> str | list[str]:
        """Its translation, or those of all plural forms."""
        if "msgid_plural" not in self.texts:
            return self.texts.get("msgstr", "")
        numbers = sorted(int(name[7:-1]) for name in self.texts if name.startswith("msgstr["))
        return [self.texts[f"msgstr[{number}]"] for number in numbers]

    @property
    def counts(self) -> bool:
        """Whether a compiled catalogue has it: it is translated, and nobody has to look at it first."""
        fuzzy = any(line.startswith("#,") and "fuzzy" in line for line in self.comments)
        return not fuzzy and any(self.value) and bool(self.texts.get("msgid"))


def entries(text: str) -> list[Message]:
    """The messages of a catalogue. Raises NotRead."""
    return list(_Catalogue(_LINE.findall(text)).entries())


class _Catalogue:
    def __init__(self, lines: list[str]) -> None:
        self.lines, self.word = lines, ""

    def entries(self) -> Iterator[Message]:
        entry: Message | None = None
        comments: list[int] = []
        for number, raw in enumerate(self.lines):
            line = raw.strip()
            if not line or line.startswith("#"):
                if entry is not None:
                    yield self._finish_message(entry)
                    entry, comments = None, []
                comments = [] if not line or line.startswith("#~") else [*comments, number]
                continue
            found = _KEYWORD.match(line)
            if found is not None:
                word = found[1]
                begins = word == "msgctxt" or (word == "msgid" and (entry is None or self._is_whole(entry)))
                if begins:
                    if entry is not None:
                        yield self._finish_message(entry)
                    entry = Message(comments[0] if comments else number, number)
                    entry.comments = [self.lines[n].strip() for n in comments]
                    comments = []
                if entry is None or word in entry.texts:
                    raise NotRead(f"{word} stands where it means nothing", number + 1)
                entry.texts[word], self.word = "", word
                if word.startswith("msgstr") and entry.said_at < 0:
                    entry.said_at = number
                line = found[3].strip()
            if entry is None:
                raise NotRead("this is no message", number + 1)
            entry.texts[self.word] += self._string(line, number)
            entry.last = number
        if entry is not None:
            yield self._finish_message(entry)

    @staticmethod
    def _is_whole(entry: Message) -> bool:
        return any(name.startswith("msgstr") for name in entry.texts)

    def _finish_message(self, entry: Message) -> Message:
        if "msgid" not in entry.texts or not self._is_whole(entry):
            raise NotRead("a message wants a msgid and a msgstr", entry.begins + 1)
        return entry

    @staticmethod
    def _string(text: str, number: int) -> str:
        made, at = "", 0
        while at < len(text):
            found = _STRING.match(text, at)
            if found is None:
                raise NotRead("a text in double quotes is wanted", number + 1)
            made += _ESCAPE.sub(_unescape, found[1])
            at = found.end()
        return made


def _unescape(found: re.Match[str]) -> str:
    word = found[1]
    if word[0] == "x" and len(word) > 1:
        return chr(int(word[1:], 16))
    if word[0] in "01234567":
        return chr(int(word, 8))
    return _ESCAPES.get(word, word)


def table(text: str) -> dict[str, Any]:
    """What a catalogue translates: by message. Raises NotRead, also for a message that stands there twice."""
    found: dict[str, Any] = {}
    for entry in entries(text):
        if entry.key in found:
            raise NotRead("this message stands here twice", entry.begins + 1)
        if entry.counts:
            found[entry.key] = entry.value
    return found


def lines(text: str) -> dict[Key, int]:
    """The line of each message."""
    try:
        return {(entry.key,): entry.begins + 1 for entry in entries(text) if entry.counts}
    except NotRead:
        return {}


def own_comments(text: str) -> int:
    """How many comments a person wrote: none that a program puts there."""
    return sum(line.strip().startswith("#") and line.strip()[1:2] not in _BY_PROGRAMS for line in _LINE.findall(text))


# Changed


def with_values(text: str, changes: Mapping[Key, Any]) -> str:
    """The catalogue with other translations. Raises NotEdited."""
    end = "\r\n" if "\r\n" in text else "\n"
    for key, value in changes.items():
        if len(key) != 1 or isinstance(value, dict):
            raise NotEdited("a catalogue has messages, and no tables")
        text = _put_message(text, key[0], value, end)
    return text


def _put_message(text: str, key: str, value: Any, end: str) -> str:
    rows = _LINE.findall(text)
    try:
        entry = next((each for each in entries(text) if each.key == key and each.texts.get("msgid")), None)
    except NotRead as error:
        raise NotEdited(error.message) from error
    if value is GONE:
        return "".join(_without(rows, entry)) if entry is not None else text
    said = _translation_lines(key, value)
    if entry is None:
        return _begun(text, key, end) + "".join(row + end for row in said)
    if any(row.startswith("#,") and "fuzzy" in row for row in entry.comments):
        raise NotEdited("that message is marked as fuzzy")
    after = "" if not rows[entry.last].endswith("\n") else end
    made = end.join(said) + after
    return "".join([*rows[: entry.said_at], made, *rows[entry.last + 1 :]])


def _without(rows: list[str], entry: Message) -> list[str]:
    """A message goes with what a program wrote above it; a person's comment stays."""
    if any(row[1:2] not in _BY_PROGRAMS for row in entry.comments):
        raise NotEdited("a comment of yours stands above it")
    first, last = entry.first, entry.last + 1
    while last < len(rows) and not rows[last].strip():
        last += 1
    if last == len(rows):
        while first and not rows[first - 1].strip():
            first -= 1
    return [*rows[:first], *rows[last:]]


def _translation_lines(key: str, value: Any) -> list[str]:
    """The translation, or those of a plural."""
    if "\x00" in key:
        if not isinstance(value, list) or not value:
            raise NotEdited("a message with a plural wants a list of texts")
        return [row for number, each in enumerate(value) for row in _quote_lines(f"msgstr[{number}]", str(each))]
    if isinstance(value, list):
        raise NotEdited("a message without a plural wants one text")
    return _quote_lines("msgstr", str(value))


def _begun(text: str, key: str, end: str) -> str:
    """The catalogue up to the translation of a new message."""
    context, _, rest = key.rpartition("\x04")
    message, _, plural = rest.partition("\x00")
    rows = [*(_quote_lines("msgctxt", context) if "\x04" in key else []), *_quote_lines("msgid", message)]
    rows += _quote_lines("msgid_plural", plural) if "\x00" in key else []
    if not text.strip():
        text = end.join(['msgid ""', 'msgstr ""', '"Content-Type: text/plain; charset=UTF-8\\n"', ""])
    whole = text if text.endswith("\n") else text + end
    gap = "" if whole.endswith((f"{end}{end}", "\n\n")) else end
    return whole + gap + "".join(row + end for row in rows)


def _quote_lines(word: str, text: str) -> list[str]:
    """A keyword with its text; each line of a text of several on a line of its own."""
    parts = text.split("\n")
    pieces = [f"{part}\n" for part in parts[:-1]] + ([parts[-1]] if parts[-1] else [])
    if len(pieces) < 2:
        return [f'{word} "{_escape(text)}"']
    return [f'{word} ""', *(f'"{_escape(piece)}"' for piece in pieces)]


def _escape(text: str) -> str:
    made = text.replace("\\", "\\\\").replace('"', '\\"')
    for letter, char in _ESCAPES.items():
        made = made.replace(char, f"\\{letter}")
    return made
