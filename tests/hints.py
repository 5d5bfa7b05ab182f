"""The commands that messages name: found in what was printed, taken by the program's own parser, and typed."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator
from contextlib import redirect_stdout, suppress
from io import StringIO

import click

from protypon.cli.main import cli

READING = ("survey", "points", "explain", "find", "check", "compare")
"""Commands that change no file of a bench."""
_PLACEHOLDER = re.compile(r"[A-Z]{1,}(\.\.\.)?$")


def commands_in(text: str) -> Iterator[str]:
    """Each command of this program that stands in a message, up to the end of its words.

    >>> list(commands_in("keep that (protypon keep PATH --release 1.0), or see: protypon check 'a b'"))
    ['protypon keep PATH --release 1.0', "protypon check 'a b'"]
    """
    for line in text.splitlines():
        for found in re.finditer(r"(?<![\w/.:-])protypon (?=[a-z-])", line):
            yield _upto_its_end(line[found.start() :])


def _upto_its_end(line: str) -> str:
    quote = ""
    for at, char in enumerate(line):
        if quote:
            quote = "" if char == quote else quote
        elif char in "'\"":
            quote = char
        elif char in ";)," or line.startswith((" or ", " and ", "  ("), at) or line[at:] == "?":
            return line[:at].rstrip()
    return line.rstrip()


def after_a_persons_work(text: str, command: str) -> bool:
    """Whether the message says to do something first, and then to type the command."""
    before = text[: text.index(command)].rsplit("\n", 1)[-1]
    return bool(
        re.search(r"\bthen\b|\bonce\b|\bby hand\b|\bfirst\b|\bagain with\b|\bif\b|\bas in\b|did you mean", before)
    )


def is_a_form(command: str) -> bool:
    """Whether words in capitals stand in it that a person puts others for."""
    return any(_PLACEHOLDER.match(word) for word in shlex.split(command))


def parse(command: str) -> None:
    """Let the program's own parser take a command. Raises click.UsageError where it does not."""
    with suppress(click.exceptions.Exit), redirect_stdout(StringIO()):  # of --help and --version
        _parse(command, shlex.split(command)[1:])


def _parse(command: str, words: list[str]) -> None:
    found: click.Command = cli
    above = click.Context(cli, info_name="protypon")
    while isinstance(found, click.Group):
        while words and words[0] == "-C":
            words = words[2:]
        name, below, words = found.resolve_command(above, words)
        assert below is not None, command
        found, above = below, click.Context(below, above, info_name=name)
    found.make_context(above.info_name or "", words, parent=above.parent)
