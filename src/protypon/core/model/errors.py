"""Expected errors: one family, one line each, with what to type next."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from protypon.core.model.actions import Words


class ProtyponError(Exception):
    """Something expected went wrong.

    ``message`` says what and where in one line; ``hint`` says what to do next, usually a command.
    """

    exit_code = 3

    def __init__(self, message: str, hint: Words = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint

    def __reduce__(self) -> tuple[type[ProtyponError], tuple[str, Words]]:
        """So that one comes whole from another process."""
        return type(self), (self.message, self.hint)


@contextmanager
def handling(file: str) -> Iterator[None]:
    """Name the file in hand, should anything unexpected happen to it."""
    try:
        yield
    except ProtyponError:
        raise
    except Exception as error:
        if not getattr(error, "__notes__", None):
            error.add_note(file)
        raise


class BadInput(ProtyponError):
    """A file, an archive or a folder can't be used as it is."""


class UnknownName(ProtyponError):
    """A name that was typed stands for nothing: unit, child, theme, platform."""

    exit_code = 2


class Usage(ProtyponError):
    """The command line asks for something that makes no sense."""

    exit_code = 2
