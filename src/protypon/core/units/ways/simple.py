"""Items taken away, values set, regions declared."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from protypon.core.analysis.state import Registered
from protypon.core.model.commands import command_line
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.schema import nearest
from protypon.core.units.draft import Draft
from protypon.core.units.findings.functions import shown
from protypon.core.units.findings.regions import hiding_copies, printed_regions
from protypon.core.units.ways import run_differences
from protypon.core.units.ways.coder import Coder, coder, put
from protypon.core.units.ways.hooks import Hooked, beside


def _tried(
    draft: Draft, code: Coder, words: str, expression: str, file: str
) -> Iterator[tuple[Draft, str, tuple[str, ...], str]]:
    """An expression written to be done at once, and at each moment of the platform."""
    yield *put(draft, [f"{words}\n{code.writer.statement(expression)}"], file), "at once"
    if code.has("attach"):
        for moment in code.rules.moments:
            yield *put(draft, [f"{words}\n{code.at_moment(moment, expression)}"], file), f"at {moment}"
        for moment in code.rules.moments:
            numbers = [
                c.order for c in draft.world.behaviour.state.callbacks if c.point == moment and isinstance(c.order, int)
            ]
            last = min(numbers, default=0) - 10 if code.rules.numbers == "descending" else max(numbers, default=0) + 10
            yield *put(draft, [f"{words}\n{code.at_moment(moment, expression, last)}"], file), f"at {moment}"


def removed(draft: Draft, kind: str, name: str, file: str = "") -> Hooked:
    """Take an item away, at a moment after it was registered."""
    parents = draft.world.behaviour.parents
    items = parents.state.items if parents is not None else {}
    own = draft.start.platform.code.items.get(kind, ())
    if (kind, name) not in items and name not in own:
        near = nearest(name, (*own, *(n for k, n in items if k == kind)))
        hint = f"did you mean item:{kind}#{near}?" if near else "protypon survey --units"
        raise ProtyponError(f"no ancestor of {draft.child.slug} registers {kind} {name}", hint)
    code, _ = coder(draft, file)
    if not code.has("unregister"):
        raise ProtyponError(
            f"{draft.start.platform.title} has no call that takes an item away",
            command_line("explain", f"item:{kind}#{name}"),
        )
    expression = code.call("unregister", kind=code.literal(kind), name=code.literal(name))
    words = code.writer.comment(f"{kind} {name} is taken away.")
    for made, path, brought, when in _tried(draft, code, words, expression, file):
        behaviour = made.world.behaviour
        gone = (
            all((kind, name) not in state.items for state in behaviour.states)
            and (kind, name) in behaviour.state.removed
        )
        if gone and not run_differences.stops(behaviour) and made.problem() is None:
            where = f"{shown(items[kind, name].site)} registers it; " if (kind, name) in items else ""
            notes = tuple(beside(draft, made, f"{kind} {name}"))
            return Hooked(made, path, None, brought, f"{where}taken away {when}", notes=notes)
    why = run_differences.stops(draft.world.behaviour) or "no moment is late enough"
    raise ProtyponError(
        f"item:{kind}#{name} can't be taken away: {why}", command_line("explain", f"item:{kind}#{name}")
    )


def valued(draft: Draft, name: str, value: Any, file: str = "") -> Hooked:
    """Set a value before anybody else does."""
    code, _ = coder(draft, file)
    if not code.has("default"):
        raise ProtyponError(f"{draft.start.platform.title} has no call that sets a value", "protypon platform show")
    _known_value(draft, name)
    expression = code.call("default", name=code.literal(name), value=code.literal(value))
    words = code.writer.comment(f"{name} is set before another theme sets it.")
    for made, path, brought, when in _tried(draft, code, words, expression, file):
        states = made.world.behaviour.states
        if (
            made.problem() is None
            and not run_differences.stops(made.world.behaviour)
            and all(is_value(s.values.get(name), value) for s in states)
        ):
            notes = tuple(beside(draft, made, name))
            return Hooked(
                made, path, None, brought, f"set {when}, and only the first one to set it counts", notes=notes
            )
    first = draft.world.behaviour.state.values.get(name)
    why = run_differences.stops(draft.world.behaviour) or (
        f"{shown(first.site)} sets it before any code of yours runs" if first else "it would not be in force"
    )
    raise ProtyponError(f"value:{name} can't be set: {why}", command_line("explain", f"value:{name}"))


def is_value(found: Registered | None, value: Any) -> bool:
    return found is not None and not found.doubt and type(found.value) is type(value) and found.value == value


def _known_value(draft: Draft, name: str) -> None:
    behaviour = draft.world.behaviour
    asked = {s.name for s in behaviour.said if s.meaning.does in ("value", "default") and s.name}
    known = asked | set(behaviour.platform.code.values) | set(behaviour.state.values)
    if name not in known and None not in {s.name for s in behaviour.said if s.meaning.does == "value"}:
        near = nearest(name, tuple(sorted(known)))
        hint = f"did you mean value:{near}?" if near else "protypon survey --units"
        raise ProtyponError(f"nothing in the lineage of {draft.child.slug} sets or asks for a value {name}", hint)


def declared(draft: Draft, name: str, file: str = "") -> Hooked:
    """Declare a region in the child: in its manifest, or by a call."""
    behaviour = draft.world.behaviour
    printed = printed_regions(behaviour)
    names = {m.name for m in behaviour.state.regions if isinstance(m.name, str)}
    if name not in printed and name not in names and None not in printed:
        near = nearest(name, tuple(sorted(names | {p for p in printed if p})))
        hint = f"did you mean region:{near}?" if near else "protypon survey --units"
        raise ProtyponError(f"nothing in the lineage of {draft.child.slug} declares or prints a region {name}", hint)
    code, _ = coder(draft, file)
    if code.has("region"):
        words = code.writer.comment(f"The region {name}.")
        made, path, brought = put(draft, [f"{words}\n{code.statement('region', name=code.literal(name))}"], file)
    elif any("regions" in form.fields for form in draft.start.platform.manifests):
        rows = list(draft.child.values.get("regions", ()))
        made, path, brought = draft.with_manifest({"regions": [*rows, name]}), draft.child.manifest, ()
    else:
        raise ProtyponError(f"{draft.start.platform.title} has no way to declare a region", "protypon platform show")
    notes = []
    if name not in printed and None not in printed:
        hiding = hiding_copies(behaviour, name)
        if hiding:
            notes.append(
                f"{shown(hiding[0][0])} prints it, and your {hiding[0][1].path} takes its place without it: it will not show"
            )
        else:
            notes.append("no template in use prints it: it will not show")
    where = shown(printed[name][0].place) + " prints it" if printed.get(name) else "declared"
    return Hooked(made, path, None, brought, where, notes=tuple(notes))
