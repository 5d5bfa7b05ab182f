"""What became of a callback that does not stand where it stood, or of a point that nothing fires any more."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback
from protypon.core.merge import likeness
from protypon.core.model.actions import Mend
from protypon.core.model.evidence import Candidate, Evidence, Gone, Subject, Told, Unreached
from protypon.core.model.nouns import Record
from protypon.core.platform.schema import nearest
from protypon.core.units import claims
from protypon.core.units.claimed import DOES_IN_VAIN, claim_as_source, moved_evidence, stranded_evidence
from protypon.core.units.declarations import text_of
from protypon.core.units.hook.claim import claim_of, hangs_on_order
from protypon.core.units.parent_functions import Origin
from protypon.core.units.past_release import PastRelease, past_release_of
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def fate_of_callback(world: World, subject: Subject, record: Record) -> Evidence:
    """The parents attach nothing of that name there: under another name, at another point, or not at all."""
    unit, former = record.unit, past_release_of(world, record)
    before = claims.read(world.snapshot.blob(record.digest))
    found = list(_other_places(world, record, former)) or _other_names(world, record, former, before)
    now = world.label_now(record.source)
    if len(found) == 1:
        callback, alike = found[0]
        claim = claim_of(world, callback.point, callback, hangs_on_order(world, record.how))
        candidate = Candidate(callback.site.theme, f"{callback.point}#{callback.label}", alike)
        subject = replace(subject, now_from=callback.site.theme)
        if callback.point != unit.path and unit.path not in world.behaviour.fired and claim["fired"]:
            words = f"{place_words(callback.site)} attaches {callback.label} at {callback.point} now; nothing fires {unit.path} any more"
            return moved_evidence(subject, words, candidate)
        what = f"at {callback.point} now" if callback.point != unit.path else f"{callback.label} now"
        it = "it " if callback.point != unit.path else ""
        words = f"{place_words(callback.site)} attaches {it}{what}: nothing called {unit.name} stands at {unit.path}, so yours takes nothing off"
        subject = replace(subject, told={"idle": Told(words, Mend)})
        return Unreached(subject, DOES_IN_VAIN, claim_as_source(claim), Mend, (candidate,))
    if len(found) > 1:
        names = " or ".join(f"{c.label} at {c.point}" for c, _ in found[:3])
        words = f"{now} attaches no {unit.name} at {unit.path} any more; it could be {names}: too alike to tell"
    else:
        was = f" with order {before['order']}" if "order" in before else ""
        words = f"{now} attaches no {unit.name} at {unit.path} any more (it did{was}), and nothing like it"
    return stranded_evidence(subject, words)


def _other_places(world: World, record: Record, former: PastRelease | None) -> Iterator[tuple[Callback, float]]:
    """A callback of the same name at a point where it did not stand before."""
    behaviour = world.behaviour.parents
    seen: set[str] = set()
    for state in behaviour.states if behaviour is not None else ():
        for callback in state.callbacks:
            if (
                callback.label.lower() != (record.unit.name or "").lower()
                or callback.gone is not None
                or callback.point in seen
            ):
                continue
            if former is None or (callback.point, callback.label) not in former.attached:
                seen.add(callback.point)
                yield callback, 1.0


def _other_names(
    world: World, record: Record, former: PastRelease | None, before: claims.Claim
) -> list[tuple[Callback, float]]:
    """Callbacks whose function or method is like the old one's: at the same point, or with the same number at one that is new."""
    behaviour, name = world.behaviour.parents, record.unit.name or ""
    texts = {**former.functions, **former.declared["method"]} if former is not None else {}
    if behaviour is None or former is None or name not in texts:
        return []
    old, known = _body(texts[name], name), {known.lower() for known in texts}
    scored: dict[tuple[str, str], tuple[Callback, float]] = {}
    for state in behaviour.states:
        for callback in state.callbacks:
            closure = closure_of(state, callback) if callback.gone is None else None
            theme = behaviour.theme(closure.file.theme) if closure is not None else None
            if closure is None or theme is None or callback.label.lower() in known:
                continue
            moved_on = callback.point not in former.fired and callback.order == before.get("order", callback.order)
            if callback.point == record.unit.path or moved_on:
                text = text_of(world, Origin(theme, closure.file.path, closure.function))
                score = likeness.alike(old, _body(text, closure.function.name))
                if score >= likeness.ALIKE:
                    scored[callback.point, callback.label] = (callback, round(score, 2))
    best = max((score for _, score in scored.values()), default=0.0)
    return [(c, score) for c, score in scored.values() if score > best - likeness.TIE]


def _body(text: bytes, name: str) -> bytes:
    """A declaration without its own name."""
    return text.replace(name.rpartition("::")[2].encode(), b"NAME")


def point_gone(world: World, subject: Subject, record: Record, before: claims.Claim) -> Gone:
    """Nothing fires the point any more, though the parents still attach something there."""
    new = _renamed_point(world, record, before)
    now = world.label_now(record.source)
    if new:
        words = f"{now} fires {new} in {', '.join(before.get('fired', ()))}, where it fired {record.unit.path}"
        return moved_evidence(subject, words, Candidate(record.source, f"{new}#{record.unit.name}", 1.0))
    words = f"nothing fires {record.unit.path} any more ({now}), so whatever is attached there is never run"
    return stranded_evidence(subject, words)


def _renamed_point(world: World, record: Record, before: claims.Claim) -> str:
    """The one point that is fired anew where the old one was, or that the old one's callbacks went to."""
    former = past_release_of(world, record)
    if former is None:
        return ""
    places = set(before.get("fired", ()))
    new = {
        point for point, said in world.behaviour.fired.items()
        if point not in former.fired and any(s.path in places for s in said)
    }  # fmt: skip
    if len(new) > 1:
        went = {
            c.point
            for s in world.behaviour.states
            for c in s.callbacks
            if (record.unit.path, c.label) in former.attached
        }
        new = (new & went) or new
    if len(new) > 1:
        near = nearest(record.unit.path, tuple(sorted(new)), 0.5)
        new = {near} if near else set()
    return next(iter(new)) if len(new) == 1 else ""
