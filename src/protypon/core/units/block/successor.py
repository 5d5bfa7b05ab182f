"""The block that took the place of one which nothing prints any more."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.languages.jinja.blocks import BlockText
from protypon.core.merge.likeness import ALIKE, TIE, alike
from protypon.core.units.block_files import BlockFile, Further


class Successor(NamedTuple):
    """A block by another name, and how alike its text is."""

    name: str
    theme: str
    alike: float


def successor(file: BlockFile, block: BlockText, base: bytes | None) -> Successor | None:
    """The one block that is printed, that the child does not set, and whose text is like what the old one was made of."""
    if base is None or not base.strip():
        return None
    found: list[Successor] = []
    for chain in file.above:
        for name in chain.names():
            further = chain.further(name)
            version = chain.version(name)
            if file.block(name) is None and isinstance(further, Further) and version in chain.running:
                found.append(Successor(name, further.theme, alike(base, further.text)))
    found.sort(key=lambda each: -each.alike)
    if not found or found[0].alike < ALIKE:
        return None
    others = [each for each in found[1:] if each.name != found[0].name and each.alike > found[0].alike - TIE]
    return None if others else found[0]
