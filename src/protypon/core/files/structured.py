"""Structured texts, read: TOML (v1.0.0), JSON (RFC 8259), YAML (1.2) and INI as Python's configparser has it.

Whatever is wrong with one is one error, with its place.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from protypon.core.model.limits import INI_LINES, YAML_EVENTS

DEEPEST = 50
"""Tables and lists inside one another of a YAML text."""
MOST_DIGITS = 4300
"""Digits of a whole number; Python reads no longer ones (sys.int_info.default_max_str_digits)."""


class NotRead(Exception):
    """A text that is not what it should be: message, and line and column (from 1) where they are known.

    ``refused``: it may well be right, and is not read all the same, because reading it could take for ever.
    """

    def __init__(
        self, message: str, line: int | None = None, column: int | None = None, *, refused: bool = False
    ) -> None:
        super().__init__(message)
        self.message, self.line, self.column, self.refused = message, line, column, refused

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


def yaml_value(text: str) -> Any:
    """The value of a YAML document of plain tables, lists and texts. Raises NotRead; anchors that repeat, and deep nesting, are refused."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError
    from ruamel.yaml.parser import ParserError
    from ruamel.yaml.scanner import ScannerError

    _shallow(text)
    try:
        return YAML(typ="safe", pure=True).load(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise NotRead(
            error.problem or "does not parse",
            mark.line + 1 if mark else None,
            mark.column + 1 if mark else None,
            refused=not isinstance(error, ParserError | ScannerError),
        ) from error
    except (YAMLError, RecursionError, ValueError, TypeError) as error:
        raise NotRead(str(error).split("\n")[0] or "does not parse", refused=True) from error


def _shallow(text: str) -> None:
    """Refuse what makes a reader run for ever: aliases (which can multiply) and deep nesting."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError
    from ruamel.yaml.events import AliasEvent, MappingEndEvent, MappingStartEvent, SequenceEndEvent, SequenceStartEvent

    depth = 0
    try:
        for number, event in enumerate(YAML(typ="safe", pure=True).parse(text)):
            line, column = event.start_mark.line + 1, event.start_mark.column + 1
            if number > YAML_EVENTS:
                raise NotRead(f"has more than {YAML_EVENTS:,} keys and values", line, refused=True)
            if isinstance(event, AliasEvent):
                raise NotRead("an alias (*) is not read", line, column, refused=True)
            depth += isinstance(event, MappingStartEvent | SequenceStartEvent)
            depth -= isinstance(event, MappingEndEvent | SequenceEndEvent)
            if depth > DEEPEST:
                raise NotRead("nested too deeply", line, column, refused=True)
    except (YAMLError, RecursionError, ValueError):
        return


def ini_table(text: str) -> dict[str, Any]:
    """The options of an INI text by section. Raises NotRead."""
    import configparser

    if text.count("\n") > INI_LINES:
        raise NotRead(f"has more than {INI_LINES:,} lines", refused=True)
    parser = configparser.RawConfigParser(strict=True)
    try:
        parser.read_string(text)
    except configparser.MissingSectionHeaderError as error:
        raise NotRead("a line stands before the first [section]", error.lineno, 1) from error
    except configparser.ParsingError as error:
        raise NotRead("a line is neither a [section] nor a key = value", error.errors[0][0], 1) from error
    except (configparser.DuplicateOptionError, configparser.DuplicateSectionError) as error:
        raise NotRead(str(error).split("]: ")[-1], error.lineno, 1) from error
    return {section: dict(parser.items(section)) for section in parser.sections()}


def _too_much(error: Exception, text: str) -> NotRead:
    if isinstance(error, RecursionError):
        return NotRead("nested too deeply", refused=True)
    found = re.search(rf"\d[\d_]{{{MOST_DIGITS},}}", text)
    if found is None:
        return NotRead(" ".join(str(error).split())[:120] or type(error).__name__)
    start = found.start()
    return NotRead(
        f"a number of more than {MOST_DIGITS:,} digits",
        text.count("\n", 0, start) + 1,
        start - text.rfind("\n", 0, start),
        refused=True,
    )
