"""Texts of the interface, by key."""

from __future__ import annotations

from protypon.core.units.keyed import KeyKind

TEXT = KeyKind("text")
