"""Texts that code gives as variables."""

from __future__ import annotations

from protypon.core.units.variable.kind import VARIABLE

sources, changes, running = VARIABLE.sources, VARIABLE.changes, VARIABLE.running
