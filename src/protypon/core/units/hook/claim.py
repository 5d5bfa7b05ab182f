"""What an override at a point claims of the parents: the callback, its number, and how the point is fired."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from protypon.core.analysis.state import Callback
from protypon.core.languages.code import spreads
from protypon.core.model.actions import Settle, Update
from protypon.core.model.evidence import Comparison, Own, Present, Subject, Told
from protypon.core.units import claims
from protypon.core.units.claimed import claim_as_source
from protypon.core.units.world import World


def claim_of(world: World, point: str, callback: Callback | None, number: bool) -> dict[str, Any]:
    """What is so in the parents alone: the callback at its point, and the point itself.

    ``number`` says whether the order number matters: it does where detaching needs it, or where it is changed.
    """
    behaviour = world.behaviour.parents
    assert behaviour is not None
    own = behaviour.platform.code.point(point)
    fired = behaviour.fired.get(point, [])
    given = [len(s.call.arguments) - 1 for s in fired if not any(map(spreads, s.call.arguments))]
    claim: dict[str, Any] = {"point": point}
    if callback is not None:
        claim |= {"callback": callback.label, "when": callback.moment}
        if number and isinstance(callback.order, int):
            claim["order"] = callback.order
    if own is not None:
        return claim | {"fired": [behaviour.platform.title], "gives": own.arguments, "passes": own.passes}
    return claim | {
        "fired": sorted({s.path for s in fired}),
        "gives": min(given, default=0),
        "passes": any(s.meaning.passes for s in fired),
    }


def hangs_on_order(world: World, how: str) -> bool:
    """Whether a claim of that sort hangs on the order number."""
    detach = world.platform.code.meaning("detach")
    return how == "reorder" or (detach is not None and detach.takes("order"))


def fires_unnamed(world: World) -> bool:
    """Whether code fires a point whose name is made at run time."""
    return any(s.meaning.does == "fire" and s.name is None for s in world.behaviour.said)


def now_label(subject: Subject) -> str:
    """The theme, and its release, that attaches it today."""
    return f"{subject.now_from} {subject.now}" if subject.now else str(subject.now_from)


def compared_hook(
    subject: Subject, own: Own, before: claims.Claim, now: claims.Claim, told: dict[str, Told], label: str
) -> Present:
    """What changed of the claim, though the override still has its effect."""
    source = claim_as_source(now)
    if source.digest == subject.base or not before:
        return Present(replace(subject, told=told), own, source)
    changes = "; ".join(claims.differences(before, now))
    told["drifted"] = Told(f"{label}: {changes}; yours still applies", Update)
    clash = ""
    old, new = set(before.get("fired", ())), set(now.get("fired", ()))
    if old - new and new - old:
        clash = f"{label} fires {now['point']} in {', '.join(sorted(new))} now, not in {', '.join(sorted(old))}"
    elif now.get("gives", 0) < before.get("gives", 0):
        clash = f"{label} gives {now['gives']} argument{'s' * (now['gives'] != 1)} at {now['point']} now, not {before['gives']}"
    elif now.get("passes") != before.get("passes"):
        clash = (
            f"{now['point']} of {label} {'passes a value on' if now.get('passes') else 'prints'} now, which it did not"
        )
    if clash:
        told["conflicted"] = Told(f"{clash}: look whether yours is still right there", Settle)
    return Present(replace(subject, told=told), replace(own, comparison=Comparison("clean")), source, clash=clash)
