"""Points: the hook points of a lineage in the order of a page, what runs there, and what a child adds, takes away and reorders."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.site import PageRun
from protypon.core.analysis.state import Callback, Firing, State
from protypon.core.analysis.values import Closure
from protypon.core.languages.comments import above, summary
from protypon.core.languages.values import Unknown, readable
from protypon.core.model.actions import Points, ShowPlatform
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.platform.schema import nearest
from protypon.core.themes.page_kinds import template_of
from protypon.core.themes.reach import Location
from protypon.core.units.hook.findings import reordered_labels
from protypon.core.units.world import World

FORMAT = "protypon.points/1"
Table = dict[str, Any]


def points(world: World, kind: str | None, compare: bool, only: str | None = None) -> Table:
    """The points of a lineage as the table that ``--format json`` prints.

    ``kind`` is a kind of page, default the first that the lineage has a template for; with ``compare``, what the child
    changes is told apart from what its parents do; ``only`` one point is told, by default on a kind of page that fires it.
    Raises UnknownName for a kind of page that the platform has not and a point that the lineage has not, ProtyponError
    where its platform file says nothing of points.
    """
    behaviour = world.behaviour
    if behaviour.platform.code.meaning("fire") is None:
        raise ProtyponError(
            f"the platform file of {world.platform.title} says nothing of hook points",
            ("see how one says it: ", ShowPlatform("quayside")),
        )
    if only is not None and kind is None:
        fires = (p.kind for p in behaviour.pages if any(f.point == only for f in p.state.firings))
        kind = next(fires, None)
    page = _page(behaviour, kind)
    before = behaviour.parents if compare else None
    old = (
        next((p for p in before.pages if page is not None and p.kind == page.kind), None)
        if before is not None
        else None
    )
    state = page.state if page is not None else behaviour.state
    names = list(_in_order(behaviour, state))
    if only is not None and only not in names:
        near = nearest(only, (*names, *world.lineage.slugs))
        hint = f"did you mean {near}?" if near else ("see all with: ", Points(child=world.child.slug))
        raise UnknownName(f"the lineage of {world.child.slug} has no point {only!r}", hint)
    reader = _Reader(
        world, before.state if before is not None and old is None else (old.state if old is not None else None)
    )
    return {
        "format": FORMAT,
        "platform": world.platform.name,
        "theme": world.child.slug,
        "lineage": list(world.lineage.slugs),
        "compared": compare and before is not None,
        "page": page.kind if page is not None else None,
        "template": {"theme": page.template.theme.slug, "file": page.template.path}
        if page is not None and page.template is not None
        else None,
        "kinds": [p.kind for p in behaviour.page_kinds if template_of(behaviour.resolver, p) is not None],
        "unknown": behaviour.uncertain or state.blind_about("points") or next((a.why for a in state.anywhere), None),
        "points": [reader.row(name, state, _firings(state, name)) for name in names if only in (None, name)],
    }


def _page(behaviour: Behaviour, kind: str | None) -> PageRun | None:
    if kind is None:
        return next(iter(behaviour.pages), None)
    found = next((p for p in behaviour.pages if p.kind == kind), None)
    if found is None:
        kinds = [p.kind for p in behaviour.page_kinds]
        near = nearest(kind, tuple(kinds))
        hint = f"did you mean {near}?" if near else f"kinds of page are: {', '.join(kinds) or 'none'}"
        if kind in kinds:
            raise UnknownName(
                f"no theme of the lineage has a template for pages of kind {kind!r}",
                f"those that have one: {', '.join(p.kind for p in behaviour.pages)}",
            )
        raise UnknownName(f"no kind of page is called {kind!r}", hint)
    return found


def _in_order(behaviour: Behaviour, state: State) -> Iterator[str]:
    """Points as the page comes to them; then those where something waits that this page never fires, or that other pages fire."""
    seen = dict.fromkeys(f.point for f in state.firings)
    seen |= dict.fromkeys(p.name for p in behaviour.platform.code.points if p.name not in seen)
    yield from seen
    rest = {c.point for c in state.callbacks} | behaviour.fired.keys()
    yield from sorted(rest - seen.keys())


def _firings(state: State, name: str) -> list[Firing]:
    return [f for f in state.firings if f.point == name]


class _Reader:
    """Rows of the table, with comments read from the sources."""

    def __init__(self, world: World, before: State | None) -> None:
        self.world, self.before = world, before
        self.descending = world.platform.code.numbers == "descending"

    def row(self, name: str, state: State, firings: list[Firing]) -> Table:
        behaviour = self.world.behaviour
        own = behaviour.platform.code.point(name)
        fired = list(dict.fromkeys(f.site for f in firings if f.site.line)) or [
            s.place for s in behaviour.fired.get(name, ())
        ]
        last = firings[-1] if firings else None
        callbacks = [r.callback for r in last.ran] if last is not None else state.at(name, self.descending)
        said = next((text for place in fired if (text := self._comment(place))), "")
        return {
            "point": name,
            "passes": name in behaviour.passing,
            "moment": name in behaviour.platform.code.moments,
            "own": own is not None,
            "about": (own.about if own is not None else "") or said,
            "on_page": bool(firings),
            "fired": [self._place(p) for p in fired],
            "gives": last.given if last is not None else None,
            "unknown": state.uncertain(name) or (last.doubt if last is not None and last.doubt else None) or None,
            "callbacks": [self._callback(c, state) for c in callbacks],
            "values": [self._value(r.value) for r in last.ran] if last is not None and last.passes else None,
            "start": self._value(last.start) if last is not None and last.passes else None,
            "taken_away": [self._detachment_row(c) for c in self._absent(name, state, callbacks)],
            "reordered": reordered_labels(self._old(name), callbacks) if self.before is not None else [],
        }

    def _old(self, name: str) -> list[Callback]:
        if self.before is None:
            return []
        firing = next((f for f in reversed(self.before.firings) if f.point == name), None)
        return [r.callback for r in firing.ran] if firing is not None else self.before.at(name, self.descending)

    def _absent(self, name: str, state: State, callbacks: list[Callback]) -> list[Callback]:
        """Callbacks that were attached here and do not run any more."""
        return [c for c in state.callbacks if c.point == name and c.gone is not None and c not in callbacks]

    def _callback(self, callback: Callback, state: State) -> Table:
        closure = _closure(state, callback)
        function = closure.function if closure is not None else None
        comment = function.doc if function is not None else ""
        return {
            "callback": callback.label,
            "order": callback.order if isinstance(callback.order, int) else None,
            "takes": callback.takes,
            **self._place(callback.site),
            "function": self._place(Location(closure.file.theme, closure.file.path, closure.function.line))
            if closure is not None
            else None,
            "comment": summary(comment),
            "when": callback.moment,
            "added": self.before is not None and callback.site.theme == self.world.child.slug,
            "unknown": callback.doubt or None,
        }

    def _detachment_row(self, callback: Callback) -> Table:
        assert callback.gone is not None
        return {
            "callback": callback.label,
            "order": callback.order if isinstance(callback.order, int) else None,
            **self._place(callback.site),
            "by": self._place(callback.gone.site),
            "by_child": callback.gone.site.theme == self.world.child.slug,
        }

    def _comment(self, place: Location) -> str:
        theme = self.world.behaviour.theme(place.theme)
        if theme is None or place.path not in theme.files:
            return ""
        return summary(above(self.world.snapshot.read(theme, place.path).decode("utf-8", "replace"), place.line))

    @staticmethod
    def _place(place: Location) -> Table:
        return {"theme": place.theme, "file": place.path, "line": place.line or None}

    @staticmethod
    def _value(value: Any) -> Any:
        if isinstance(value, Unknown):
            return {"unknown": value.why}
        known = isinstance(value, str | int | float | bool | None)
        return readable(value) if known else {"unknown": f"a {type(value).__name__}"}


def _closure(state: State, callback: Callback) -> Closure | None:
    """The function that ran, or else that a callback stands for."""
    for firing in reversed(state.firings):
        for ran in firing.ran:
            if ran.callback is callback:
                return ran.decl
    return closure_of(state, callback)
