"""Keys that the child sets over the parents'."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

OPTIONS, supplied_units, find, place = SETTING.options, SETTING.supplied_units, SETTING.find, SETTING.place
