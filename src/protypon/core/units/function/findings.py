"""Findings about functions: declared twice, called by nobody."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.state import Halted
from protypon.core.languages.code import Code, Function, Invoke, Lit, Node, Var, walk
from protypon.core.model.actions import Action, Explain, Points
from protypon.core.model.nouns import Finding, Unit
from protypon.core.themes.reach import Location
from protypon.core.units.function import gone_calls, lighter
from protypon.core.units.places import place_words
from protypon.core.units.world import World

UNTOLD = "may-not-fit"
"""A class of which nobody knows whether it fits, because a type comes from outside: mostly it does."""
_WORD = re.compile(rb"\w+")


def find(world: World) -> Iterator[Finding]:
    """Functions that stop the site or are never called, and overrides of them that could be lighter."""
    state = world.behaviour.state
    if state.stopped is not None:
        yield _twice(world, state.stopped, "fatal", "the site stops")
    else:
        yield from _ending_pages(world)
    told = set()
    for halted in state.doubtful:
        if halted.site not in told and halted.code != UNTOLD:
            told.add(halted.site)
            yield _twice(
                world,
                halted,
                "warning",
                f"the site stops if a condition holds that can't be known ({halted.doubt or state_doubt(world, halted)})",
            )
    yield from gone_calls.find(world)
    if state.stopped is None:
        yield from _uncalled_functions(world)
    yield from lighter.find(world)


def _ending_pages(world: World) -> Iterator[Finding]:
    """Errors that nothing handles, by which pages certainly end: each place once, with the kinds of page."""
    ending: dict[Location, tuple[Halted, list[str]]] = {}
    for page in world.behaviour.pages:
        stopped = page.state.stopped
        if stopped is not None and stopped.code in ("raises", "file-missing"):
            ending.setdefault(stopped.site, (stopped, []))[1].append(page.kind)
    for halted, kinds in ending.values():
        yield _twice(world, halted, "error", f"pages of kind {', '.join(kinds)} end there")


def state_doubt(world: World, halted: Halted) -> str:
    """The condition on which a declaration hangs."""
    declared = next(
        (d for d in world.behaviour.state.functions.values() if d.site in (halted.site, halted.other)), None
    )
    return (declared.doubt if declared else "") or "one of them stands under it"


def _twice(world: World, halted: Halted, weight: str, what: str) -> Finding:
    if halted.code != "declared-twice":
        step: Action = Points(child=world.child.slug)
        if halted.name:
            step = Explain(f"class:{halted.name}", world.child.slug)
        beside = f" ({place_words(halted.other)})" if halted.other is not None else ""
        because = f"{place_words(halted.site)}: {halted.because}{beside}, and {what}"
        place = (halted.site.theme, halted.site.path)
        return Finding(halted.code, weight, *place, because, step, halted.site.line)
    other = f", and {place_words(halted.other)} has declared it already" if halted.other else ""
    name = halted.name
    kind = "class" if name.lower() in world.behaviour.state.classes else "function"
    because = f"{place_words(halted.site)} declares {name}{other}: {what}"
    return Finding(
        halted.code,
        weight,
        halted.site.theme,
        halted.site.path,
        because,
        Explain(f"{kind}:{name}", world.child.slug),
        halted.site.line,
        Unit(kind, name),
    )


def _uncalled_functions(world: World) -> Iterator[Finding]:
    """Functions of the child whose name stands nowhere else."""
    behaviour, child = world.behaviour, world.child
    patterned = _names_by_pattern(behaviour)
    if patterned is None:
        return
    candidates = [(path, f) for path, f in _own_functions(behaviour) if _fold_name(f.name, behaviour) not in patterned]
    if not candidates:
        return
    mentioned = _mentions(behaviour)
    words = _words_of_templates(world)
    for path, function in candidates:
        names = {_fold_name(name, behaviour) for name in (function.name, function.name.rpartition("\\")[2])}
        called = any(table.get(name, set()) - {id(function)} for table in mentioned for name in names)
        if not called and not _stands_in(words, function.name):
            because = f"{child.slug}/{path} line {function.line}: nothing calls or attaches {function.name}, and no pattern finds it"
            step = Explain(f"function:{function.name}", child.slug)
            yield Finding("never-called", "note", child.slug, path, because, step, function.line)


def _own_functions(behaviour: Behaviour) -> Iterator[tuple[str, Function]]:
    """The named functions of the child that no mark declares or attaches."""
    child, marked = behaviour.lineage.child, behaviour.platform.code.marked
    for path, code in behaviour.code_files(child):
        for function in code.functions:
            if function.name and "::" not in function.name and not any(m.name in marked for m in function.marks):
                yield path, function


def _names_by_pattern(behaviour: Behaviour) -> set[str] | None:
    """The names of functions that the platform finds by its name pattern; None where any may be meant."""
    rules = behaviour.platform.code
    if rules.meaning("summon") is None:
        return set()
    slug = behaviour.lineage.child.slug
    names = [s.name for s in behaviour.said if s.meaning.does == "summon"]
    known = [name for name in names if name is not None]
    if len(known) < len(names):
        return None
    return {_fold_name(rules.function_name(name, slug), behaviour) for name in known}


def _fold_name(name: str, behaviour: Behaviour) -> str:
    return name.lower() if behaviour.platform.code.declares == "all" else name


def _mentions(behaviour: Behaviour) -> list[dict[str, set[int]]]:
    """File by file, every name and text that code gives -> the functions (by identity; 0: outside of any) that give it."""
    tables = []
    for theme in behaviour.lineage.themes:
        for path, code in behaviour.code_files(theme):
            key = ("names", theme.files[path].digest)
            tables.append(behaviour.once(key, lambda code=code: _names(code, behaviour)))  # type: ignore[misc]
    return tables


def _names(code: Code, behaviour: Behaviour) -> dict[str, set[int]]:
    found: dict[str, set[int]] = {}
    parts: list[tuple[int, tuple[Node, ...]]] = [(0, code.body), *((id(f), f.body) for f in code.functions)]
    parts += [(id(c), (*c.body, *c.members)) for c in code.classes]
    for owner, body in parts:
        for name in (name for statement in body for name in names_in(statement)):
            found.setdefault(_fold_name(name, behaviour), set()).add(owner)
    return found


def names_in(statement: Node) -> Iterator[str]:
    """Every name and text that a statement gives; of a dotted name the last part."""
    for node in walk(statement):
        if isinstance(node, Lit) and isinstance(node.value, str):
            yield node.value
        elif isinstance(node, Invoke | Var):
            yield re.split(r"[.\\]", node.name)[-1]


def _words_of_templates(world: World) -> frozenset[bytes]:
    """Every word of every template in use, in lower case; told byte by byte."""
    texts = (world.snapshot.read(s.theme, s.path) for s in world.behaviour.templates)
    return frozenset(word for text in texts for word in _WORD.findall(text.lower()))


def _stands_in(words: frozenset[bytes], name: str) -> bool:
    """Whether all words of a name are among some: rather too often than not often enough."""
    return all(word in words for word in _WORD.findall(name.lower().encode("utf-8", "surrogateescape")))
