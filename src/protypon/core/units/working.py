"""Whether a replaced function does what was asked, and no more: told by following the draft."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.languages.writers import writer
from protypon.core.model.actions import Explain, Override, Words
from protypon.core.units import run_differences
from protypon.core.units.declarations import text_of
from protypon.core.units.draft import Draft
from protypon.core.units.parent_functions import Origin, calls_of, folds, own_function
from protypon.core.units.world import World


def not_replaced(before: Draft, after: Draft, pairs: list[tuple[Origin, str]]) -> str:
    """Why a draft does not do what was asked; empty where it does."""
    problem = after.problem()
    if problem is not None:
        return f"the copy would not parse ({problem})"
    for origin, called in pairs:
        unseen = _unseen(before, after, origin, called)
        if unseen:
            return unseen
    behaviour, was = after.world.behaviour, before.world.behaviour
    stops = run_differences.stops(behaviour)
    if stops:
        return stops
    names: dict[tuple[str, str, int], tuple[str, Origin]] = {}
    for origin, called in pairs:
        own = own_function(after.world, called)
        if own is None:
            return f"{called} would not be found"
        names |= {origin.key: (origin.name, origin), own.key: (origin.name, own)}
        failed = _still_used(was, behaviour, origin, own, folds(after.world))
        if failed:
            return failed
    moments = set(behaviour.platform.code.moments) | {c.point for s in was.states for c in s.callbacks}
    changed = run_differences.difference(
        run_differences.rows(was, names, moments), run_differences.rows(behaviour, names, moments)
    )
    if changed:
        return f"other callbacks would run otherwise than now: {changed}"
    changed = run_differences.registered_otherwise(was, behaviour)
    if changed:
        return f"{changed} would be otherwise than now"
    return ""


def _unseen(before: Draft, after: Draft, origin: Origin, called: str) -> str:
    """A name that a copy uses and only the parent's file gives a meaning to."""
    own = own_function(after.world, called)
    rule = before.start.platform.rule_of(origin.path)
    if own is None or rule is None:
        return ""
    made = writer(rule.language)
    theirs = made.globals_of(before.world.snapshot.read(origin.theme, origin.path))
    mine = made.globals_of(after.read(own.path))
    text = text_of(after.world, own)
    missing = sorted(name for name in made.uses(text) & theirs.keys() if name not in mine)
    if not missing:
        return ""
    return f"it uses {', '.join(missing)}, which only {origin.theme.slug}/{origin.path} gives a meaning to"


def _still_used(was: Behaviour, now: Behaviour, origin: Origin, own: Origin, folded: bool) -> str:
    known = (origin.name.lower() if folded else origin.name) in was.state.functions
    if known and same(origin.name, own.name, folded) and not run_differences.in_force(now.state, own, folded):
        return f"{origin.theme.slug} declares {origin.name} first, and its declaration counts"
    if run_differences.attached_anywhere(now, origin):
        return f"{origin.name} of {origin.theme.slug} would still be attached"
    if run_differences.runs(now, origin):
        return f"{origin.name} of {origin.theme.slug} would still run"
    if run_differences.runs(was, origin) and not run_differences.runs(now, own):
        return f"nothing would call {own.name}"
    if (
        not run_differences.runs(was, origin)
        and not same(origin.name, own.name, folded)
        and not run_differences.attached_anywhere(was, origin)
    ):
        return f"nothing that could be followed calls {origin.name}"
    return ""


def same(one: str, other: str, folded: bool) -> bool:
    """Whether two names are one; ``folded``: in any letter case.

    >>> same("Tide_Board", "tide_board", folded=True)
    True
    """
    return one.lower() == other.lower() if folded else one == other


def ties(before: Draft, after: Draft, origin: Origin, called: str) -> Iterator[str]:
    """Callbacks with the same order number, which run on the other side of the copy than they did of the original."""
    own = own_function(after.world, called)
    if own is None:
        return
    names = {origin.key: (origin.name, origin), own.key: (origin.name, own)}
    moments = set(after.world.behaviour.platform.code.moments)
    was, now = (
        run_differences.rows(before.world.behaviour, names, moments)[0],
        run_differences.rows(after.world.behaviour, names, moments)[0],
    )
    for point, found in was.items():
        then = now.get(point, [])
        if not any(name == origin.name for name, _ in found) or not any(name == origin.name for name, _ in then):
            continue
        order = next(order for name, order in found if name == origin.name)
        theirs, mine = _sides(found, origin.name, order), _sides(then, origin.name, order)
        for old, new, crossed in (("after", "before", theirs[0] & mine[1]), ("before", "after", theirs[1] & mine[0])):
            if crossed:
                others = ", ".join(sorted(name.split(" ")[0] for name in crossed))
                verb, them = ("have", "them") if len(crossed) > 1 else ("has", "it")
                yield f"{others} at {point} {verb} the order {order} too: the parent's runs {old} {them}, and yours {new} {them}"


def _sides(rows: list[tuple[str, Any]], name: str, order: object) -> tuple[set[str], set[str]]:
    """The callbacks of one order number that run before one of them, and after it."""
    equals = [each for each, number in rows if number == order]
    at = equals.index(name)
    return set(equals[:at]), set(equals[at + 1 :])


def instead(world: World, origin: Origin) -> Words:
    """What can be done in its place: points fired near it, or the template that prints it."""
    behaviour = world.behaviour
    near = [
        s.name for s in behaviour.said
        if s.meaning.does == "fire" and s.name and (s.theme.slug, s.path) == (origin.theme.slug, origin.path)
    ]  # fmt: skip
    calls = [c for c in calls_of(world, behaviour, origin.name) if c.template]
    if calls:
        return ("copy the template that calls it: ", Override(f"template:{calls[0].place.path}", world.child.slug))
    if near:
        return (
            f"attach something at {near[0]} instead: ",
            Override(f"hook:{near[0]}", world.child.slug, ("--attach", "NAME")),
        )
    return ("see what it has to do with: ", Explain(f"function:{origin.name}", world.child.slug))
