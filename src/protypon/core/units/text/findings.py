"""Files of the child that say again what the parents say."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

find = TEXT.findings
