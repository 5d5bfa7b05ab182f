"""A value set before anybody else sets it."""

from __future__ import annotations

from typing import Any

from protypon.core.analysis.state import Registered
from protypon.core.model.actions import Explain, ShowPlatform, Survey
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.schema import nearest
from protypon.core.units import run_differences
from protypon.core.units.coder import coder
from protypon.core.units.draft import Draft
from protypon.core.units.hook.write import Hooked, beside
from protypon.core.units.moments import tried
from protypon.core.units.places import shown


def valued(draft: Draft, name: str, value: Any, file: str = "") -> Hooked:
    """Set a value before anybody else does."""
    code, _ = coder(draft, file)
    if not code.has("default"):
        raise ProtyponError(f"{draft.start.platform.title} has no call that sets a value", ShowPlatform())
    _known_value(draft, name)
    expression = code.call("default", name=code.literal(name), value=code.literal(value))
    words = code.writer.comment(f"{name} is set before another theme sets it.")
    for made, path, brought, when in tried(draft, code, words, expression, file):
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
    raise ProtyponError(f"value:{name} can't be set: {why}", Explain(f"value:{name}"))


def is_value(found: Registered | None, value: Any) -> bool:
    return found is not None and not found.doubt and type(found.value) is type(value) and found.value == value


def _known_value(draft: Draft, name: str) -> None:
    behaviour = draft.world.behaviour
    asked = {s.name for s in behaviour.said if s.meaning.does in ("value", "default") and s.name}
    known = asked | set(behaviour.platform.code.values) | set(behaviour.state.values)
    if name not in known and None not in {s.name for s in behaviour.said if s.meaning.does == "value"}:
        near = nearest(name, tuple(sorted(known)))
        hint = f"did you mean value:{near}?" if near else Survey(units=True)
        raise ProtyponError(f"nothing in the lineage of {draft.child.slug} sets or asks for a value {name}", hint)
