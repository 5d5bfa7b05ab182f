"""Overrides that only add: a file laid key by key over the parent's."""

from __future__ import annotations

from protypon.core.languages.registry import Parted, language


def touched(ours: bytes, base: bytes, theirs: bytes, name: str) -> tuple[str, ...]:
    """The parts that ``ours`` sets and that changed, or went, between ``base`` and ``theirs``."""
    own, old, new = (_parts(data, name) for data in (ours, base, theirs))
    return tuple(sorted(part for part in own if part in old and old[part] != new.get(part)))


def _parts(data: bytes, name: str) -> dict[str, str]:
    module = language(name)
    return module.parts(data.decode("utf-8", "replace")) if isinstance(module, Parted) else {}
