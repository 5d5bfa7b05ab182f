"""Whether a function of the child is used in the place of the parents', and what breaks with it."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback
from protypon.core.languages.code import Declare, Function, If, spreads
from protypon.core.languages.registry import coded_language, is_coded
from protypon.core.model.nouns import Record
from protypon.core.themes.reach import Location
from protypon.core.units import run_differences
from protypon.core.units.function.findings import names_in
from protypon.core.units.parent_functions import Origin, attachments, calls_of, folds, same_name
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def reach(world: World, record: Record, own: Origin, origin: Origin) -> tuple[str, str]:
    """Whether the platform uses the child's function, and why it does not."""
    behaviour = world.behaviour
    named_alike = record.how == "replace" and same_name(world, own.name, origin.name)
    if named_alike and not _declared_by(world, own) and _declared_at_all(world, origin):
        first = behaviour.state.functions.get(origin.name.lower() if folds(world) else origin.name)
        where = f"{place_words(first.site)} declares it first" if first is not None else "another declaration counts"
        return "no", f"{place_words(own.place)} is never used: {where}"
    left = [
        c
        for s in behaviour.states
        for c in s.callbacks
        if c.gone is None and not c.doubt and origin.is_it(closure_of(s, c))
    ]
    if left and record.written.at:
        return "no", _still_there(world, left[0], record, origin)
    if run_differences.runs(behaviour, own) or run_differences.attached_anywhere(behaviour, own):
        return "yes", ""
    if _is_called(world, own, origin):
        return "yes", ""
    what = own.name if same_name(world, own.name, origin.name) else f"{own.name}, in the place of {origin.name},"
    return "no", f"nothing in the lineage calls or attaches {what} any more"


def _still_there(world: World, callback: Callback, record: Record, origin: Origin) -> str:
    """Why the parent's function runs beside the child's."""
    old = {at.rpartition(" ")[0]: at.rpartition(" ")[2] for at in record.written.at}
    where = f"{place_words(callback.site)} attaches it at {callback.point}"
    if callback.point in old and str(callback.order) != old[callback.point]:
        number = f"{where} with order {callback.order}, was {old[callback.point]}"
    elif callback.point in old:
        number = f"{where} {_when(callback)}"
    else:
        number = f"{where}, was at {', '.join(old)}"
    return f"{origin.name} of {origin.theme.label} runs beside yours: {number}"


def _when(callback: Callback) -> str:
    return "while code loads" if callback.moment == "loading" else f"when {callback.moment} is fired"


def _declared_by(world: World, own: Origin) -> bool:
    return all(run_differences.in_force(state, own, folds(world)) for state in world.behaviour.states)


def _declared_at_all(world: World, origin: Origin) -> bool:
    key = origin.name.lower() if folds(world) else origin.name
    return key in world.behaviour.state.functions


def _is_called(world: World, own: Origin, origin: Origin) -> bool:
    """Whether a call of it, a summons or a mention stands anywhere outside of it, or can't be ruled out."""
    wanted = {n.lower() for n in (own.name, origin.name)}
    behaviour = world.behaviour
    rules = world.platform.code
    for each in behaviour.said:
        if each.meaning.does == "summon":
            names = (
                {rules.function_name(each.name, t.slug).lower() for t in world.lineage.themes} if each.name else wanted
            )
            if names & wanted:
                return True
    for theme in world.lineage.themes:
        for path in sorted(theme.files):
            read = behaviour.code_of(theme, path)
            if read is None or read[0].kind not in ("code", "template"):
                continue
            skipped = {own.function.start} if (theme.slug, path) == own.key[:2] else set()
            skipped |= {origin.function.start} if (theme.slug, path) == origin.key[:2] else set()
            bodies = [read[1].body, *(f.body for f in read[1].functions if f.start not in skipped)]
            if any(
                name.lower() in wanted
                for body in bodies
                for node in body
                for name in names_in(node)
                if not _guards(node)
            ):
                return True
    return False


def _guards(node: object) -> bool:
    """An ``if`` that is there for a declaration only: the name in its test calls nothing."""
    then = getattr(node, "then", ())
    return isinstance(node, If) and bool(then) and all(isinstance(s, Declare) for s in then)


def clash(world: World, record: Record, own: Origin, origin: Origin) -> str:
    """A caller, or a point, that hands the child's function what it can't take, though the parent's can."""
    lost = lost_attachments(world, record, origin)
    if lost:
        return lost
    strict = not coded_language(_language(world, own)).SEMANTICS.COPIES
    function, wanted = own.function, origin.function
    for place, given, named in _calls_made(world, own, origin):
        if _takes(wanted, given, named, strict) and not _takes(function, given, named, strict):
            needs = f"{function.fewest}" if function.fewest > given + len(named) else "another number"
            what = f"{place_words(place)} calls it with {given + len(named)} argument{'s' * (given + len(named) != 1)}, and yours needs {needs}"
            return f"{origin.theme.label} changed what {origin.name} takes: {what}"
    return ""


def _language(world: World, origin: Origin) -> str:
    rule = world.platform.rule_of(origin.path)
    return rule.language if rule is not None and is_coded(rule.language) else "php"


def _calls_made(world: World, own: Origin, origin: Origin) -> Iterator[tuple[Location, int, tuple[str, ...]]]:
    """Every call of either function: where, with how many arguments, and which by name."""
    for name in {own.name, origin.name}:
        for call in calls_of(world, world.behaviour, name):
            if call.caller is not None and call.caller.key in (own.key, origin.key):
                continue
            if any(map(spreads, call.call.arguments)):
                continue
            yield call.place, len(call.call.arguments), tuple(k for k, _ in call.call.named)
    rules = world.platform.code
    for said in world.behaviour.said:
        if said.meaning.does == "summon" and said.name is not None:
            names = {rules.function_name(said.name, t.slug).lower() for t in world.lineage.themes}
            if names & {own.name.lower(), origin.name.lower()}:
                yield said.place, len(said.call.arguments) - 1, ()
    for firing in world.behaviour.firings:
        for ran in firing.ran:
            if own.is_it(ran.decl):
                takes = ran.callback.takes
                given = firing.given if takes is None else min(takes, firing.given)
                yield (
                    firing.site,
                    min(given, own.function.most or given) if own.function.most is not None else given,
                    (),
                )


def _takes(function: Function, given: int, named: tuple[str, ...], strict: bool) -> bool:
    params = {p.name.lstrip("$*&") for p in function.params}
    most = function.most
    if given + len(named) < function.fewest:
        return False
    if strict and most is not None and given > most:
        return False
    return all(name in params for name in named) or any(p.way == "**" for p in function.params)


def lost_attachments(world: World, record: Record, origin: Origin) -> str:
    """Where the parents do not attach their function any more, though the child still does."""
    parents = world.behaviour.parents
    if not record.written.at or parents is None:
        return ""
    now = {c.point for c in attachments(parents, origin)}
    gone = [point for point in dict.fromkeys(at.rpartition(" ")[0] for at in record.written.at) if point not in now]
    if not gone:
        return ""
    return f"{origin.theme.label} does not attach {origin.name} at {', '.join(gone)} any more; yours still runs there"
