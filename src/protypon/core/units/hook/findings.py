"""Findings about hook points: detachments that match nothing, callbacks that do not fit their point."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback, Detachment, State, same_target
from protypon.core.analysis.values import Closure
from protypon.core.languages.code import always_returns
from protypon.core.languages.registry import coded_language, is_coded
from protypon.core.model.actions import Explain, Mend, Points
from protypon.core.model.nouns import Finding
from protypon.core.platform.schema import nearest
from protypon.core.themes.reach import Location
from protypon.core.units.hook import markup
from protypon.core.units.places import place_words
from protypon.core.units.taking_out import is_called
from protypon.core.units.world import World


def find(world: World) -> Iterator[Finding]:
    """Attachments and detachments that do nothing, and pages that are not balanced with them."""
    if world.behaviour.state.stopped is None:
        yield from _detachments(world)
        yield from _attachments(world)
        yield from _ran(world)
    yield from markup.find(world)


def _unmatched_detachments(world: World) -> Iterator[tuple[Detachment, State]]:
    """Detachments of the child that match nothing, in no state."""
    tried: dict[tuple[Location, str, str], list[tuple[Detachment, State]]] = {}
    for state in world.behaviour.states:
        for detachment in state.detachments:
            tried.setdefault((detachment.site, str(detachment.point), detachment.label), []).append((detachment, state))
    for (place, _, _), tries in tried.items():
        if place.theme == world.child.slug and not any(d.matched or d.doubt or d.everything for d, _ in tries):
            yield tries[-1]


class Match(NamedTuple):
    """A detachment that matches nothing, and the one callback that it must mean."""

    point: str
    label: str
    order: int | None
    path: str
    line: int
    to: Callback


def matches(world: World) -> Iterator[Match]:
    """What detachments that match nothing must mean: the same name with another number, later, or at the one other point."""
    for d, state in _unmatched_detachments(world):
        same = [
            c
            for c in state.callbacks
            if c.label.lower() == d.label.lower() and c.site.theme != world.child.slug and c.gone is None
        ]
        here = [c for c in same if c.point == d.point] or same
        if len(here) == 1 and isinstance(here[0].order, int) and not here[0].doubt:
            order = d.order if isinstance(d.order, int) else None
            yield Match(str(d.point), d.label, order, d.site.path, d.site.line, here[0])


def _callbacks_judged(world: World) -> set[tuple[str, str]]:
    """Points and callbacks of overrides that have a verdict of their own, which says all there is to say."""
    found = set()
    for record in world.records.values():
        if record.unit.kind == "hook":
            found.add((record.unit.path, (record.unit.name or "").lower()))
        elif record.unit.kind == "function":
            found |= {(at.rpartition(" ")[0], record.unit.path.lower()) for at in record.written.at}
    return found


def _detachments(world: World) -> Iterator[Finding]:
    judged = _callbacks_judged(world)
    mendable = {(m.path, m.line) for m in matches(world)}
    for detachment, state in _unmatched_detachments(world):
        place, point, label = detachment.site, str(detachment.point), detachment.label
        number = "" if detachment.order is None else f" with order {detachment.order}"
        because = f"{place_words(place)} takes {label} off {point}{number}, and that matches nothing: {why_unmatched(world.behaviour, detachment, state)}"
        known = any(c.point == point for c in state.callbacks) or point in world.behaviour.fired
        if any(point == p and is_called(label, name) for p, name in judged):
            continue
        unit = f"hook:{point}#{label}"
        if (place.path, place.line) in mendable:
            mend = Mend(unit, world.child.slug)
            yield Finding("detaches-nothing", "error", place.theme, place.path, because, mend, place.line)
            continue
        step = Explain(f"hook:{point}", world.child.slug) if known else Points(child=world.child.slug)
        yield Finding("detaches-nothing", "error", place.theme, place.path, because, step, place.line)


def why_unmatched(behaviour: Behaviour, d: Detachment, state: State) -> str:
    """What would have matched: another number, a later moment, another point or another name."""
    same = [c for c in state.callbacks if c.label.lower() == d.label.lower()]
    here = [c for c in same if c.point == d.point]
    later = next((c for c in here if c.number >= d.number and (d.order is None or c.order == d.order)), None)
    if later is not None:
        return f"it is attached only later, {_moment(later)} ({place_words(later.site)}); {_in_time(behaviour, later)}"
    standing = next((c for c in here if c.gone is None or c.gone is d), None)
    if standing is not None:
        return f"it was attached with order {standing.order} ({place_words(standing.site)})"
    gone = next((c for c in here if c.gone is not None), None)
    if gone is not None and gone.gone is not None:
        return f"{place_words(gone.gone.site)} has taken it off already"
    if same:
        return f"it is attached at {same[0].point} ({place_words(same[0].site)})"
    labels = tuple(dict.fromkeys(c.label for c in state.callbacks if c.point == d.point))
    near = nearest(d.label, labels)
    if near:
        return f"there is {near} at that point"
    if labels:
        return f"at that point are only {', '.join(labels[:4])}"
    points = tuple(dict.fromkeys(c.point for c in state.callbacks))
    near = nearest(str(d.point), points)
    return f"nothing is attached at that point; did you mean {near}?" if near else "nothing is attached at that point"


def _moment(callback: Callback) -> str:
    return "while code loads" if callback.moment == "loading" else f"when {callback.moment} is fired"


def _in_time(behaviour: Behaviour, callback: Callback) -> str:
    """When a detachment would come in time."""
    moments = behaviour.platform.code.moments
    at = (
        moments.index(callback.moment) + 1
        if callback.moment in moments
        else (0 if callback.moment == "loading" else len(moments))
    )
    if at < len(moments):
        return f"wait for {moments[at]}"
    after = next(
        (c for c in behaviour.state.callbacks if c.point == callback.moment and c.number < callback.number), None
    )
    number = f" with an order number after {after.order}" if after is not None and isinstance(after.order, int) else ""
    return f"wait for {callback.moment}{number}"


def _attachments(world: World) -> Iterator[Finding]:
    """Callbacks of the child that stand for nothing, or wait at a point that nobody fires."""
    behaviour = world.behaviour
    own = {p.name for p in behaviour.platform.code.points}
    unnamed = any(s.meaning.does == "fire" and s.name is None for s in behaviour.said)
    told: set[tuple[Location, str]] = set()
    for callback in behaviour.state.callbacks:
        if callback.site.theme != world.child.slug or (callback.site, callback.point) in told:
            continue
        told.add((callback.site, callback.point))
        step = Explain(f"hook:{callback.point}", world.child.slug)
        place = (callback.site.theme, callback.site.path)
        if callback.point not in own | set(behaviour.fired) and not unnamed:
            near = nearest(callback.point, tuple(sorted(own | set(behaviour.fired))))
            because = (
                f"{place_words(callback.site)} attaches {callback.label} at {callback.point}, which nothing fires"
                + (f"; did you mean {near}?" if near else "")
            )
            yield Finding(
                "point-never-fired",
                "warning",
                *place,
                because,
                Points(child=world.child.slug),
                callback.site.line,
            )
        elif not _is_there(behaviour, callback):
            what, names = _names_like(behaviour, callback)
            near = nearest(callback.label, names)
            because = (
                f"{place_words(callback.site)} attaches {callback.label} at {callback.point}, and there is no such {what}"
                + (f"; did you mean {near}?" if near else "")
            )
            yield Finding("callback-missing", "error", *place, because, step, callback.site.line)


def _names_like(behaviour: Behaviour, callback: Callback) -> tuple[str, tuple[str, ...]]:
    """What a callback should be, and the names of those that there are."""
    owner, colons, _ = callback.label.partition("::")
    if not colons:
        return "function", tuple(d.name for d in behaviour.state.functions.values())
    return "method", behaviour.methods_of(owner)


def _is_there(behaviour: Behaviour, callback: Callback) -> bool:
    names = behaviour.state.functions
    if "::" in callback.label:
        return behaviour.has_method(*callback.label.split("::", 1))
    if not isinstance(callback.target, str):
        return True
    if any(
        coded_language(rule.language).SEMANTICS.is_own(callback.target)
        for rule in behaviour.platform.rules
        if rule.kind == "code" and is_coded(rule.language)
    ):
        return True
    return (
        callback.target in names
        or callback.target.lower() in names
        or callback.target in behaviour.platform.code.functions
    )


class _Fit(NamedTuple):
    """One callback at one point: what the point hands it, and where it is fired."""

    callback: Callback
    closure: Closure
    given: int
    passes: bool
    where: str


def _fits(behaviour: Behaviour) -> Iterator[_Fit]:
    """Every callback with the points where it runs; those of the platform that no theme fires are known from its file."""
    fired = set()
    for firing in behaviour.firings:
        fired.add(firing.point)
        where = place_words(firing.site) if firing.site.line else behaviour.platform.title
        for ran in firing.ran:
            if ran.decl is not None:
                yield _Fit(ran.callback, ran.decl, firing.given, firing.passes, where)
    for point in behaviour.platform.code.points:
        if point.name not in fired:
            for callback in behaviour.state.callbacks:
                closure = closure_of(behaviour.state, callback)
                if callback.point == point.name and callback.gone is None and closure is not None:
                    yield _Fit(callback, closure, point.arguments, point.passes, behaviour.platform.title)


def _ran(world: World) -> Iterator[Finding]:
    """Callbacks of the child that do not fit the point where they run."""
    told: set[tuple[str, Location]] = set()
    for fit in _fits(world.behaviour):
        if fit.callback.site.theme != world.child.slug:
            continue
        function, file, name = fit.closure.function, fit.closure.file, fit.callback.label
        place = Location(file.theme, file.path, function.line)
        handed = fit.given if fit.callback.takes is None else min(fit.callback.takes, fit.given)
        step = Explain(f"hook:{fit.callback.point}", world.child.slug)
        fewest = function.fewest - ("::" in function.name and not file.hoists)
        if fewest > handed and ("few", place) not in told:
            told.add(("few", place))
            asked = (
                f", and {place_words(fit.callback.site)} asks for {fit.callback.takes}" if handed < fit.given else ""
            )
            gives = f"{fit.callback.point} gives {fit.given} ({fit.where})"
            because = f"{place_words(place)}: {name} needs {_count(fewest)}, {gives}{asked}: the page fails"
            yield Finding("needs-more-arguments", "error", place.theme, place.path, because, step, place.line)
        if fit.passes and not always_returns(function.body) and ("returns", place) not in told:
            told.add(("returns", place))
            lost = f"{fit.callback.point} passes a value on ({fit.where}): there the value is lost"
            because = f"{place_words(place)}: {name} has a path that returns nothing, and {lost}"
            yield Finding("returns-nothing", "error", place.theme, place.path, because, step, place.line)


def _count(number: int) -> str:
    return f"{number} argument" + ("" if number == 1 else "s")


def reordered_labels(before: list[Callback], after: list[Callback]) -> list[str]:
    """Callbacks that two runs of a point share, where they come in another order; their labels as they come now."""
    shared = [c for c in after if any(_same(c, b) for b in before)]
    old = [c for c in before if any(_same(c, a) for a in after)]
    return [c.label for c in shared] if [c.label for c in shared] != [c.label for c in old] else []


def _same(a: Callback, b: Callback) -> bool:
    if a.site == b.site:
        return True
    if isinstance(a.target, Closure) and isinstance(b.target, Closure):
        return a.target.function == b.target.function and a.target.file == b.target.file
    return same_target(a.target, b.target, True) is True
