"""TOML files (v1.0.0)."""

from __future__ import annotations

from protypon.core.files.structured import toml_table
from protypon.core.languages.data import toml_text
from protypon.core.languages.data.structured import Structured

VERSION = "toml/1"
ANY_ENCODING = False
_OWN = Structured(toml_table, placed=toml_text.lines, edit=toml_text.with_values)
facts, problems, significant = _OWN.facts, _OWN.problems, _OWN.significant
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values
