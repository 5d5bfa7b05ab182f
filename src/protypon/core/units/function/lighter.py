"""Findings about overrides inside code that work, and could be written in a lighter way."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.actions import Mend
from protypon.core.model.nouns import Finding
from protypon.core.units.declarations import span_of
from protypon.core.units.function.write import is_offered
from protypon.core.units.parent_functions import origin_of, own_function
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def find(world: World) -> Iterator[Finding]:
    """Functions that the parent guards, or offers, by now, and the child still works round."""
    code = world.platform.code
    for record in world.records.values():
        if record.unit.kind != "function" or record.how != "detach" or not record.written.called:
            continue
        origin, own = (
            origin_of(world, record.unit.path),
            own_function(world, record.written.called, record.written.file),
        )
        if origin is None or own is None:
            continue
        _, span = span_of(world, origin)
        offered = is_offered(world, origin)
        guarded = span is not None and span.guard is not None and code.order == "child-first"
        if not (guarded or offered) or (offered and _is_attached_by_mark(world, record.written.at)):
            continue
        what = "offers" if offered else "guards"
        because = (
            f"{place_words(origin.place)} {what} {origin.name} now, so yours ({own.name}) could take its place under the same name, "
            "without taking anything off a point"
        )
        step = Mend(record.unit.address, world.child.slug)
        yield Finding("lighter-way", "note", world.child.slug, own.path, because, step, own.function.line)


def _is_attached_by_mark(world: World, at: tuple[str, ...]) -> bool:
    """Where a mark on the function attaches it, the parent's must be taken off all the same."""
    return bool(at) and world.platform.code.declares == "marked"
