"""Overrides of callbacks brought up to what the parents do now: a number, a name or a point, where the call stands; else the whole anew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from protypon.core.analysis.state import Callback
from protypon.core.languages.writers import writer
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, moved_to, reach_of
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.declarations import span_of
from protypon.core.units.draft import Draft
from protypon.core.units.hook import remove, write
from protypon.core.units.hook.find import place
from protypon.core.units.mending import Mended, anew, changed_calls
from protypon.core.units.parent_functions import own_function


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> Mended:
    """Another number, name or point, where the call stands; else the whole anew."""
    unit = record.unit
    moved = moved_to(evidence)
    to = Unit("hook", *moved[0].path.split("#", 1)) if moved else unit
    found = write.standing(draft.world, to.path, to.name or "") if record.how != "attach" else []
    if record.how == "attach":
        if to == unit:
            raise ProtyponError(f"{unit.address}: there is no mechanical step", Drop(unit.address))
        made = changed_calls(draft, record.written.file, {"attach": {"point": to.path}}, unit.path, unit.name or "")
        made = _with_mark_at(made, record, unit.path, to.path) if made.files == draft.files else made
        return made, replace(record, unit=to), f"attached at {to.path} now"
    if not found:
        raise ProtyponError(f"{unit.address}: nothing like it is attached", Drop(unit.address))
    callback = found[0]
    number = callback.order if isinstance(callback.order, int) else None
    change: dict[str, object] = {"point": to.path, "callback": callback.label}
    if (number is not None and number != record.written.order) or (number is not None and reach_of(evidence) == "no"):
        change["order"] = number
    if record.written.called:
        new = replace(record, unit=to, written=replace(record.written, order=number))
        return anew(draft, new, evidence, others, place, remove, record)
    made = _in_manifest(draft, unit, to)
    moves: dict[str, Mapping[str, object]] = {"detach": change}
    if record.how == "reorder":
        moves["attach"] = {"point": to.path, "callback": callback.label}
    made = changed_calls(made, evidence.subject.file, moves, unit.path, unit.name or "")
    new = replace(record, unit=to, written=replace(record.written, order=number))
    if _works(made, callback):
        return made, new, _mend_words(record, callback, to)
    return anew(draft, new, evidence, others, place, remove, record)


def _works(draft: Draft, callback: Callback) -> bool:
    return draft.problem() is None and write.is_off(draft.world, callback)


def _mend_words(record: Record, callback: Callback, to: Unit) -> str:
    said = []
    if to.path != record.unit.path:
        said.append(f"the point is {to.path}, was {record.unit.path}")
    if callback.label.lower() != (record.unit.name or "").lower():
        said.append(f"the callback is {callback.label}, was {record.unit.name}")
    if isinstance(callback.order, int) and callback.order != record.written.order:
        said.append(f"the order is {callback.order}, was {record.written.order}")
    return "; ".join(said) or "written anew"


def _in_manifest(draft: Draft, unit: Unit, to: Unit) -> Draft:
    rows = list(draft.child.values.get("detached", ()))
    old, new = f"{unit.path}#{unit.name}", f"{to.path}#{to.name}"
    changed = [new if row.lower() == old.lower() else row for row in rows]
    return draft.with_manifest({"detached": changed}) if changed != rows else draft


def _with_mark_at(draft: Draft, record: Record, old: str, new: str) -> Draft:
    """The point in a mark, where the function is attached by one."""
    own = own_function(draft.world, record.unit.name or "", record.written.file)
    rule = draft.start.platform.rule_of(own.path) if own is not None else None
    if own is None or rule is None:
        return draft
    data, span = span_of(draft.world, own)
    if span is None:
        return draft
    mark = data[span.start : span.end].partition(writer(rule.language).HEAD)[0]
    for quote in (b"'", b'"'):
        if quote + old.encode() + quote in mark:
            mended_mark = mark.replace(quote + old.encode() + quote, quote + new.encode() + quote, 1)
            return draft.with_file(own.path, data[: span.start] + mended_mark + data[span.start + len(mark) :])
    return draft
