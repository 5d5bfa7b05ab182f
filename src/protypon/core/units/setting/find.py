"""Keys that the child sets over the parents'."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

OPTIONS, supplied, find, place = SETTING.options, SETTING.supplied, SETTING.find, SETTING.place
