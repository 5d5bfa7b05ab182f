"""Keys explained: what is in force, who says so, and what would be there without the child."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

units, taking, tell = SETTING.units, SETTING.taking, SETTING.tell
