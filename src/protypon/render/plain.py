"""What leaves the program: text of themes and people made harmless for a terminal. Light, for errors need nothing else.

Lines for people go through :class:`protypon.render.text.Page` and :func:`write_error`, tables through :func:`write_json`,
a document as it is through :func:`write_document`; nothing else prints.
"""

from __future__ import annotations

import json
import sys
from typing import IO, Any

from protypon.core.model.paths import quote_path

LONGEST = 400
"""Characters of one line of an error."""
MOST_LINES = 6


def printable(text: str) -> str:
    """Undecodable bytes and control characters of names and texts, made visible.

    >>> printable("a\\x1b[2Jb")
    'a%1B[2Jb'
    """
    return text if text.isprintable() else "".join(c if c.isprintable() else quote_path(c) for c in text)


def write_line(text: str) -> None:
    """A line on standard output that is harmless already."""
    _write(sys.stdout, text)


def write_error(message: str, hint: str = "") -> None:
    """An expected error: what and where on the first line, what to do below it; six lines at most."""
    rows = [f"protypon: {message}", *(f"  {line}" for line in hint.splitlines() if line)]
    for row in rows[:MOST_LINES]:
        shown = printable(row)
        _write(sys.stderr, shown if len(shown) <= LONGEST else f"{shown[: LONGEST - 3]}...")
    sys.stderr.flush()


def write_note(text: str) -> None:
    """One line beside the output: a step of ``--verbose``, a trace."""
    _write(sys.stderr, printable(text))


def write_progress(text: str) -> None:
    """A line that the next one overwrites; only where standard error is a terminal."""
    sys.stderr.write(f"\r\x1b[K{printable(text)}" + ("\r" if text else ""))
    sys.stderr.flush()


def write_json(table: Any) -> None:
    """One object on one line. What a terminal would act on is escaped, which says the same in JSON (RFC 8259, section 7)."""
    text = json.dumps(table, ensure_ascii=False)
    _write(sys.stdout, text if text.isprintable() else "".join(c if c.isprintable() else _escape(c) for c in text))


def _escape(char: str) -> str:
    return json.dumps(char)[1:-1]


def write_document(text: str) -> None:
    """A text as it is, byte for byte; on a terminal made harmless."""
    if sys.stdout.isatty():
        for line in text.splitlines():
            _write(sys.stdout, printable(line.replace("\t", "    ")))
    else:
        sys.stdout.flush()
        sys.stdout.buffer.write(text.encode("utf-8", "surrogateescape"))


def _write(stream: IO[str], text: str) -> None:
    data = (text + "\n").encode("utf-8", "backslashreplace")
    stream.flush()
    buffer = getattr(stream, "buffer", None)
    if buffer is not None:
        buffer.write(data)
    else:  # a stream that somebody put in place of the real one
        stream.write(data.decode("utf-8"))
