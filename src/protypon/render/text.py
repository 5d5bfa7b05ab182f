"""Output for people: Rich on a terminal and off it, 100 columns at most; colour only adds to what the words say."""

from __future__ import annotations

import os
import sys
import textwrap
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from shutil import get_terminal_size
from typing import TYPE_CHECKING, Any

from protypon.core.model.actions import Words
from protypon.render.commands import sentence
from protypon.render.plain import printable, write_line, write_progress

if TYPE_CHECKING:
    from rich.console import Console

WIDTH = 100
MOST_ALIKE = 25
"""Findings of one code that are printed one by one."""
NEXT = "next: "
IN_PASSING = {
    "settle": "keeps yours",
    "mend": "does it for you",
    "adopt": "writes the missing records",
}
"""What is said of a next step beside it."""
STYLES = {"ok": "green", "note": "cyan", "warning": "yellow", "error": "red", "fatal": "bold red"}


def _console(width: int) -> Console:
    """Rich, which knows terminals and their colours; off a terminal there is nothing for it to do."""
    from rich.console import Console

    return Console(highlight=False, width=width, soft_wrap=True, emoji=False, markup=False)


class Page:
    """Lines on standard output."""

    def __init__(self, wide: bool = False, paged: bool = False) -> None:
        """``wide``: as wide as the terminal is; ``paged``: :meth:`pager` pages."""
        terminal = sys.stdout.isatty()
        columns = get_terminal_size((WIDTH, 24)).columns if terminal or wide else WIDTH
        self.width = max(columns if wide else min(WIDTH, columns), 40)
        self._paged = paged and terminal
        if sys.stderr.isatty():  # a line of progress may stand there
            write_progress("")
        self._console = _console(self.width) if terminal or os.environ.get("FORCE_COLOR") else None

    def line(self, *parts: str | tuple[str, str]) -> None:
        """Print one line from texts and (text, style) pairs."""
        pairs = [(part, "") if isinstance(part, str) else part for part in parts]
        if self._console is None:
            write_line("".join(printable(words) for words, _ in pairs))
            return
        from rich.text import Text

        text = Text()
        for words, style in pairs:
            text.append(printable(words), style)
        self._console.print(text, soft_wrap=True)

    @contextmanager
    def pager(self) -> Iterator[None]:
        """What is printed inside goes through the pager of this system, which leaves at once where all of it can be seen."""
        if not self._paged or self._console is None:
            yield
            return
        os.environ.setdefault("LESS", "-FRX")
        with self._console.pager(styles=True):
            yield

    def gap(self) -> None:
        self.line("")

    def paragraph(self, text: Words, indent: int, style: str = "") -> None:
        """Print words wrapped to the page, indented."""
        for line in textwrap.wrap(
            printable(sentence(text)), self.width - indent, break_long_words=False, break_on_hyphens=False
        ) or [""]:
            self.line(" " * indent, (line, style))

    def labelled_line(self, label: str, words: str, style: str = "") -> None:
        """Print a label and words beside it, wrapped in a column of their own."""
        rows = textwrap.wrap(printable(words), self.width - len(label), break_long_words=False, break_on_hyphens=False)
        for number, row in enumerate(rows or [""]):
            self.line((label, style) if number == 0 else " " * len(label), row)

    def next(self, step: Words | None, indent: int, label: str = NEXT) -> None:
        """Print a command that can be typed; never broken into lines."""
        if step:
            command = sentence(step)
            aside = _aside(command) if label == NEXT else ""
            fits = indent + len(label) + len(command) + len(aside) <= self.width
            self.line(" " * indent, (label, "dim"), (command, "bold"), (aside if fits else "", "dim"))

    def columns(self, rows: Iterable[tuple[str, ...]], indent: int = 2, gap: int = 2) -> None:
        """Print rows in aligned columns; the last one wraps."""
        rows = [tuple(printable(cell) for cell in row) for row in rows]
        if not rows:
            return
        widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]) - 1)]
        left = indent + sum(widths) + gap * len(widths)
        for row in rows:
            head = " " * indent + "".join(cell.ljust(w + gap) for cell, w in zip(row, widths, strict=False))
            wrapped = textwrap.wrap(
                row[-1], max(self.width - left, 20), break_long_words=False, break_on_hyphens=False
            ) or [""]
            self.line(head.rstrip() if not row[-1] else head, wrapped[0])
            for more in wrapped[1:]:
                self.line(" " * left, more)


def _aside(command: str) -> str:
    """What a command does whose name does not say it, as a comment of the shell: it can be copied along."""
    words = command.split(maxsplit=2)[:2]
    said = IN_PASSING.get(words[1], "") if words[:1] == ["protypon"] and len(words) > 1 else ""
    return f"  # {said}" if said else ""


def count(number: int, word: str, plural: str = "") -> str:
    """A number with its noun.

    >>> count(2, "file")
    '2 files'
    """
    return f"{number:,} {word if number == 1 else plural or word + 's'}"


def not_too_many(rows: Iterable[dict[str, Any]], key: str) -> Iterator[dict[str, Any] | tuple[str, int]]:
    """Rows in their order, of each ``key`` no more than are of use; then how many more there are of which."""
    seen: Counter[str] = Counter()
    for row in rows:
        seen[row[key]] += 1
        if seen[row[key]] <= MOST_ALIKE:
            yield row
    yield from ((name, number - MOST_ALIKE) for name, number in seen.items() if number > MOST_ALIKE)
