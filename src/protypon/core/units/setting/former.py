"""Records of whole files, as ledgers had them once."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

spelled_out = SETTING.spelled_out
