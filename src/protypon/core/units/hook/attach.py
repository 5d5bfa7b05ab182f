"""The child's own callbacks attached at points: a function that is there, or one that is begun."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.model.actions import Points
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.platform.schema import nearest
from protypon.core.units import run_differences
from protypon.core.units.coder import Coder, coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.moments import Hooked
from protypon.core.units.parent_functions import own_function
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def attach_callback(draft: Draft, point: str, name: str, number: int | None, file: str = "") -> Hooked:
    """Attach a function at a point: one that is there, or one that is begun. Raises ProtyponError for a point that nothing fires."""
    if not name.isidentifier():
        raise Usage(
            f"{name!r} is no name of a function", "take letters, digits and underscores, as in: --attach lamp_notice"
        )
    behaviour = draft.world.behaviour
    own_point = behaviour.platform.code.point(point)
    fired = behaviour.fired.get(point, [])
    unnamed = any(s.meaning.does == "fire" and s.name is None for s in behaviour.said)
    if own_point is None and not fired and not unnamed:
        names = tuple(sorted({p.name for p in behaviour.platform.code.points} | set(behaviour.fired)))
        near = nearest(point, names)
        hint = f"did you mean {near}?" if near else Points(child=draft.child.slug)
        raise ProtyponError(f"nothing fires a point {point} in the lineage of {draft.child.slug}", hint)
    gives = own_point.arguments if own_point else min((len(s.call.arguments) - 1 for s in fired), default=0)
    passes = point in behaviour.passing
    own = own_function(draft.world, name)
    if own is not None and own.function.fewest > gives:
        needs = f"{place_words(own.place)}: {name} needs {own.function.fewest} arguments, {point} gives {gives}"
        raise ProtyponError(f"{name} can't be attached at {point}: {needs}", Points(point, draft.child.slug))
    code, _ = coder(draft, file)
    why = ""
    for blocks in _attaching(draft, code, point, name, number, gives, passes):
        made, path, brought = put(draft, ["\n".join(blocks)], file)
        why = (
            str(made.problem() or run_differences.stops(made.world.behaviour) or "")
            or _taken_away(made.world, point, name)
            or _ends(behaviour, made.world.behaviour)
        )
        if not why:
            return Hooked(made, path, None, brought, f"{point} gives {gives} argument{'s' * (gives != 1)}", name)
    raise ProtyponError(f"{name} can't be attached at {point}: {why}", Points(point, draft.child.slug))


def _ends(before: Behaviour, after: Behaviour) -> str:
    """Why a page ends with it that did not end without."""
    old = {page.kind for page in before.pages if page.state.stopped is not None}
    found = next((p for p in after.pages if p.state.stopped is not None and p.kind not in old), None)
    if found is None or found.state.stopped is None:
        return ""
    return f"pages of the kind {found.kind} would end: {place_words(found.state.stopped.site)}: {found.state.stopped.because}"


def _taken_away(world: World, point: str, name: str) -> str:
    """Why the child's callback does not stay at a point."""
    for state in world.behaviour.states:
        found = [
            c for c in state.callbacks
            if c.point == point and c.label.lower() == name.lower() and c.site.theme == world.child.slug
        ]  # fmt: skip
        if not found:
            return "it would not be attached"
        gone = found[-1].gone
        if gone is not None:
            return f"{place_words(gone.site)} takes it off again"
    return ""


def _attaching(
    draft: Draft, code: Coder, point: str, name: str, number: int | None, gives: int, passes: bool
) -> Iterator[list[str]]:
    """Ways to write it: at once, and where something takes it off again, at each moment of the platform."""
    words = code.writer.comment(f"At {point}.")
    own = own_function(draft.world, name)
    order, takes = code.order(number), _takes(code, gives)
    there = own is not None or name in draft.world.behaviour.state.functions
    if there and not code.has("attach"):
        raise ProtyponError(
            f"{name} is there already, and {draft.start.platform.title} attaches a function only where it is declared",
            f"write the mark above it: {code.mark('attach', point=code.literal(point), order=order)}",
        )
    function = "" if there else _begun(code, name, gives, passes)
    marked = code.rules.declares == "marked" and (not there or (own is not None and own.path == coder(draft)[1]))
    if function and code.has("attach", "mark"):
        yield [words, code.mark("attach", point=code.literal(point), order=order, takes=takes), function]
    if not code.has("attach"):
        return
    attach = code.call(
        "attach", point=code.literal(point), callback=name if marked else code.literal(name), order=order, takes=takes
    )
    for statement in (code.writer.statement(attach), *(code.at_moment(m, attach) for m in code.rules.moments)):
        yield [words, *([function, ""] if function else []), statement]


def _takes(code: Coder, gives: int) -> str | None:
    """How many arguments a callback is handed, where the platform has to be told to hand on all that the point gives."""
    usual = code.default("attach", "takes")
    return None if usual is None or usual == gives else code.literal(gives)


def _begun(code: Coder, name: str, gives: int, passes: bool) -> str:
    """A function that takes what its point gives, and does nothing yet."""
    first = code.writer.variable("value" if passes else "first")
    more = [code.writer.variable(f"more{n}") for n in range(1, gives)]
    gives_back = first if passes and gives else ("" if code.rules.output == "print" else code.literal(""))
    body = [code.writer.statement(f"return {gives_back}".rstrip())]
    return code.writer.function(name, [first, *more] if gives else [], body, code.style.indent)
