"""What keys of files that overlay print: each value that is in force, under the names by which templates and code ask for it."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.data.keys import Key
from protypon.core.languages.visible.pieces import format_pieces
from protypon.core.model.actions import Override
from protypon.core.model.nouns import Theme
from protypon.core.units.keyed import KeyKind
from protypon.core.units.keyed_files import laid, leaves_in, lines_in, paths_of
from protypon.core.units.printing import EDIT_VALUE, PrintedAt, PrintSource, Running, Sought, WayToChange
from protypon.core.units.world import World


def sources(world: World, kind: KeyKind, sought: Sought) -> Iterator[PrintSource]:
    """Each key of which the value may have some of the words."""
    for path in paths_of(world, kind.kind, world.lineage.themes):
        if not any(_may_be_in(world, theme, path, sought) for theme in world.lineage.themes):
            continue
        found = laid(world, world.lineage.themes, path)
        for key, row in found.items() if not isinstance(found, str) else ():
            text = str(row.value)
            if isinstance(row.value, str | int | float) and sought.may_be_in(text.encode()):
                line = lines_in(world, row.theme, path).get(key, 0)
                unit = kind.unit(path, key)
                yield PrintSource(unit, row.theme, path, format_pieces(text, line), line, line, -1, _names(key), True)


def _may_be_in(world: World, theme: Theme, path: str, sought: Sought) -> bool:
    """Whether a theme's file can have some of the words; where letters may be written otherwise than they are, it can."""
    if path not in theme.files:
        return False
    data = world.snapshot.read(theme, path)
    return b"\\" in data or sought.may_be_in(data)


def _names(key: Key) -> tuple[str, ...]:
    """How templates and code name a key: by all of its parts."""
    return (".".join(key),)


def running(world: World, standing: PrintedAt) -> Running:
    """Whether something that a source of this kind prints is used."""
    return Running("yes")


def changes(world: World, rank: int, kind: KeyKind, standing: PrintedAt) -> Iterator[WayToChange]:
    """The key, set by the child."""
    source = standing.source
    if source.unit.kind != kind.kind or source.unit.name is None or source.theme is world.child:
        return
    if kind.taking(world, source.unit) is not None and leaves_in(world, world.child, source.path) is not None:
        words = f"the one {kind.kind}, laid over the parent's"
        yield WayToChange(rank, Override(source.unit.address, world.child.slug, EDIT_VALUE), words)
