"""YAML files (1.2)."""

from __future__ import annotations

from protypon.core.files.structured import yaml_value
from protypon.core.languages.data import yaml_text
from protypon.core.languages.data.structured import Structured

VERSION = "yaml/1"
ANY_ENCODING = False
_OWN = Structured(yaml_value, placed=yaml_text.lines, edit=yaml_text.with_values)
facts, problems, significant = _OWN.facts, _OWN.problems, _OWN.significant
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values
