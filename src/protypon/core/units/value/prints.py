"""Texts that code gives as values."""

from __future__ import annotations

from protypon.core.units.value.kind import VALUE

sources, changes, running = VALUE.sources, VALUE.changes, VALUE.running
