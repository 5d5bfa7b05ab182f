"""INI manifests, as Python's configparser reads them."""

from __future__ import annotations

import configparser
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from protypon.core.files.structured import NotRead
from protypon.core.files.structured import ini_table as read

if TYPE_CHECKING:
    from configupdater import ConfigUpdater

__all__ = ["read", "write"]


def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
    """Set options; comments, order and spacing stay."""
    from configupdater import ConfigUpdater

    end = "\r\n" if "\r\n" in text else "\n"
    updater = ConfigUpdater()
    try:
        updater.read_string(text.replace("\r\n", "\n"))
    except configparser.Error as error:
        raise NotRead(" ".join(str(error).split())) from error
    for (section, *rest), value in changes.items():
        _set_option(updater, section, ".".join(rest), value)
    return str(updater).replace("\n", end)


def _set_option(updater: ConfigUpdater, section: str, key: str, value: Any) -> None:
    if value is None:
        if updater.has_section(section):
            updater.remove_option(section, key)
        return
    if not updater.has_section(section):
        if updater.last_block is not None:
            updater.last_block.add_after.space(1)
        updater.add_section(section)
    options = list(updater[section].iter_options())
    if options and key not in updater[section]:
        options[-1].add_after.option(key, _text(value))
    else:
        updater.set(section, key, _text(value))


def _text(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
