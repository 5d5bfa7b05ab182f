"""Callbacks that the child takes off a point, gives another order number, or attaches."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback, Detachment
from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Adopt, Drop, Mend, Points
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.model.evidence import Evidence, Lost, Own, Present, Stops, Subject, Told, Unreached
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units import claims
from protypon.core.units.claimed import DOES, DOES_IN_VAIN, begun, claim_as_source, missing, unknown
from protypon.core.units.draft import Draft
from protypon.core.units.hook import write as hooks
from protypon.core.units.hook.attach import attach_callback
from protypon.core.units.hook.behind import Stop, anew, stop_of, without
from protypon.core.units.hook.claim import claim_of, compared_hook, fires_unnamed, hangs_on_order, now_label
from protypon.core.units.hook.fate import fate_of_callback, point_gone
from protypon.core.units.moments import Hooked
from protypon.core.units.parent_functions import functions_in
from protypon.core.units.places import place_words
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.taking_out import is_called
from protypon.core.units.world import World

OPTIONS = frozenset({"--detach", "--order", "--attach"})


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """Every callback that a theme attaches."""
    behaviour = world.behaviour
    if not behaviour.speaks or world.lineage.cut:
        return []
    found = {
        Unit("hook", c.point, c.label)
        for state in behaviour.states
        for c in state.callbacks
        if c.site.theme == theme.slug and "?" not in c.label and " " not in c.label
    }
    return sorted(found)


def find(world: World) -> list[Evidence]:
    """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
    records = [r for r in world.records.values() if r.unit.kind == "hook"]
    found = [_listed_evidence(world, record) for record in records]
    if world.behaviour.speaks and not world.lineage.cut and not world.behaviour.uncertain:
        found += _unlisted_evidence(world)
    return found


# Without a record


def _unlisted_evidence(world: World) -> Iterator[Evidence]:
    """Parents' callbacks that the child takes off, and nobody wrote down."""
    ours = {(r.unit.path, (r.unit.name or "").lower()) for r in world.records.values() if r.unit.kind == "hook"}
    for record in world.records.values():
        if record.unit.kind == "function":
            ours |= {(at.rpartition(" ")[0], record.unit.path.lower()) for at in record.written.at}
    told: set[Unit] = set()
    for state in world.behaviour.states:
        for detachment in state.detachments:
            if detachment.site.theme != world.child.slug or detachment.doubt:
                continue
            for callback in detachment.matched:
                unit = Unit("hook", callback.point, callback.label)
                if callback.site.theme == world.child.slug or unit in told or "?" in callback.label:
                    continue
                if (unit.path, callback.label.lower()) in ours or not hooks.standing(
                    world, callback.point, callback.label
                ):
                    continue
                told.add(unit)
                yield _without_record(world, unit, callback, detachment)


def _without_record(world: World, unit: Unit, callback: Callback, detachment: Detachment) -> Present:
    theme = world.ancestor(callback.site.theme)
    again = [
        c for c in world.behaviour.state.callbacks
        if c.point == callback.point and c.gone is None and c.label.lower() == callback.label.lower()
    ]  # fmt: skip
    how = "reorder" if again and again[0].site.theme == world.child.slug else "detach"
    claim = claim_of(world, unit.path, callback, hangs_on_order(world, how))
    what = "gives another number to" if how == "reorder" else "takes off"
    takes = f"{place_words(detachment.site)} {what} {callback.label} at {callback.point} ({place_words(callback.site)})"
    because = f"{takes}, and no record says as which release attached it"
    number = callback.order if isinstance(callback.order, int) else None
    to = again[0].order if how == "reorder" and isinstance(again[0].order, int) else None
    subject = Subject(
        unit=unit, listed=False, how=how, file=detachment.site.path, line=detachment.site.line or None,
        written=Written(detachment.site.path, order=number, to=to), origin=callback.site.theme, now_from=callback.site.theme,
        now=theme.release if theme else None, told={"unlisted": Told(because, Adopt(world.child.slug))},
    )  # fmt: skip
    return Present(subject, DOES, claim_as_source(claim))


# With a record


def _listed_evidence(world: World, record: Record) -> Evidence:
    label = f"{record.source} {record.release}" if record.release else record.source
    subject = begun(world, record)
    stopped = stop_of(world, record) if record.how in ("detach", "reorder") else None
    if stopped is not None:
        return _stops(world, subject, record, stopped)
    unknowable = unknown(world, subject, "points")
    if unknowable is not None:
        return unknowable
    if record.how == "attach":
        return _attachment(world, subject, record)
    words = f"the ledger says {record.unit.name} of {label} is taken off {record.unit.path}, and nothing in the code does that any more"
    tried = _attempt_to_detach(world, record)
    if tried is None:
        return missing(subject, words)
    subject = replace(subject, line=tried.site.line or None, file=tried.site.path)
    standing = hooks.standing(world, record.unit.path, record.unit.name or "")
    if not standing:
        return fate_of_callback(world, subject, record)
    return _there(world, subject, record, standing)


def _stops(world: World, subject: Subject, record: Record, stopped: Stop) -> Stops:
    """What it asks for so as to name the callback is not there any more."""
    why = f"{place_words(stopped.site)} {stopped.because}: the site stops"
    try:
        anew(without(Draft(world), record), record)
    except ProtyponError as error:
        told = Told(f"{why}; {error.message}", Drop)
    else:
        told = Told(f"{why}; {record.unit.name} can be taken off in another way", Mend)
    subject = replace(subject, file=stopped.site.path, line=stopped.site.line, told={"fatal": told})
    return Stops(subject, DOES_IN_VAIN, Lost(), why)


def _attempt_to_detach(world: World, record: Record) -> Detachment | None:
    """The child's own try to take the callback off."""
    name = record.unit.name or ""
    tries = [
        d for state in world.behaviour.states for d in state.detachments
        if d.site.theme == world.child.slug and d.point == record.unit.path and (d.everything or is_called(d.label, name))
    ]  # fmt: skip
    return tries[0] if tries else None


def _there(world: World, subject: Subject, record: Record, standing: list[Callback]) -> Evidence:
    """The parents still attach it at that point."""
    unit, callback = record.unit, standing[0]
    before = claims.read(world.snapshot.blob(record.digest))
    now = claim_of(world, unit.path, callback, hangs_on_order(world, record.how))
    theme = world.ancestor(callback.site.theme)
    subject = replace(subject, now_from=callback.site.theme, now=theme.release if theme else None)
    if not now["fired"] and not fires_unnamed(world):
        return point_gone(world, subject, record, before)
    told: dict[str, Told] = {
        "holds": Told(f"{place_words(callback.site)} attaches it as it was when this was written, and it is taken off")
    }
    left = [
        c for s in world.behaviour.states for c in s.callbacks
        if c.gone is None and c.point == unit.path and any(c.site == p.site for p in standing)
    ]  # fmt: skip
    sure = [c for c in left if not c.doubt]
    if left and not sure:
        words = f"{place_words(left[0].site)} may attach it ({left[0].doubt}), so whether it is taken off can't be told"
        told["holds"] = Told(words)
        return compared_hook(subject, Own(None, "unknown", words), before, now, told, now_label(subject))
    if sure:
        subject = replace(subject, told={"idle": Told(_why_left(unit, sure[0], before, record), Mend)})
        return Unreached(subject, DOES_IN_VAIN, claim_as_source(now), Mend)
    if record.how == "reorder":
        if callback.order == record.written.to:
            told["needless"] = Told(
                f"{place_words(callback.site)} attaches it with order {callback.order} itself now", Drop
            )
            return Present(replace(subject, told=told), DOES, claim_as_source(now), same=True)
        told["holds"] = Told(
            f"{place_words(callback.site)} attaches it with {callback.order}, and it runs with {record.written.to}"
        )
    return compared_hook(subject, DOES, before, now, told, now_label(subject))


def _why_left(unit: Unit, callback: Callback, before: claims.Claim, record: Record) -> str:
    """Why the child's try does not match any more."""
    where = f"{place_words(callback.site)} attaches {unit.name}"
    was = before.get("order", record.written.order)
    if was is not None and callback.order != was:
        return f"{where} with order {callback.order}, yours says {was}: it stays at {unit.path}"
    if callback.moment != before.get("when", callback.moment):
        return f"{where} {_moment(callback)} now, after yours has run: it stays at {unit.path}"
    return f"{where} {_moment(callback)}, and yours does not match it: it stays at {unit.path}"


def _moment(callback: Callback) -> str:
    return "while code loads" if callback.moment == "loading" else f"when {callback.moment} is fired"


# Attached by the child


def _attachment(world: World, subject: Subject, record: Record) -> Evidence:
    unit = record.unit
    own = [
        c for s in world.behaviour.states for c in s.callbacks
        if c.site.theme == world.child.slug and c.point == unit.path and c.label.lower() == (unit.name or "").lower()
    ]  # fmt: skip
    words = f"the ledger says {unit.name} is attached at {unit.path}, and nothing in the code of {world.child.slug} does that any more"
    if not own:
        return missing(subject, words)
    before = claims.read(world.snapshot.blob(record.digest))
    now = claim_of(world, unit.path, None, False)
    subject = replace(subject, file=own[0].site.path, line=own[0].site.line)
    if not now["fired"] and not world.behaviour.fired.get(unit.path) and not fires_unnamed(world):
        return point_gone(world, subject, record, before)
    if not now["fired"]:
        fired = world.behaviour.fired.get(unit.path, [])
        now = now | {"fired": sorted({s.path for s in fired})} if fired else dict(before)
    platform = world.platform.code.point(unit.path) is not None
    gone = all(c.gone is not None for c in own)
    told = {
        "holds": Told(
            f"{'the platform' if platform else ', '.join(now['fired'])} fires {unit.path}, and {unit.name} runs there"
        )
    }
    if gone or closure_of(world.behaviour.state, own[0]) is None:
        why = (
            f"{place_words(own[0].gone.site)} takes it off again"
            if own[0].gone is not None
            else f"there is no function {unit.name}"
        )
        subject = replace(subject, told={"idle": Told(f"{unit.name} never runs at {unit.path}: {why}", Drop)})
        return Unreached(subject, DOES_IN_VAIN, claim_as_source(now))
    label = now_label(subject) if subject.now_from else world.platform.title
    return compared_hook(subject, DOES, before, now, told, label)


# Writing


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Write what the options ask for at a point."""
    world = draft.world
    if asked.attach:
        done = attach_callback(draft, unit.path, asked.attach, asked.order)
        own = Unit("hook", unit.path, asked.attach)
        fired = world.behaviour.fired.get(unit.path, [])
        theme = next((t for s in fired for t in world.ancestors if t.slug == s.theme.slug), None)
        text = claims.claim_text(claim_of(world, unit.path, None, False))
        return _outcome(
            done,
            own,
            "attach",
            theme,
            text,
            asked,
            Written(done.file, "" if _had(world, asked.attach) else asked.attach, to=asked.order, brought=done.brought),
        )
    if unit.name is None:
        raise Usage(
            f"{unit.address}: which callback?",
            (f"write hook:{unit.path}#CALLBACK; see them with: ", Points(unit.path, world.child.slug)),
        )
    if asked.order is not None:
        done = hooks.reorder_callback(draft, unit.path, unit.name, asked.order)
        how = "reorder"
    elif asked.detach:
        done, how = hooks.detach_callback(draft, unit.path, unit.name), "detach"
    else:
        raise Usage(f"{unit.address}: what is to become of it?", "add --detach, or --order N")
    callback = done.callback
    assert callback is not None
    theme = world.ancestor(callback.site.theme)
    text = claims.claim_text(claim_of(world, unit.path, callback, hangs_on_order(world, how)))
    number = callback.order if isinstance(callback.order, int) else None
    written = Written(done.file, done.called, number, asked.order if how == "reorder" else None, brought=done.brought)
    return _outcome(done, Unit("hook", unit.path, callback.label), how, theme, text, asked, written)


def _had(world: World, name: str) -> bool:
    return any(o.name.lower() == name.lower() for o in functions_in(world.behaviour, world.lineage.themes))


def _outcome(
    done: Hooked, unit: Unit, how: str, theme: Theme | None, text: bytes, asked: Asked, written: Written
) -> Outcome:
    source = theme.slug if theme is not None else done.draft.start.platform.name
    record = Record(unit, how, source, theme.release if theme else None, blob_digest(text), asked.why, written=written)
    return Outcome(
        done.draft,
        (record,),
        ((theme, text),),
        done.why,
        done.file,
        tuple((n, None) for n in done.notes),
        called=done.called,
    )
