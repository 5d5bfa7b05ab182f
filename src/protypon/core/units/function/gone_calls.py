"""Calls to what is gone: a function, class, method or constant that an earlier release of a parent supplied, and nothing supplies now."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.state import State, Unsupplied
from protypon.core.languages.code import Code, Invoke, Let, Lit, walk
from protypon.core.merge import likeness
from protypon.core.model.actions import Action, Explain
from protypon.core.model.nouns import Finding, Release
from protypon.core.platform.meanings import Bounded, numbers
from protypon.core.themes.reach import Location
from protypon.core.units.function.fate import under_another_name
from protypon.core.units.next_steps import by_hand
from protypon.core.units.parent_functions import functions_in
from protypon.core.units.past_release import codes_of, former_in
from protypon.core.units.places import place_words
from protypon.core.units.world import World


class AskedAt(NamedTuple):
    """One place that asks for what is gone."""

    row: Unsupplied
    page: str
    """The kind of page on which it does; empty: while code loads, or at a moment."""


def find(world: World) -> Iterator[Finding]:
    """Every place that asks for what a kept release of a parent had, and nothing has now."""
    asked = {(a.row.kind, a.row.name.lower(), a.row.site): a for a in reversed(list(_names_asked(world)))}
    if not asked:
        return
    wanted = {(kind, name) for kind, name, _ in asked}
    had = _had(world, wanted)
    elsewhen = world.platform.code.elsewhen
    for (kind, name, _), each in sorted(asked.items(), key=lambda row: (row[0][2], row[0][1])):
        bounded = elsewhen.get((kind, name))
        if bounded is not None:
            yield _of_platform(world, each, bounded)
            continue
        release = had.get((kind, name)) or had.get((kind, name.rpartition("\\")[2]))
        if release is not None:
            yield _finding(world, each, release)


def _names_asked(world: World) -> Iterator[AskedAt]:
    behaviour = world.behaviour
    loading = behaviour.state.unsupplied
    yield from (AskedAt(row, "") for row in loading if not _is_no_matter(behaviour.state, row))
    for page in behaviour.pages:
        rows = page.state.unsupplied[len(loading) :]
        yield from (AskedAt(row, page.kind) for row in rows if not _is_no_matter(page.state, row))


def _is_no_matter(state: State, row: Unsupplied) -> bool:
    """Whether something is there in the end, only not yet where it is asked for; or it is asked for only if it is there."""
    names = {row.name.lower(), row.name.rpartition("\\")[2].lower()}
    if row.doubt and names & state.checked:
        return True
    if row.kind == "constant":
        return any(str(name).lower() in names for name in state.constants)
    known = {name.lower() for name in (state.classes if row.kind == "class" else state.functions)}
    return bool(names & known)


def _had(world: World, wanted: set[tuple[str, str]]) -> dict[tuple[str, str], Release]:
    """Of what is asked for, the last kept release of a parent that had it."""
    slugs = {theme.slug for theme in world.ancestors}
    found: dict[tuple[str, str], Release] = {}
    for release in reversed(world.releases):
        if release.theme not in slugs or len(found) == len(wanted):
            continue
        for key in _names_declared(world, release) & {
            *wanted,
            *((kind, name.rpartition("\\")[2]) for kind, name in wanted),
        }:
            found.setdefault(key, release)
    return found


def _names_declared(world: World, release: Release) -> set[tuple[str, str]]:
    """All that the code of a release declares, by kind and name in small letters."""
    key = ("supplied", release.tree)
    if key not in world.snapshot.worked_out:
        found: set[tuple[str, str]] = set()
        for code in codes_of(world, release):
            found |= _declarations_in(code)
        world.snapshot.worked_out[key] = frozenset(found)
    made = world.snapshot.worked_out[key]
    assert isinstance(made, frozenset)
    return set(made)


def _declarations_in(code: Code) -> set[tuple[str, str]]:
    found = {("method" if "::" in f.name else "function", f.name.lower()) for f in code.functions if f.name}
    for each in code.classes:
        found.add(("class", each.name.lower()))
        found |= {
            ("class constant", f"{each.name}::{m.name}".lower()) for m in each.members if m.kind in ("constant", "case")
        }
    bodies = (*code.body, *(s for f in code.functions for s in f.body))
    for statement in bodies:
        for node in walk(statement):
            if isinstance(node, Let) and not node.name.startswith("$"):
                found.add(("constant", node.name.lower()))
            elif isinstance(node, Invoke) and node.name.rpartition("\\")[2] == "define" and node.arguments:
                first = node.arguments[0]
                if isinstance(first, Lit) and isinstance(first.value, str):
                    found.add(("constant", first.value.lower()))
    return found


def _finding(world: World, asked: AskedAt, release: Release) -> Finding:
    label = f"{release.theme} {release.label}" if release.label else release.theme
    heir = _heir(world, asked.row, release)
    now = f"; {heir.words}" if heir is not None else ""
    step = (
        Explain(f"function:{heir.name}", world.child.slug)
        if heir is not None and heir.name
        else _at_the_call(world, asked)
    )
    return _gone_finding(world, asked, f"which {label} had and nothing has now{now}", step)


def _at_the_call(world: World, asked: AskedAt) -> Action:
    return by_hand(world, asked.row.site.theme, asked.row.site.path)


def _gone_finding(world: World, asked: AskedAt, gone: str, step: Action) -> Finding:
    row = asked.row
    call = f"{row.name}()" if row.kind in ("function", "method") else row.name
    where = f"a page of kind {asked.page} fails there" if asked.page else "the site stops there"
    if row.doubt:
        where = f"{where}, if it comes to it ({row.doubt})"
    because = f"{place_words(row.site)} asks for the {row.kind} {call}, {gone}: {where}"
    weight = "warning" if row.doubt else "error" if asked.page else "fatal"
    return Finding("call-gone", weight, row.site.theme, row.site.path, because, step, row.site.line)


def _of_platform(world: World, asked: AskedAt, bounded: Bounded) -> Finding:
    """The platform had it up to a release, or has it from a later one on."""
    title = world.platform.title
    when = (
        f"which {title} had up to {bounded.until}"
        if _is_over(world, bounded)
        else f"which {title} has from {bounded.since} on"
    )
    now = f"; {bounded.instead} does it now" if bounded.instead else ""
    return _gone_finding(world, asked, f"{when}{now}", _at_the_call(world, asked))


def _is_over(world: World, bounded: Bounded) -> bool:
    release = world.platform.release
    return bool(bounded.until) and (release is None or numbers(release) >= numbers(bounded.until))


class Heir(NamedTuple):
    """What has taken the place of something that is gone."""

    words: str
    name: str = ""
    """The function, if it is one."""


def _heir(world: World, row: Unsupplied, release: Release) -> Heir | None:
    """What has become of a function, as far as that can be told: a method of its name, or a function that is like it."""
    if row.kind != "function":
        return None
    bare = row.name.rpartition("\\")[2].lower()
    for theme in world.ancestors:
        for path, code in world.behaviour.code_files(theme):
            for function in code.functions:
                if "::" in function.name and function.name.rpartition("::")[2].lower() == bare:
                    return Heir(
                        f"there is {function.name} now ({place_words(Location(theme.slug, path, function.line))})"
                    )
    former = former_in(world, release).functions
    base = next((text for name, text in former.items() if name.lower() == row.name.lower()), None)
    if base is None:
        return None
    before = {name.lower() for name in former}
    best, found = 0.0, None
    for origin in functions_in(world.behaviour, world.ancestors):
        other = under_another_name(world, origin, row.name) if origin.name.lower() not in before else None
        alike = 1.0 if other == base else likeness.alike(base, other) if other is not None else 0.0
        if alike >= likeness.ALIKE and alike > best:
            best, found = alike, origin
    if found is None:
        return None
    return Heir(f"it is {found.name} now ({place_words(found.place)}, {best:.0%} alike)", found.name)
