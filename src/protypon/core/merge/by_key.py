"""Structured texts merged key by key: what the parent changed of keys goes into the child's text, which keeps its comments and its order."""

from __future__ import annotations

from typing import Any

from protypon.core.languages.data.keys import GONE, Key, Keyed, as_json, meets
from protypon.core.languages.source import NotEdited
from protypon.core.merge.three_way import Triple


def merge_keys(triple: Triple, module: Keyed) -> bytes | None:
    """The merged text; None where both sides change one key differently, or a text can't be read or changed key by key."""
    texts = []
    for data in triple:
        try:
            texts.append(data.decode("utf-8"))
        except UnicodeDecodeError:
            return None
    leaves = [module.leaves(text) for text in texts]
    base, ours, theirs = leaves
    if base is None or ours is None or theirs is None:
        return None
    changes = _wanted_changes(_changes(base, ours), _changes(base, theirs))
    if changes is None:
        return None
    try:
        return module.with_values(texts[1], changes).encode("utf-8")
    except NotEdited:
        return None


def is_merge(data: bytes, triple: Triple, module: Keyed) -> bool:
    """Whether a text has just what both sides made of the keys; texts that can't be read are taken as they are."""
    found = [module.leaves(each.decode("utf-8", "replace")) for each in (*triple, data)]
    base, ours, theirs, made = found
    if base is None or ours is None or theirs is None or made is None:
        return True
    changes = _wanted_changes(_changes(base, ours), _changes(base, theirs))
    if changes is None:
        return False
    wanted = {key: value for key, value in ours.items() if key not in changes}
    wanted |= {key: value for key, value in changes.items() if value is not GONE}
    return {key: as_json(value) for key, value in wanted.items()} == {
        key: as_json(value) for key, value in made.items()
    }


def _changes(before: dict[Key, Any], after: dict[Key, Any]) -> dict[Key, Any]:
    """What became of each key that is not as it was."""
    found = {key: GONE for key in before if key not in after}
    return found | {
        key: value for key, value in after.items() if key not in before or as_json(value) != as_json(before[key])
    }


def _wanted_changes(mine: dict[Key, Any], theirs: dict[Key, Any]) -> dict[Key, Any] | None:
    """The parent's changes that the child has not made too; None where two of them meet."""
    wanted = {}
    for key, value in theirs.items():
        met = [other for other in mine if meets(key, other)]
        if met == [key] and _value_text(mine[key]) == _value_text(value):
            continue
        if met:
            return None
        wanted[key] = value
    return wanted


def _value_text(value: Any) -> str | None:
    return None if value is GONE else as_json(value)
