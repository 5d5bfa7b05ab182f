"""INI manifests, as Python's configparser reads them."""

from __future__ import annotations

import configparser
import re
from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.model.limits import INI_LINES


def read(text: str) -> dict[str, Any]:
    if text.count("\n") > INI_LINES:
        raise NotRead(f"has more than {INI_LINES:,} lines")
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


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """Set options line by line, so that comments and spacing stay."""
    lines = text.splitlines(keepends=True)
    for (section, *rest), value in changes.items():
        _set(lines, section, ".".join(rest), value)
    return "".join(lines)


def _set(lines: list[str], section: str, key: str, value: Any) -> None:
    start, end = _section(lines, section)
    if start is None:
        if value is not None:
            lines += (["\n"] if lines else []) + [f"[{section}]\n", _line(key, value)]
        return
    option = re.compile(re.escape(key) + r"\s*[=:]", re.IGNORECASE)
    for number in range(start, end):
        if option.match(lines[number]):
            last = number + 1
            while last < end and lines[last][:1].isspace() and lines[last].strip():
                last += 1
            lines[number:last] = [] if value is None else [_line(key, value)]
            return
    if value is not None:
        while end > start and not lines[end - 1].strip():
            end -= 1
        if lines[end - 1][-1:] not in "\r\n":
            lines[end - 1] += "\n"
        lines.insert(end, _line(key, value))


def _section(lines: list[str], section: str) -> tuple[int | None, int]:
    start: int | None = None
    for number, line in enumerate(lines):
        if line.startswith("["):
            if start is not None:
                return start, number
            if line.strip() == f"[{section}]":
                start = number + 1
    return start, len(lines)


def _line(key: str, value: Any) -> str:
    text = ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
    return f"{key} = {text}\n"
