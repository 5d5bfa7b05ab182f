"""Verdicts and their weights, heaviest last."""

from __future__ import annotations

WEIGHTS = ("ok", "note", "warning", "error", "fatal")
VERDICTS = {
    "fatal": "fatal",
    "missing": "error",
    "idle": "error",
    "moved": "error",
    "stranded": "error",
    "needless": "note",
    "collides": "warning",
    "unlisted": "warning",
    "holds": "ok",
    "drifted": "warning",
    "conflicted": "error",
    "unknown": "warning",
}
"""Every verdict with its weight; the first whose test fits wins."""

RESTS_ON_BASE = frozenset({"holds", "drifted", "conflicted", "moved"})
"""Verdicts that would be others if the override had been taken from another text."""
