"""Values as texts that are held against those of kept releases."""

from __future__ import annotations

from protypon.core.units.text.kind import TEXT

own, in_release, with_merged = TEXT.own, TEXT.in_release, TEXT.with_merged
under_new_name, settle_record = TEXT.under_new_name, TEXT.settle_record
