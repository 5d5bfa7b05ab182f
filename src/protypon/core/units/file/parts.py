"""Overrides that only add: a file laid key by key over the parent's."""

from __future__ import annotations

from protypon.core.languages.registry import Parted, language


def touched(ours: bytes, base: bytes, theirs: bytes, name: str) -> tuple[str, ...] | None:
    """The parts that ``ours`` sets and that came, changed or went between ``base`` and ``theirs``; None where a text can't be read."""
    own, old, new = (_parts(data, name) for data in (ours, base, theirs))
    if own is None or old is None or new is None:
        return None
    changed = {part for part in {*old, *new} if old.get(part) != new.get(part)}
    return tuple(sorted(part for part in own if any(_meet(part, other) for other in changed)))


def _meet(one: str, other: str) -> bool:
    """Whether two parts are one, or one holds the other."""
    return one == other or one.startswith(f"{other}.") or other.startswith(f"{one}.")


def _parts(data: bytes, name: str) -> dict[str, str] | None:
    module = language(name)
    return module.parts(data.decode("utf-8", "replace")) if isinstance(module, Parted) else None
