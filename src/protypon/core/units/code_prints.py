"""What code files print, function by function: what kinds of unit share that stand in them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple, cast

from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback
from protypon.core.languages.code import Function
from protypon.core.languages.visible.pieces import FILE, Flow, printed_by_code
from protypon.core.model.nouns import Theme, Unit
from protypon.core.units.printing import PrintedAt, PrintSource, Running, Sought
from protypon.core.units.world import World


class CodeFlow(NamedTuple):
    """What one function of a code file prints or gives back, or the file outside of any."""

    theme: Theme
    path: str
    flow: Flow
    function: Function | None

    def source(self, unit: Unit) -> PrintSource:
        """The same as what a unit prints."""
        function = self.function
        if function is None:
            return PrintSource(unit, self.theme, self.path, self.flow.shards)
        place = (function.line, function.last, function.start)
        return PrintSource(
            unit, self.theme, self.path, self.flow.shards, *place, (function.name,) if function.name else ()
        )


def flows(world: World, sought: Sought) -> Iterator[CodeFlow]:
    """All that the code files print which may have what is looked for."""
    for theme in world.lineage.themes:
        for path in world.platform.ruled(theme.files).code:
            if sought.wants(world, theme, path):
                yield from _in(world, theme, path)


def _in(world: World, theme: Theme, path: str) -> Iterator[CodeFlow]:
    found = world.behaviour.code_of(theme, path)
    if found is None:
        return
    rule, code = found
    key = ("flows", rule.language, theme.files[path].digest)
    if key not in world.snapshot.worked_out:
        world.snapshot.worked_out[key] = list(printed_by_code(code))
    for flow in cast("list[Flow]", world.snapshot.worked_out[key]):
        yield CodeFlow(theme, path, flow, code.functions[flow.function] if flow.function != FILE else None)


def running(world: World, standing: PrintedAt) -> Running:
    """Whether a function ran, at the start or on a page of some kind."""
    source, behaviour = standing.source, world.behaviour
    place = (source.theme.slug, source.path)
    if behaviour.uncertain:
        return Running("unknown", behaviour.uncertain)
    if source.function < 0:
        loads = any(place in state.loaded for state in behaviour.states)
        return Running("yes") if loads else Running("no", "its file is not loaded")
    key = (*place, source.function)
    pages = tuple(page.kind for page in behaviour.pages if key in page.state.entered)
    if pages or key in behaviour.state.entered:
        return Running("yes", "", pages)
    if any(how == "replaced" and declared.closure.key == key for declared, how in behaviour.state.hidden):
        return Running("no", "a nearer theme's takes its place")
    gone = {c.point: c.gone for c in callbacks_of(world, key) if c.gone is not None}
    if gone:
        point, by = next(iter(gone.items()))
        return Running("no", f"taken off {point} by {by.site.theme}/{by.site.path} line {by.site.line}")
    return Running("unknown", "nothing that could be followed calls it")


def callbacks_of(world: World, key: tuple[str, str, int]) -> list[Callback]:
    """The callbacks that a function stands at, or stood, each point once; those that stand come first."""
    found: dict[str, Callback] = {}
    every = [callback for state in world.behaviour.states for callback in state.callbacks]
    for callback in sorted(every, key=lambda c: c.gone is not None):
        closure = closure_of(world.behaviour.state, callback)
        if closure is not None and closure.key == key:
            found.setdefault(callback.point, callback)
    return list(found.values())
