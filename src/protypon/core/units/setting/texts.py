"""Values as texts that are held against those of kept releases."""

from __future__ import annotations

from protypon.core.units.setting.kind import SETTING

own, in_release, with_merged = SETTING.own, SETTING.in_release, SETTING.with_merged
under_new_name, settle_record = SETTING.under_new_name, SETTING.settle_record
