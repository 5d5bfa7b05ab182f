"""Values that the child sets before an ancestor does."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from protypon.core.analysis.state import Registered
from protypon.core.files.listing import blob_digest
from protypon.core.languages.values import known, readable
from protypon.core.model.actions import Adopt, Drop, Mend, Override
from protypon.core.model.errors import Usage
from protypon.core.model.evidence import Candidate, Evidence, Gone, Present, Subject, Told, Unreached
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.platform.schema import nearest
from protypon.core.units import claims
from protypon.core.units.claimed import DOES, DOES_IN_VAIN, begun, compared, held, missing, moved, stranded, unknown
from protypon.core.units.draft import Draft
from protypon.core.units.places import shown
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.value import write
from protypon.core.units.value.write import is_value
from protypon.core.units.world import World

OPTIONS = frozenset({"--value"})


def supplied(world: World, theme: Theme) -> list[Unit]:
    if not world.behaviour.speaks or world.lineage.cut or world.behaviour.parents is None:
        return []
    values = world.behaviour.parents.state.values
    return sorted(Unit("value", name) for name, found in values.items() if found.site.theme == theme.slug)


def find(world: World) -> list[Evidence]:
    found = [_listed(world, r) for r in world.records.values() if r.unit.kind == "value"]
    if world.behaviour.speaks and not world.lineage.cut and not world.behaviour.uncertain:
        found += _unlisted(world)
    return found


def _set(world: World, name: str) -> Registered | None:
    parents = world.behaviour.parents
    return parents.state.values.get(name) if parents is not None else None


def claim_of(world: World, name: str) -> dict[str, Any] | None:
    """What the parents alone set a value to; of one that is only asked for, that."""
    found = _set(world, name)
    if found is not None:
        return {
            "name": name,
            "value": found.value if known(found.value) and not found.doubt else "made at run time",
            "set_in": found.site.path,
        }
    if name in world.platform.code.values:
        return {"name": name, "value": world.platform.code.values[name], "set_in": world.platform.title}
    asked = _asked(world, name)
    return {"name": name, "asked_in": asked} if asked else None


def _asked(world: World, name: str) -> list[str]:
    """The parents' files that ask for a value."""
    said = world.behaviour.said
    places = {s.path for s in said if s.meaning.does == "value" and s.name == name and s.theme is not world.child}
    return sorted(places)


def _unlisted(world: World) -> Iterator[Evidence]:
    listed = {r.unit for r in world.records.values()}
    for name, own in world.behaviour.state.values.items():
        unit, theirs = Unit("value", name), _set(world, name)
        if own.site.theme != world.child.slug or theirs is None or unit in listed or own.doubt:
            continue
        theme = world.ancestor(theirs.site.theme)
        mine = f"{shown(own.site)} sets {name} to {readable(own.value)!r}"
        because = f"{mine} before {shown(theirs.site)} sets it to {readable(theirs.value)!r}, and no record says so"
        subject = Subject(
            unit=unit, listed=False, how="set", file=own.site.path, line=own.site.line, written=Written(own.site.path, value=own.value),
            origin=theirs.site.theme, now_from=theirs.site.theme, now=theme.release if theme else None,
            told={"unlisted": Told(because, Adopt(world.child.slug))},
        )  # fmt: skip
        yield Present(subject, DOES, held(claim_of(world, name) or {}))


def _listed(world: World, record: Record) -> Evidence:
    subject = begun(world, record)
    unknowable = unknown(world, subject, "values")
    if unknowable is not None:
        return unknowable
    name, value = record.unit.path, record.written.value
    tried = _own(world, name)
    if tried is None:
        words = f"the ledger says {name} is set to {value!r}, and nothing in the code of {world.child.slug} sets it any more"
        return missing(subject, words)
    subject = replace(subject, file=tried.site.path, line=tried.site.line)
    now = claim_of(world, name)
    if now is None:
        return _gone(world, subject, record)
    holder = world.behaviour.state.values.get(name)
    told = {"holds": Told(f"it is {tried.value!r}; without yours it would be {now.get('value', 'not set')!r}")}
    if holder is not None and holder.site.theme != world.child.slug:
        words = f"{shown(holder.site)} sets {name} to {readable(holder.value)!r} before yours, and only the first one counts"
        subject = replace(subject, told={"idle": Told(words, Mend)})
        return Unreached(subject, DOES_IN_VAIN, held(now), Mend)
    if "value" in now and type(now["value"]) is type(tried.value) and now["value"] == tried.value:
        subject = replace(subject, told={"needless": Told(f"{now['set_in']} sets {name} to {tried.value!r} too", Drop)})
        return Present(subject, DOES, held(now), same=True)
    return compared(world, subject, record, now, told)


def _own(world: World, name: str) -> Registered | None:
    """The child's own try to set a value, whether it came in time or not."""
    state = world.behaviour.state
    tries = [state.values[name]] if name in state.values else []
    tries += state.passed_over.get(name, [])
    return next((t for t in tries if t.site.theme == world.child.slug), None)


def _gone(world: World, subject: Subject, record: Record) -> Gone:
    before = claims.read(world.snapshot.blob(record.digest))
    parents = world.behaviour.parents
    values = parents.state.values if parents is not None else {}
    others = [
        n for n, found in values.items()
        if "value" in before and is_value(found, before["value"]) and found.site.path == before.get("set_in")
    ]  # fmt: skip
    near = nearest(record.unit.path, tuple(others), 0.5)
    label = world.ancestor(record.source)
    now = label.label if label else record.source
    if near:
        words = f"{shown(values[near].site)} sets {near} to {readable(values[near].value)!r}; nothing sets or asks for {record.unit.path} any more"
        return moved(subject, words, Candidate(values[near].site.theme, near, 1.0))
    words = f"{now} neither sets nor asks for {record.unit.path} any more"
    return stranded(subject, words)


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    if not asked.valued:
        raise Usage(
            f"{unit.address}: which value?",
            (
                "add --value V, as in: ",
                Override(
                    unit.address,
                    options=(
                        "--value",
                        "3",
                    ),
                ),
            ),
        )
    done = write.valued(draft, unit.path, asked.value)
    found = _set(draft.world, unit.path)
    theme = draft.world.ancestor(found.site.theme) if found is not None else None
    text = claims.written(claim_of(draft.world, unit.path) or {})
    source = theme.slug if theme else draft.start.platform.name
    written = Written(done.file, value=asked.value, brought=done.brought)
    record = Record(
        unit, "set", source, theme.release if theme else None, blob_digest(text), asked.why, written=written
    )
    return Outcome(done.draft, (record,), ((theme, text),), done.why, done.file, tuple((n, None) for n in done.notes))
