"""Items that an ancestor registers, and the child takes away."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from protypon.core.analysis.state import Registered
from protypon.core.files.listing import blob_digest
from protypon.core.languages.values import is_known
from protypon.core.model.actions import Adopt, Mend, Override
from protypon.core.model.errors import Usage
from protypon.core.model.evidence import Candidate, Evidence, Gone, Present, Subject, Told, Unreached
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units import claims
from protypon.core.units.claimed import (
    DOES,
    DOES_IN_VAIN,
    begun,
    claim_as_source,
    compared_claim,
    missing,
    moved_evidence,
    stranded_evidence,
    unknown,
)
from protypon.core.units.draft import Draft
from protypon.core.units.item import write
from protypon.core.units.places import place_words
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World

OPTIONS = frozenset({"--remove"})


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """Every unit of this kind that a theme supplies and a child may override."""
    if not world.behaviour.speaks or world.lineage.cut:
        return []
    items = world.behaviour.state.items
    return sorted(Unit("item", kind, name) for (kind, name), found in items.items() if found.site.theme == theme.slug)


def find(world: World) -> list[Evidence]:
    """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
    found = [_listed_evidence(world, r) for r in world.records.values() if r.unit.kind == "item"]
    if world.behaviour.speaks and not world.lineage.cut and not world.behaviour.uncertain:
        found += _unlisted_evidence(world)
    return found


def _registration_of(world: World, unit: Unit) -> Registered | None:
    parents = world.behaviour.parents
    return parents.state.items.get((unit.path, unit.name or "")) if parents is not None else None


def claim_of(world: World, unit: Unit) -> dict[str, Any] | None:
    """How the parents alone register an item; None where they do not."""
    found = _registration_of(world, unit)
    if found is not None:
        return {
            "kind": unit.path,
            "name": unit.name,
            "value": repr(found.value) if is_known(found.value) else "made at run time",
            "set_in": found.site.path,
        }
    if unit.name in world.platform.code.items.get(unit.path, ()):
        return {"kind": unit.path, "name": unit.name, "set_in": world.platform.title}
    return None


def _taken_away(world: World, unit: Unit) -> Any:
    rows = world.behaviour.state.removed.get((unit.path, unit.name or ""), [])
    return next(
        ((old, site) for old, site, how in rows if how == "taken away" and site.theme == world.child.slug), None
    )


def _unlisted_evidence(world: World) -> Iterator[Evidence]:
    listed = {r.unit for r in world.records.values()}
    for (kind, name), rows in world.behaviour.state.removed.items():
        unit = Unit("item", kind, name)
        for _, site, how in rows:
            found = _registration_of(world, unit)
            if (
                how != "taken away"
                or site.theme != world.child.slug
                or unit in listed
                or found is None
                or (kind, name) in world.behaviour.state.items
            ):
                continue
            theme = world.ancestor(found.site.theme)
            because = f"{place_words(site)} takes {kind} {name} away ({place_words(found.site)} registers it), and no record says as which release had it"
            subject = Subject(
                unit=unit, listed=False, how="remove", file=site.path, line=site.line, written=Written(site.path),
                origin=found.site.theme, now_from=found.site.theme, now=theme.release if theme else None,
                told={"unlisted": Told(because, Adopt(world.child.slug))},
            )  # fmt: skip
            yield Present(subject, DOES, claim_as_source(claim_of(world, unit) or {}))
            break


def _listed_evidence(world: World, record: Record) -> Evidence:
    subject = begun(world, record)
    unknowable = unknown(world, subject, "items")
    if unknowable is not None:
        return unknowable
    unit = record.unit
    taken = _taken_away(world, unit)
    if taken is None:
        words = f"the ledger says {unit.path} {unit.name} is taken away, and nothing in the code of {world.child.slug} does that any more"
        return missing(subject, words)
    subject = replace(subject, line=taken[1].line, file=taken[1].path)
    now = claim_of(world, unit)
    if now is None:
        return _gone_evidence(world, subject, record)
    standing = next(
        (s.items[unit.path, unit.name or ""] for s in world.behaviour.states if (unit.path, unit.name) in s.items), None
    )
    found = _registration_of(world, unit)
    told = {
        "holds": Told(
            f"{place_words(found.site) if found else world.platform.title} registers it, and it is taken away"
        )
    }
    if standing is not None:
        words = f"{place_words(standing.site)} registers {unit.path} {unit.name} after yours has taken it away, so it is there"
        subject = replace(subject, told={"idle": Told(words, Mend)})
        return Unreached(subject, DOES_IN_VAIN, claim_as_source(now), Mend)
    return compared_claim(world, subject, record, now, told)


def _gone_evidence(world: World, subject: Subject, record: Record) -> Gone:
    """Another item of the kind with the very same value that was not there before, or none."""
    before = claims.read(world.snapshot.blob(record.digest))
    parents = world.behaviour.parents
    others = [
        (name, found) for (kind, name), found in (parents.state.items if parents else {}).items()
        if kind == record.unit.path and is_known(found.value) and repr(found.value) == before.get("value") and found.site.path == before.get("set_in")
    ]  # fmt: skip
    now = world.label_now(record.source)
    if len(others) == 1:
        name, found = others[0]
        words = f"{place_words(found.site)} registers {record.unit.path} {name} with the same value; {record.unit.name} is gone"
        return moved_evidence(subject, words, Candidate(found.site.theme, f"{record.unit.path}#{name}", 1.0))
    words = f"{now} registers no {record.unit.path} {record.unit.name} any more, so there is nothing to take away"
    return stranded_evidence(subject, words)


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Write an override into the child's code. Raises ProtyponError with what stands in the way."""
    if unit.name is None:
        raise Usage(f"{unit.address}: which one?", f"write {unit.address}#NAME")
    if not asked.remove and _registration_of(draft.world, unit) is not None:
        step = Override(unit.address, draft.child.slug, ("--remove",))
        raise Usage(f"{unit.address}: what is to become of it?", ("to take it away: ", step))
    done = write.remove_item(draft, unit.path, unit.name)
    found = _registration_of(draft.world, unit)
    theme = draft.world.ancestor(found.site.theme) if found is not None else None
    text = claims.claim_text(claim_of(draft.world, unit) or {})
    source = theme.slug if theme else draft.start.platform.name
    record = Record(
        unit,
        "remove",
        source,
        theme.release if theme else None,
        blob_digest(text),
        asked.why,
        written=Written(done.file, brought=done.brought),
    )
    return Outcome(done.draft, (record,), ((theme, text),), done.why, done.file, tuple((n, None) for n in done.notes))
