"""INI files. There is no standard of them, so none is said not to parse; what Python's configparser reads is known."""

from __future__ import annotations

from protypon.core.files.structured import ini_table
from protypon.core.languages.data import ini_text
from protypon.core.languages.data.structured import Structured
from protypon.core.model.nouns import Problem

VERSION = "ini/1"
ANY_ENCODING = False
_OWN = Structured(ini_table, placed=ini_text.lines, edit=ini_text.with_values, only_texts=True)
facts, significant = _OWN.facts, _OWN.significant
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values


def problems(text: str, file: str) -> list[Problem]:
    """Say where a file does not parse."""
    return []
