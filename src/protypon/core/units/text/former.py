"""Records of whole files, as ledgers had them once."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

spelled_out = TEXT.spelled_out
