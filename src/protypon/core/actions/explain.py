"""Explain one unit: what is in force and from where, what it hides at every level, what would take its place, what its author says."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from protypon.core.actions.points import points
from protypon.core.actions.records import choose
from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.effects import summoned
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.state import Registered
from protypon.core.analysis.values import Unknown as NotKnown
from protypon.core.languages.code import Function
from protypon.core.languages.comments import head
from protypon.core.model.actions import Override, packed
from protypon.core.model.nouns import Theme, Unit
from protypon.core.platform.platform import FileRule
from protypon.core.themes.reach import Location, Supply
from protypon.core.units.file import use
from protypon.core.units.parent_functions import origin_of, own_function
from protypon.core.units.region.findings import hiding_copies, printed_regions
from protypon.core.units.registry import IN_CODE, kinds
from protypon.core.units.world import World

FORMAT = "protypon.explain/1"
Table = dict[str, Any]


def explain(world: World, text: str) -> Table:
    """Explain what a typed text means, as the table that ``--format json`` prints.

    Raises UnknownName for a text that means nothing, or several things.
    """
    unit = choose(text, sorted(set(all_units(world)), key=lambda unit: unit.address))
    tell = _TELLERS.get(unit.kind, _file)
    found = {
        "in_force": None,
        "hidden": [],
        "without": None,
        "comment": "",
        "unknown": None,
        "notes": [],
        **tell(world, unit),
    }
    return {
        "format": FORMAT,
        "unit": unit.address,
        "kind": unit.kind,
        "theme": world.child.slug,
        "lineage": list(world.lineage.slugs),
        **found,
        "next": packed(_change(world, unit)),
    }


_OPTIONS = {"item": ("--remove",), "value": ("--value", "V")}


def _change(world: World, unit: Unit) -> Override | None:
    """How a unit is taken over into the child; None where it has it already, or can't."""
    if not (world.child.maintained and world.ancestors) or unit in world.records:
        return None
    rule = world.platform.rule_of(unit.path)
    if unit.kind not in IN_CODE and (
        rule is None
        or rule.combine == "load"
        or unit.path in world.child.files
        or not any(unit.path in t.files for t in world.ancestors)
    ):
        return None
    if unit.kind == "function" and (origin_of(world, unit.path) is None or own_function(world, unit.path) is not None):
        return None
    options = {**_OPTIONS, "hook": ("--detach",) if unit.name is not None else ("--attach", "NAME")}.get(unit.kind, ())
    return Override(unit.address, world.child.slug, options)


def all_units(world: World) -> Iterable[Unit]:
    """Every unit that can be asked about: files of any theme of the lineage, and what code makes."""
    for theme in world.lineage.themes:
        for kind in kinds():
            yield from kind.supplied(world, theme)
        for path in theme.files:
            rule = world.platform.rule_of(path)
            if rule is not None and path != theme.manifest:
                yield Unit(rule.kind, path)
    behaviour = world.behaviour
    if not behaviour.speaks:
        return
    for _, function in _functions(behaviour):
        yield Unit("function", function.name)
    for said in behaviour.said:
        if said.meaning.does == "summon" and said.name:
            yield Unit("function", said.name)
    for name in (
        {c.point for c in behaviour.state.callbacks}
        | behaviour.fired.keys()
        | {p.name for p in world.platform.code.points}
    ):
        yield Unit("hook", name)
    for callback in behaviour.state.callbacks:
        yield Unit("hook", callback.point, callback.label)
    for name in {str(m.name) for m in behaviour.state.regions} | {n for n in printed_regions(behaviour) if n}:
        yield Unit("region", name)
    for kind_of_item, name in {*behaviour.state.items, *behaviour.state.removed, *_own_items(world)}:
        yield Unit("item", kind_of_item, name)
    for name in behaviour.state.values.keys() | world.platform.code.values.keys():
        yield Unit("value", name)
    for page in behaviour.pages:
        yield Unit("page", page.kind)


def _own_items(world: World) -> list[tuple[str, str]]:
    return [(kind, name) for kind, names in world.platform.code.items.items() for name in names]


def _place(place: Location, **more: Any) -> Table:
    return {"theme": place.theme, "file": place.path, "line": place.line or None, **more}


def _unknown(behaviour: Behaviour, why: str = "") -> Table:
    return {"unknown": behaviour.uncertain or why or None}


def _words(place: Location) -> str:
    return f"{place.theme}/{place.path} line {place.line}"


# Functions


def _functions(behaviour: Behaviour) -> list[tuple[Location, Function]]:
    """Every named function of the lineage's code files, the child's first."""
    found = []
    for theme in behaviour.lineage.themes:
        for path, code in behaviour.code_files(theme):
            found += [(Location(theme.slug, path, f.line), f) for f in code.functions if f.name]
    return found


def _function(world: World, unit: Unit) -> Table:
    behaviour, name = world.behaviour, unit.path
    winner = _in_force(behaviour, name)
    others = [(p, f) for p, f in _functions(behaviour) if _called(behaviour, f.name, name)]
    parents = _in_force(behaviour.parents, name) if behaviour.parents is not None else None
    mine = winner is not None and winner.theme == world.child.slug
    comment = next((f.doc for p, f in others if p.theme != world.child.slug and f.doc), "") or next(
        (f.doc for _, f in others if f.doc), ""
    )
    state = behaviour.state
    declared = state.functions.get(name) or state.functions.get(name.lower())
    notes = [
        f"attached at {c.point} with order {c.order}, {_words(c.site)}"
        for c in state.callbacks
        if c.label.lower() == name.lower() and c.gone is None
    ]
    notes += [
        f"taken off {c.point} by {_words(c.gone.site)}"
        for c in state.callbacks
        if c.label.lower() == name.lower() and c.gone is not None
    ]
    notes += [
        f"summoned in {_words(s.place)}" for s in behaviour.said if s.meaning.does == "summon" and s.name == name
    ][:5]
    return {
        "in_force": _place(winner) if winner is not None else None,
        "hidden": [_place(p, how=_why_hidden(behaviour, p, f)) for p, f in others if p != winner],
        "without": _place(parents) if mine and parents is not None else None,
        "comment": comment,
        "notes": notes,
        **_unknown(behaviour, declared.doubt if declared is not None else ""),
    }


def _called(behaviour: Behaviour, full: str, name: str) -> bool:
    """Whether a function is called so, or is what a theme's name pattern makes of it."""
    rules = behaviour.platform.code
    names = (
        {name, *(rules.function_name(name, slug) for slug in behaviour.lineage.slugs)}
        if rules.meaning("summon")
        else {name}
    )
    return full.lower() in {n.lower() for n in names} if rules.declares == "all" else full in names


def _in_force(behaviour: Behaviour, name: str) -> Location | None:
    found = behaviour.state.functions.get(name) or behaviour.state.functions.get(name.lower())
    if found is None and behaviour.platform.code.meaning("summon") is not None:
        machine = Machine(behaviour.platform.code, {}, {})
        machine.state = behaviour.state
        found = summoned(machine, name, list(behaviour.lineage.slugs))
    return found.site if found is not None else None


def _why_hidden(behaviour: Behaviour, place: Location, function: Function) -> str:
    """Why a declaration is not the one in force."""
    state = behaviour.state
    if (place.theme, place.path) not in state.loaded:
        return "its file is not loaded"
    for hidden, how in state.hidden:
        if hidden.site == place:
            if how == "replaced":
                return "replaced by a nearer theme's"
            return (
                "guarded: declared already"
                if _in_force(behaviour, function.name)
                else "under a condition that does not hold"
            )
    if behaviour.platform.code.declares == "marked" and not any(
        m.name in behaviour.platform.code.marked for m in function.marks
    ):
        return "known in its own file only"
    return "a nearer theme's comes first" if behaviour.platform.code.meaning("summon") is not None else "not declared"


# Points


def _hook(world: World, unit: Unit) -> Table:
    rows = [
        row
        for page in [None, *[p.kind for p in world.behaviour.pages]]
        for row in points(world, page, True)["points"]
        if row["point"] == unit.path
    ]
    row = next((r for r in rows if r["on_page"]), rows[0])
    if unit.name is not None:
        row = {
            **row,
            "callbacks": [c for c in row["callbacks"] if c["callback"] == unit.name],
            "taken_away": [c for c in row["taken_away"] if c["callback"] == unit.name],
        }
    comment = next((c["comment"] for c in row["callbacks"] if c["comment"]), "") if unit.name is not None else ""
    return {
        "in_force": row,
        "hidden": [
            {
                **c,
                "how": f"taken away by {c['by']['theme']}/{c['by']['file']}"
                + (f" line {c['by']['line']}" if c["by"]["line"] else ""),
            }
            for c in row["taken_away"]
        ],
        "comment": comment or row["about"],
        **_unknown(world.behaviour, row["unknown"] or ""),
    }


# Names


def _region(world: World, unit: Unit) -> Table:
    behaviour = world.behaviour
    printed = printed_regions(behaviour).get(unit.path, [])
    declared = [m for m in behaviour.state.regions if m.name == unit.path]
    return {
        "in_force": _place(printed[0].place) if printed else None,
        "hidden": [
            _place(place, how=f"your {copy.path} takes its place and does not print it")
            for place, copy in hiding_copies(behaviour, unit.path)
        ],
        "notes": [
            f"declared in {m.site.theme}/{m.site.path}" + (f" line {m.site.line}" if m.site.line else "")
            for m in declared
        ]
        or ["declared by no theme of the lineage"],
        **_unknown(behaviour),
    }


def _item(world: World, unit: Unit) -> Table:
    state = world.behaviour.state
    key = (unit.path, unit.name or "")
    found = state.items.get(key)
    own = key in _own_items(world)
    past = state.removed.get(key, [])
    alone = world.behaviour.parents.state.items.get(key) if world.behaviour.parents is not None else None
    in_force = _set(found) if found is not None else None
    if in_force is None and own and not past:
        in_force = {"theme": world.platform.name, "file": "", "line": None, "value": None, "how": "the platform's own"}
    return {
        "in_force": in_force,
        "hidden": [{**_set(old), "how": f"{how} in {_words(place)}"} for old, place, how in past if old is not None],
        "without": _set(alone)
        if alone is not None and (found is None or found.site.theme == world.child.slug)
        else None,
        **_unknown(world.behaviour, state.blind_about("items") or (found.doubt if found is not None else "")),
    }


def _set(found: Registered) -> Table:
    value = found.value
    plain = (
        value
        if isinstance(value, str | int | float | bool | None)
        else (value.why if isinstance(value, NotKnown) else "a list or table")
    )
    return _place(found.site, value=plain)


def _value(world: World, unit: Unit) -> Table:
    state = world.behaviour.state
    found = state.values.get(unit.path)
    own = world.platform.code.values.get(unit.path)
    alone = world.behaviour.parents.state.values.get(unit.path) if world.behaviour.parents is not None else None
    late = state.passed_over.get(unit.path, [])
    platform_own = (
        {"theme": world.platform.name, "file": "", "line": None, "value": own, "how": "the platform's own"}
        if own is not None
        else None
    )
    mine = found is not None and found.site.theme == world.child.slug
    return {
        "in_force": _set(found) if found is not None else platform_own,
        "hidden": [{**_set(r), "how": "it was set already"} for r in late]
        + ([platform_own] if found is not None and platform_own else []),
        "without": (_set(alone) if alone is not None else platform_own) if mine else None,
        **_unknown(world.behaviour, state.blind_about("values") or (found.doubt if found is not None else "")),
    }


# Pages and files


def _page(world: World, unit: Unit) -> Table:
    page = next(p for p in world.behaviour.pages if p.kind == unit.path)
    candidates = next(p.templates for p in world.platform.code.pages if p.kind == unit.path)
    others = [(t, path) for path in candidates for t in world.lineage.themes if path in t.files]
    assert page.template is not None
    winner = (page.template.theme.slug, page.template.path)
    return {
        "in_force": {"theme": winner[0], "file": winner[1], "line": None},
        "hidden": [
            {"theme": t.slug, "file": path, "line": None, "how": "a more special or nearer one wins"}
            for t, path in others
            if (t.slug, path) not in page.used
        ],
        "notes": [f"made of {slug}/{path}" for slug, path in page.used],
        **_unknown(world.behaviour),
    }


def _file(world: World, unit: Unit) -> Table:
    rule = world.platform.rule_of(unit.path)
    assert rule is not None
    ranking = world.resolver.ranking(unit.path, rule)
    reach = use.of(world, ranking[0].path, rule) if ranking and ranking[0].theme is world.child else use.Use("yes")
    used = ranking if reach.reach != "no" else [s for s in ranking[1:] if _is_used(world, s, rule)]
    idle = [s for s in ranking if s not in used]
    how = {"load": "loaded too", "overlay": "laid under it, key by key"}.get(rule.combine, "further up")
    below = [_whole(s, how) for s in used[1:]] + [_whole(s, "never used") for s in idle]
    mine = bool(used) and used[0].theme is world.child
    source = next((s for s in ranking if s.theme is not world.child), ranking[0])
    return {
        "in_force": _whole(used[0]) if used else None,
        "hidden": below,
        "without": _whole(used[1]) if mine and len(used) > 1 and rule.combine != "load" else None,
        "unknown": world.lineage.cut or None,
        "comment": head(_text(world, source.theme, source.path)),
        "notes": list(_notes(world, unit, used[0] if used else None, rule, reach)),
    }


def _is_used(world: World, supply: Supply, rule: FileRule) -> bool:
    """Whether a file further up is used where the child's own is not."""
    place = (supply.theme.slug, supply.path)
    if rule.kind == "code":
        return place in world.behaviour.state.loaded
    return place in world.resolver.templates.used if rule.kind == "template" else True


def _whole(supply: Supply, how: str = "") -> Table:
    return {"theme": supply.theme.slug, "file": supply.path, "line": None, **({"how": how} if how else {})}


def _notes(world: World, unit: Unit, winner: Supply | None, rule: FileRule, reach: use.Use) -> Iterator[str]:
    if reach.reach == "no":
        yield f"the one of {world.child.slug} is never used: {reach.because}"
    elif reach.reach == "unknown":
        yield f"whether it is used can't be told: {reach.because}"
    asked = (
        world.resolver.templates.used.get((winner.theme.slug, winner.path))
        if winner and rule.kind == "template"
        else None
    )
    if asked is not None:
        yield f"asked for in {_words(asked)}"
    for record in world.records.values():
        if record.unit == unit:
            release = f" {record.release}" if record.release else ""
            yield f"listed: {record.how} of {record.source}{release}" + (f", {record.why!r}" if record.why else "")


def _text(world: World, theme: Theme, path: str) -> str:
    data = world.sources.read(theme, path)[:8192]
    return "" if b"\0" in data else data.decode("utf-8", "replace")


_TELLERS: dict[str, Callable[[World, Unit], Table]] = {
    "function": _function, "hook": _hook, "region": _region, "item": _item, "value": _value, "page": _page,
}  # fmt: skip
