"""An item taken away, at a moment after it was registered."""

from __future__ import annotations

from protypon.core.model.actions import Explain, Survey
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.schema import nearest
from protypon.core.units import run_differences
from protypon.core.units.coder import coder
from protypon.core.units.draft import Draft
from protypon.core.units.moments import Hooked, beside, try_moments
from protypon.core.units.places import place_words


def remove_item(draft: Draft, kind: str, name: str, file: str = "") -> Hooked:
    """Take an item away, at a moment after it was registered."""
    parents = draft.world.behaviour.parents
    items = parents.state.items if parents is not None else {}
    own = draft.start.platform.code.items.get(kind, ())
    if (kind, name) not in items and name not in own:
        near = nearest(name, (*own, *(n for k, n in items if k == kind)))
        hint = f"did you mean item:{kind}#{near}?" if near else Survey(units=True)
        raise ProtyponError(f"no ancestor of {draft.child.slug} registers {kind} {name}", hint)
    code, _ = coder(draft, file)
    if not code.has("unregister"):
        raise ProtyponError(
            f"{draft.start.platform.title} has no call that takes an item away",
            Explain(f"item:{kind}#{name}"),
        )
    expression = code.call("unregister", kind=code.literal(kind), name=code.literal(name))
    words = code.writer.comment(f"{kind} {name} is taken away.")
    for made, path, brought, when in try_moments(draft, code, words, expression, file):
        behaviour = made.world.behaviour
        gone = (
            all((kind, name) not in state.items for state in behaviour.states)
            and (kind, name) in behaviour.state.removed
        )
        if gone and not run_differences.stops(behaviour) and made.problem() is None:
            where = f"{place_words(items[kind, name].site)} registers it; " if (kind, name) in items else ""
            notes = tuple(beside(draft, made, f"{kind} {name}"))
            return Hooked(made, path, None, brought, f"{where}taken away {when}", notes=notes)
    why = run_differences.stops(draft.world.behaviour) or "no moment is late enough"
    raise ProtyponError(f"item:{kind}#{name} can't be taken away: {why}", Explain(f"item:{kind}#{name}"))
