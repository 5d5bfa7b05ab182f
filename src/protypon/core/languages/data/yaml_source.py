"""YAML files (1.2)."""

from __future__ import annotations

from protypon.core.files.structured import yaml_value
from protypon.core.languages.data.structured import Structured

VERSION = "yaml/1"
ANY_ENCODING = False
_OWN = Structured(yaml_value)
facts, problems, significant, parts = _OWN.facts, _OWN.problems, _OWN.significant, _OWN.parts
