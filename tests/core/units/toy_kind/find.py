"""Lamps: found, written."""

from __future__ import annotations

from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.state import Mark
from protypon.core.files.listing import blob_digest
from protypon.core.model.evidence import Evidence, Told
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units import claims
from protypon.core.units.claimed import begun, compared_claim, missing, stranded_evidence, unknown
from protypon.core.units.coder import coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World

OPTIONS = frozenset[str]()


def _given(behaviour: Behaviour | None) -> dict[str, Mark]:
    return {str(m.name): m for m in behaviour.state.provided} if behaviour is not None else {}


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    return [Unit("lamp", name) for name, m in _given(world.behaviour.parents).items() if m.site.theme == theme.slug]


def _claim(world: World, name: str) -> dict[str, Any] | None:
    mark = _given(world.behaviour.parents).get(name)
    return {"name": name, "value": mark.value, "set_in": mark.site.path} if mark is not None else None


def find(world: World) -> list[Evidence]:
    return [_listed(world, record) for record in world.records.values() if record.unit.kind == "lamp"]


def _listed(world: World, record: Record) -> Evidence:
    subject = begun(world, record)
    unknowable = unknown(world, subject, "points")
    if unknowable is not None:
        return unknowable
    now, own = _claim(world, record.unit.path), _given(world.behaviour).get(record.unit.path)
    if own is None or own.site.theme != world.child.slug:
        return missing(subject, "the lamp is out")
    if now is None:
        return stranded_evidence(subject, "no parent has the lamp any more")
    return compared_claim(world, subject, record, now, {"holds": Told(f"it shines {own.value}")})


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    code, _ = coder(draft)
    made, file, brought = put(
        draft, [code.statement("provide", name=code.literal(unit.path), value=code.literal("white"))]
    )
    text = claims.claim_text(_claim(draft.world, unit.path) or {})
    theme = draft.world.ancestors[0]
    written = Written(file, value="white", brought=brought)
    record = Record(unit, "set", theme.slug, theme.release, blob_digest(text), asked.why, written=written)
    return Outcome(made, (record,), ((theme, text),), "lit", file)
