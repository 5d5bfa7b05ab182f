"""Keys of settings files."""

from __future__ import annotations

from protypon.core.units.keyed import KeyKind

SETTING = KeyKind("setting")
