"""Overrides of functions brought up to what the parents do now: numbers in calls, where that is all; else off and on again."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.text_edits import rename_functions
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, Stops, moved_to, own_of
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.declarations import span_of
from protypon.core.units.draft import Draft
from protypon.core.units.function import remove
from protypon.core.units.function.copies import attaching_like, own_text, writer_of
from protypon.core.units.function.write import again
from protypon.core.units.hook.write import is_off
from protypon.core.units.mending import Mended, changed_calls
from protypon.core.units.parent_functions import Origin, attachments, folds, origin_of, own_function
from protypon.core.units.taking_out import out_of


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> Mended:
    """Numbers in its calls, where that is all; else off and on again in the way that works now, with the child's own text."""
    moved = moved_to(evidence)
    origin = origin_of(draft.world, moved[0].path if moved else record.unit.path)
    if origin is None:
        raise ProtyponError(f"{record.unit.address}: the parents have no such function", Drop(record.unit.address))
    renumbered = None if moved or isinstance(evidence, Stops) else _renumber_calls(draft, record, origin)
    if renumbered is not None:
        return renumbered
    standing = own_of(evidence)
    own = own_text(draft, record, others)
    if own is None and (standing is None or standing.part is None):
        raise ProtyponError(f"{record.unit.address}: its text is gone", Drop(record.unit.address))
    if any(o.written.part_of == record.unit.address for o in others) or record.written.part_of:
        raise ProtyponError(
            f"{record.unit.address}: it was written together with others, so it is not moved alone",
            Drop(record.written.part_of or record.unit.address),
        )
    text = rename_functions(own or b"", {record.unit.path: origin.name}, writer_of(draft, origin), folds(draft.start))
    if record.written.at:
        text = attaching_like(draft, text, origin, record)
    out = out_of(draft, record, [o for o in others if o.unit != record.unit], remove)
    moved_record = replace(record, unit=Unit("function", origin.name))
    if record.how == "replace" and record.written.called:
        moved_record = replace(moved_record, written=replace(record.written, called=""))
    placed = again(out, moved_record, {origin.name: text})
    made = placed.records(Unit("function", origin.name), record.why)[0]
    brought = tuple(dict.fromkeys([*made.written.brought, *record.written.brought]))
    made = replace(
        made,
        written=replace(made.written, brought=brought),
        release=record.release,
        digest=record.digest,
        source=record.source,
    )
    return placed.draft, made, placed.why


def _renumber_calls(draft: Draft, record: Record, origin: Origin) -> Mended | None:
    """The parent attaches it at the same points, with other numbers: they are written into the child's calls."""
    parents = draft.world.behaviour.parents
    if record.how != "detach" or parents is None or not record.written.called:
        return None
    now = {c.point: c for c in attachments(parents, origin)}
    was = {
        at.rpartition(" ")[0]: int(at.rpartition(" ")[2])
        for at in record.written.at
        if at.rpartition(" ")[2].lstrip("-").isdigit()
    }
    if now.keys() != was.keys() or any(not isinstance(c.order, int) for c in now.values()):
        return None
    made, said = draft, []
    for point, callback in now.items():
        if callback.order == was[point] or not isinstance(callback.order, int):
            continue
        said.append(f"the order at {point} is {callback.order}, was {was[point]}")
        made = changed_calls(made, record.written.file, {"detach": {"order": callback.order}}, point, origin.name)
        made = _follow_number(made, record, point, was[point], callback.order)
    own = own_function(made.world, record.written.called, record.written.file)
    if not said or own is None or made.problem() is not None or made.world.behaviour.uncertain:
        return None
    if any(not is_off(made.world, c) for c in now.values()):
        return None
    at = tuple(f"{p} {c.order}" for p, c in now.items())
    return made, replace(record, written=replace(record.written, at=at)), "; ".join(said)


def _follow_number(draft: Draft, record: Record, point: str, old: int, new: int) -> Draft:
    """The copy's own number follows the parent's, unless the child has given it another one."""
    state = draft.world.behaviour.state
    own = [
        c
        for c in state.callbacks
        if c.point == point and c.label.lower() == record.written.called.lower() and c.gone is None
    ]
    if not own or own[0].order != old:
        return draft
    made = changed_calls(draft, record.written.file, {"attach": {"order": new}}, point, record.written.called)
    if made.files.get(record.written.file) != draft.files.get(record.written.file):
        return made
    return _mark_number(made, record, point, old, new)


def _mark_number(draft: Draft, record: Record, point: str, old: int, new: int) -> Draft:
    """The number in the copy's mark."""
    own = own_function(draft.world, record.written.called, record.written.file)
    if own is None:
        return draft
    data, span = span_of(draft.world, own)
    if span is None:
        return draft
    made = writer_of(draft, own)
    rules = draft.start.platform.code
    for call in reversed(made.calls(data)):
        meaning = next((m for m in rules.marked.get(call.name, ()) if m.does == "attach"), None)
        if meaning is None or not span.start <= call.start < span.end:
            continue
        given = [(k, data[a:b]) for k, a, b in call.arguments]
        if not any(point.encode() in value for _, value in given[:1]) and not any(
            point.encode() in v for _, v in given
        ):
            continue
        roles = [a for a in meaning.arguments if a.role != "callback"]
        for number, (keyword, start, end) in enumerate(call.arguments):
            role = next(
                (a.role for a in roles if a.keyword == keyword),
                roles[number].role if not keyword and number < len(roles) else "",
            )
            if role == "order" and data[start:end].strip() == str(old).encode():
                return draft.with_file(own.path, data[:start] + str(new).encode() + data[end:])
    return draft
