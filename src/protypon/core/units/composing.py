"""What a unit prints together with what is put into it: keys, values, and what functions that it calls give back."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from protypon.core.languages.visible.pieces import Shard
from protypon.core.units.printing import PrintSource
from protypon.core.units.world import World

DEEPEST = 3
"""Things put into one another that are gone into."""
MOST_SHARDS = 20_000


class NameIndex(NamedTuple):
    """Sources by the names under which others ask for them."""

    by_name: Mapping[str, list[PrintSource]]

    def sources_named(self, shard: Shard) -> list[PrintSource]:
        """What may be put into a hole."""
        found = [source for name in shard.names or () for source in self.by_name.get(name, ())]
        return list({source.key: source for source in found}.values())


class Composed(NamedTuple):
    """The pieces of a source with all that may be put into it, and whose each piece is."""

    shards: list[Shard]
    owners: list[PrintSource]


def index(world: World, sources: Iterable[PrintSource]) -> NameIndex:
    """Sources by name; a function also by what summons it, and by the points at which it stands."""
    found: dict[str, list[PrintSource]] = {}
    for source in sources:
        for name in dict.fromkeys((*source.names, *_called_names(world, source))):
            found.setdefault(name, []).append(source)
    return NameIndex(found)


def _called_names(world: World, source: PrintSource) -> Iterator[str]:
    if source.function < 0:
        return
    for state in world.behaviour.states:
        for callback in state.callbacks:
            if callback.gone is None and callback.label.lower() in {name.lower() for name in source.names}:
                yield callback.point


def compose_pieces(source: PrintSource, found: NameIndex) -> Composed:
    """A source's pieces, with those of others where it may print them."""
    made = Composed([], [])
    _into(made, source, source.shards, found, (source.key,))
    return made


def _into(
    made: Composed, owner: PrintSource, shards: Sequence[Shard], found: NameIndex, around: tuple[object, ...]
) -> None:
    for shard in shards:
        made.shards.append(shard)
        made.owners.append(owner)
        if shard.names is None or len(around) > DEEPEST or len(made.shards) > MOST_SHARDS:
            continue
        for inner in found.sources_named(shard):
            if inner.key not in around:
                several = [piece._replace(perhaps=True) for piece in inner.shards]
                _into(made, inner, several, found, (*around, inner.key))
                made.shards.append(Shard("", shard.line, ()))
                made.owners.append(owner)
