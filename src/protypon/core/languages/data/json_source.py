"""JSON files (RFC 8259)."""

from __future__ import annotations

from protypon.core.files.structured import json_value
from protypon.core.languages.data import json_text
from protypon.core.languages.data.structured import Structured

VERSION = "json/3"
ANY_ENCODING = False
_OWN = Structured(json_value, lambda text: json_value(text, tuple), placed=json_text.lines, edit=json_text.with_values)
facts, problems, significant = _OWN.facts, _OWN.problems, _OWN.significant
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values
