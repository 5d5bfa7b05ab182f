"""Whether a class or method of the child is used in the place of the parents', and what breaks with it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.state import Halted
from protypon.core.languages.code import ClassName, Code, Statement, walk
from protypon.core.model.nouns import Record
from protypon.core.units.class_.reading import ClassDeclaration, in_force, method_in
from protypon.core.units.function.findings import names_in
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def reach(world: World, record: Record, own: ClassDeclaration) -> tuple[str, str]:
    """Whether the platform uses it, and why it does not."""
    if record.unit.name is None:
        standing = in_force(world.behaviour, own.name)
        if standing is None:
            return "no", f"{place_words(own.place)} is never used: nothing that runs comes to it"
        if standing.key != own.key:
            return "no", f"{place_words(own.place)} is never used: {place_words(standing.place)} declares it first"
        doubt = next(
            (c.doubt for s in world.behaviour.states if (c := s.classes.get(own.name.lower())) is not None), ""
        )
        return ("unknown", doubt) if doubt else ("yes", "")
    if any(own.key in state.entered for state in world.behaviour.states) or _is_named(world, record.unit.path, own):
        return "yes", ""
    return "no", f"{place_words(own.place)} is never used: nothing in the lineage names {record.unit.path}"


def _is_named(world: World, name: str, own: ClassDeclaration) -> bool:
    """Whether any code outside of a class names it."""
    wanted = name.rpartition("\\")[2].lower()
    for theme in world.lineage.themes:
        for path in sorted(theme.files):
            read = world.behaviour.code_of(theme, path)
            if read is None or read[0].kind not in ("code", "template"):
                continue
            for node in (n for body in _bodies(read[1], name) for statement in body for n in walk(statement)):
                if isinstance(node, ClassName) and node.name.rpartition("\\")[2].lower() == wanted:
                    return True
                if any(_class_of(each) == wanted for each in names_in(node)):
                    return True
    return False


def _class_of(name: str) -> str:
    """The class that a name or text names: ``new C``, ``C::m``, ``Space\\C``."""
    return name.removeprefix("new ").rpartition("\\")[2].partition("::")[0].lower()


def _bodies(code: Code, name: str) -> Iterator[tuple[Statement, ...]]:
    yield code.body
    yield from (f.body for f in code.functions if f.name.rpartition("::")[0].lower() != name.lower())


class ClassStop(NamedTuple):
    """What stops the site because of an override, and whether the parent's new text would mend it."""

    because: str
    merged: bool


def stop_of(world: World, record: Record, own: ClassDeclaration, origin: ClassDeclaration | None) -> ClassStop | None:
    """Why the site stops because of an override; None where it does not."""
    stopped = world.behaviour.state.stopped
    if stopped is None:
        return None
    if stopped.code == "declared-twice" and _at(stopped, own):
        other = next(
            s
            for s in (stopped.site, stopped.other)
            if s is not None and (s.theme, s.line) != (own.theme.slug, own.node.line)
        )
        return ClassStop(
            f"{place_words(own.place)} declares {own.name}, and so does {place_words(other)}, which has no guard any more: the site stops",
            False,
        )
    inside = (stopped.site.theme, stopped.site.path) == own.key[
        :2
    ] and own.node.line <= stopped.site.line <= own.node.last
    if stopped.code in ("does-not-fit", "is-final") and inside:
        beside = f" ({place_words(stopped.other)})" if stopped.other is not None else ""
        return ClassStop(
            f"{place_words(stopped.site)}: {stopped.because}{beside}: the site stops", stopped.code == "does-not-fit"
        )
    asked = next((u for u in world.behaviour.state.unsupplied if u.site == stopped.site and not u.doubt), None)
    if asked is None or record.unit.name is not None or origin is None:
        return None
    owner, _, member = asked.name.partition("::")
    if owner.lower() == own.name.lower() and asked.kind == "method" and method_in(world, origin, member) is not None:
        return ClassStop(
            f"{place_words(asked.site)} asks for {asked.name}(), which {origin.theme.label} has and yours has not: the site stops",
            True,
        )
    return None


def _at(stopped: Halted, own: ClassDeclaration) -> bool:
    places = [s for s in (stopped.site, stopped.other) if s is not None]
    return any((s.theme, s.path, s.line) == (own.theme.slug, own.path, own.node.line) for s in places)
