"""A key taken out of the child's file."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

out_of = SETTING.out_of
