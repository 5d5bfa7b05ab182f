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
SAYS = {
    "fatal": "the site stops",
    "missing": "recorded, and not there any more",
    "idle": "there, and never used",
    "moved": "the parent has it under another name now",
    "stranded": "the parent has it no more, and nothing names it",
    "needless": "the parent now says the same",
    "collides": "hides what the parent has brought new",
    "unlisted": "no record says what it was made from",
    "holds": "what it was taken from is as it was",
    "drifted": "the parent changed it; yours merges, or hides that",
    "conflicted": "both changed the same place",
    "unknown": "can't be told, and why",
}
"""What each verdict says, in few words."""

RESTS_ON_BASE = frozenset({"holds", "drifted", "conflicted", "moved"})
"""Verdicts that would be others if the override had been taken from another text."""
