"""Structured texts, read: TOML (v1.0.0) and JSON (RFC 8259). Whatever is wrong with one is one error, with its place."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

MOST_DIGITS = 4300
"""Digits of a whole number; Python reads no longer ones (sys.int_info.default_max_str_digits)."""


class NotRead(Exception):
    """A text that is not what it should be: message, and line and column (from 1) where they are known."""

    def __init__(self, message: str, line: int | None = None, column: int | None = None) -> None:
        super().__init__(message)
        self.message, self.line, self.column = message, line, column

    def __str__(self) -> str:
        place = f" (at line {self.line}, column {self.column})" if self.line else ""
        return f"{self.message}{place}"


def toml_table(text: str) -> dict[str, Any]:
    """The table of a TOML document. Raises NotRead."""
    import tomllib

    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        message = str(error).split(" (at ")[0]
        if place:
            raise NotRead(message, int(place[1]), int(place[2])) from error
        raise NotRead(message, text.count("\n") + 1, 1) from error
    except (ValueError, RecursionError) as error:
        raise _too_much(error, text) from error


def json_value(text: str, pairs: Callable[[list[tuple[str, Any]]], Any] | None = None) -> Any:
    """The value of a JSON text; ``pairs`` makes an object of its members. Raises NotRead."""
    import json

    try:
        return json.loads(text, object_pairs_hook=pairs)
    except json.JSONDecodeError as error:
        raise NotRead(error.msg, error.lineno, error.colno) from error
    except (ValueError, RecursionError) as error:
        raise _too_much(error, text) from error


def _too_much(error: Exception, text: str) -> NotRead:
    if isinstance(error, RecursionError):
        return NotRead("nested too deeply")
    found = re.search(rf"\d[\d_]{{{MOST_DIGITS},}}", text)
    if found is None:
        return NotRead(" ".join(str(error).split())[:120] or type(error).__name__)
    start = found.start()
    return NotRead(
        f"a number of more than {MOST_DIGITS:,} digits",
        text.count("\n", 0, start) + 1,
        start - text.rfind("\n", 0, start),
    )
