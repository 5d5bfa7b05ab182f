"""Overrides that only add: a template that extends its own parent's, a file laid key by key over the parent's."""

from __future__ import annotations

from protypon.core.languages.registry import Parted, language
from protypon.core.platform.platform import FileRule
from protypon.core.themes.inheritance import Supply
from protypon.core.units.world import World


def extends(world: World, path: str, rule: FileRule, theirs: Supply) -> bool:
    """Say whether the child's template extends the very file that it stands in front of."""
    own = Supply(world.child, path)
    return any(
        reference.how == "extends"
        and any(world.resolver.named(name, world.child, rule) == theirs for name in reference.names)
        for reference in world.resolver.facts(own, rule).references
    )


def touched(ours: bytes, base: bytes, theirs: bytes, name: str) -> tuple[str, ...]:
    """The parts that ``ours`` sets and that changed, or went, between ``base`` and ``theirs``."""
    own, old, new = (_parts(data, name) for data in (ours, base, theirs))
    return tuple(sorted(part for part in own if part in old and old[part] != new.get(part)))


def _parts(data: bytes, name: str) -> dict[str, str]:
    module = language(name)
    return module.parts(data.decode("utf-8", "replace")) if isinstance(module, Parted) else {}
