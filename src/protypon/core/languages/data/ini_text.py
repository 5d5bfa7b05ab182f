"""An INI text changed option by option, by configupdater: comments, order and spacing stay."""

from __future__ import annotations

import configparser
import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from protypon.core.languages.data.keys import GONE, Key, as_text
from protypon.core.languages.source import NotEdited

if TYPE_CHECKING:
    from configupdater import ConfigUpdater


def lines(text: str) -> dict[Key, int]:
    """The line of each option."""
    found: dict[Key, int] = {}
    section = ""
    for number, line in enumerate(text.splitlines(), 1):
        head = re.match(r"\[([^\]]+)\]", line)
        option = re.match(r"([^\s#;=:\[][^=:]*?)\s*[=:]", line)
        if head:
            section = head[1]
        elif option:
            found.setdefault((section, option[1].lower()), number)
    return found


def with_values(text: str, changes: Mapping[Key, Any]) -> str:
    """The text with other options. Raises NotEdited."""
    from configupdater import ConfigUpdater

    end = "\r\n" if "\r\n" in text else "\n"
    updater = ConfigUpdater()
    try:
        updater.read_string(text.replace("\r\n", "\n"))
    except configparser.Error as error:
        raise NotEdited(" ".join(str(error).split())) from error
    for key, value in changes.items():
        if len(key) < 2 or isinstance(value, dict):
            raise NotEdited("an INI text has options in sections, and nothing else")
        _put_option(updater, key[0], ".".join(key[1:]), value)
    return str(updater).replace("\n", end)


def _put_option(updater: ConfigUpdater, section: str, name: str, value: Any) -> None:
    if value is GONE:
        if updater.has_section(section):
            updater.remove_option(section, name)
            if not updater[section].options():
                updater.remove_section(section)
        return
    if not updater.has_section(section):
        if updater.last_block is not None:
            updater.last_block.add_after.space(1)
        updater.add_section(section)
    options = list(updater[section].iter_options())
    if options and name not in updater[section]:
        options[-1].add_after.option(name, as_text(value))
    else:
        updater.set(section, name, as_text(value))
