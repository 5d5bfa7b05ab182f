"""How code of the child names a callback of its parents."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from protypon.core.analysis.state import Callback
from protypon.core.analysis.values import Bound, Closure, Thing
from protypon.core.units.coder import Coder
from protypon.core.units.world import World

MOST_WAYS = 6
"""Expressions for one object that are tried."""


def names(world: World, callback: Callback, code: Coder) -> Iterator[str]:
    """Expressions that stand for a callback, the plainest first. Raises LookupError where nothing can name it."""
    thing, method = _owner_of(_here(world, callback))
    label = callback.label
    if thing is None:
        if "?" in label or " " in label:
            raise LookupError(f"{label} at {callback.point} has no name by which it could be taken off")
        yield code.literal(label)
        return
    found = list(islice(_ways(world, thing, code), MOST_WAYS))
    if not found:
        what = "is a method of an object that" if method else "is something that"
        raise LookupError(f"{label} {what} no variable, class or function gives to other code")
    for expression in found:
        yield code.writer.method(expression, method, code.style.quote) if method else expression


def _here(world: World, callback: Callback) -> object:
    """What is attached in the child's lineage, of a callback as its parents have it: their objects are others."""
    place = (callback.point, callback.site, callback.label)
    found = (c.target for c in world.behaviour.state.callbacks if (c.point, c.site, c.label) == place)
    return next(found, callback.target)


def _owner_of(target: object) -> tuple[object, str]:
    """The object that a callback belongs to or is, and the name of the method; None for one that goes by its name."""
    match target:
        case Bound(thing, name):
            return thing, name
        case [Thing() as thing, str(name)]:
            return thing, name
        case Thing():
            return target, ""
        case Closure() if not target.name or target.name == "<lambda>":
            return target, ""
    return None, ""


def _ways(world: World, thing: object, code: Coder) -> Iterator[str]:
    for way in world.behaviour.ways_to(thing):
        expression = code.writer.object_at(way.root, way.owner, way.name, way.attributes, code.style.quote)
        if expression:
            yield expression
