"""TOML files (v1.0.0)."""

from __future__ import annotations

from protypon.core.files.structured import toml_table
from protypon.core.languages.data.structured import Structured

VERSION = "toml/1"
ANY_ENCODING = False
_OWN = Structured(toml_table, text="toml_text")
facts, problems, significant, parts = _OWN.facts, _OWN.problems, _OWN.significant, _OWN.parts
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values
