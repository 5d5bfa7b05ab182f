"""Files of the child that say again what the parents say."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

find = SETTING.findings
