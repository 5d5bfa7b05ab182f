"""A key taken out of the child's file."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

out_of = TEXT.out_of
