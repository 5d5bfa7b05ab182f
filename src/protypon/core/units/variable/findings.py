"""Findings about template variables: used and provided by nothing, provided and used nowhere."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.languages.code import (
    Assignment,
    Code,
    Each,
    Handler,
    Let,
    Node,
    Op,
    Opaque,
    Scope,
    Var,
    bodies,
    walk,
)
from protypon.core.languages.registry import LANGUAGES
from protypon.core.model.actions import Points
from protypon.core.model.nouns import Finding
from protypon.core.platform.schema import nearest
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.units.places import place_words
from protypon.core.units.world import World

ALWAYS = frozenset(
    [
        "loop",
        "self",
        "super",
        "caller",
        "varargs",
        "kwargs",
        "range",
        "dict",
        "lipsum",
        "cycler",
        "joiner",
        "namespace",
        "_",
    ]
)
"""Names that Jinja itself knows (Template Designer Documentation, List of Global Functions)."""
SUPERGLOBALS = frozenset(
    ["$this", "$_GET", "$_POST", "$_SERVER", "$_COOKIE", "$_FILES", "$_ENV", "$_REQUEST", "$_SESSION", "$GLOBALS"]
)


def find(world: World) -> Iterator[Finding]:
    """What the code and templates of a lineage would do wrong with such units."""
    behaviour = world.behaviour
    if not behaviour.platform.code.variables or any(not isinstance(m.name, str) for m in behaviour.state.provided):
        return
    provided = _provided_names(behaviour)
    by_parents = _provided_names(behaviour.parents) if behaviour.parents is not None else set()
    handed = {name for state in behaviour.states for names in state.handed.values() for name in names}
    known = set(behaviour.platform.code.variables) | provided | handed
    shared = _bound_anywhere(behaviour)
    lost = by_parents - known
    told: set[str] = set()
    for supply in behaviour.templates:
        if supply.theme is not world.child and not (lost and _mentions(world, supply, lost)):
            continue
        for name, line in _free(behaviour, supply, shared):
            bare = name.lstrip("$")
            if bare in known or bare in told or not (supply.theme is world.child or bare in by_parents):
                continue
            told.add(bare)
            place = Location(supply.theme.slug, supply.path, line)
            gone = (
                next((m for m in behaviour.parents.state.provided if m.name == bare), None)
                if behaviour.parents
                else None
            )
            near = nearest(bare, tuple(known), 0.7)
            tail = f"; did you mean {near}?" if near else ""
            if gone is not None:
                tail = f"; {place_words(gone.site)} would provide it, and with {world.child.slug} it does not run"
            because = f"{place_words(place)} uses {bare}, which nothing provides{tail}"
            yield Finding(
                "variable-not-provided",
                "warning",
                place.theme,
                place.path,
                because,
                Points(child=world.child.slug),
                line,
            )
    yield from _unused_variables(world)


def _mentions(world: World, supply: Supply, names: set[str]) -> bool:
    """Whether any of some names stands in a template; looked for byte by byte."""
    data = world.snapshot.read(supply.theme, supply.path)
    return any(name.encode() in data for name in names)


def _unused_variables(world: World) -> Iterator[Finding]:
    behaviour = world.behaviour
    texts: list[bytes] | None = None
    for mark in behaviour.state.provided:
        if mark.site.theme != world.child.slug:
            continue
        if texts is None:
            texts = [world.snapshot.read(s.theme, s.path) for s in behaviour.templates]
        word = re.compile(rb"\b" + re.escape(str(mark.name).encode()) + rb"\b")
        if not any(word.search(text) for text in texts):
            because = f"{place_words(mark.site)} provides {mark.name}, and no template in use has that name in it"
            yield Finding(
                "variable-unused",
                "note",
                world.child.slug,
                mark.site.path,
                because,
                Points(child=world.child.slug),
                mark.site.line,
            )


def names_used(behaviour: Behaviour, supply: Supply) -> set[str]:
    """The names of variables that stand in a template."""
    read = behaviour.code_of(supply.theme, supply.path)
    nodes = (node for statement in bodies(read[1]) for node in walk(statement)) if read is not None else ()
    return {node.name.lstrip("$") for node in nodes if isinstance(node, Var)}


def _provided_names(behaviour: Behaviour) -> set[str]:
    return {mark.name for mark in behaviour.state.provided if isinstance(mark.name, str)}


def _bound_anywhere(behaviour: Behaviour) -> frozenset[str]:
    """Where templates share their variables with those that they include: every name that any of them sets."""
    found: set[str] = set(ALWAYS)
    for supply in behaviour.templates:
        rule = behaviour.platform.rule_of(supply.path)
        if rule is not None and LANGUAGES[rule.language].extends:
            found |= set(behaviour.snapshot.facts(supply.theme, supply.path, rule.language).bound)
    return frozenset(found)


def _bound_names(code: Code) -> set[str]:
    found: set[str] = set()
    for statement in bodies(code):
        for node in walk(statement):
            if isinstance(node, Let):
                found.add(node.name)
            elif isinstance(node, Each):
                found |= _names_in(node.key) | _names_in(node.item)
            elif isinstance(node, Assignment):
                found |= _names_in(node.target)
            elif isinstance(node, Scope):
                found |= set(node.names)
            elif isinstance(node, Handler):
                found.add(node.name)
    return found


def _names_in(target: Node | None) -> set[str]:
    """The variables that a target sets, or changes inside."""
    return {node.name for node in walk(target) if isinstance(node, Var)} if target is not None else set()


def _asks(node: Node) -> bool:
    """Whether a node only asks if a variable is there."""
    if isinstance(node, Opaque):
        return node.text == "test"
    return isinstance(node, Op) and node.op in ("isset", "empty")


def _free(behaviour: Behaviour, supply: Supply, shared: frozenset[str]) -> Iterator[tuple[str, int]]:
    """The variables that a template uses and does not set, with the line of the statement; those it asks about first are left out."""
    read = behaviour.code_of(supply.theme, supply.path)
    if read is None:
        return
    rule, code = read
    shares = LANGUAGES[rule.language].extends
    bound = shared if shares else _bound_names(code) | SUPERGLOBALS
    asked: set[str] = set()
    uses: list[tuple[str, int]] = []
    for statement in code.body:
        line = getattr(statement, "line", 0)
        for node in walk(statement):
            line = getattr(node, "line", line)
            if _asks(node):
                asked |= _names_in(node)
            elif isinstance(node, Op) and node.op == "??":
                asked |= _names_in(node.parts[0])
            elif isinstance(node, Var) and (shares or node.name.startswith("$")):
                uses.append((node.name, line))
    yield from ((name, line) for name, line in dict(reversed(uses)).items() if name not in bound and name not in asked)
