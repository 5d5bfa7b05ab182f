"""Overrides inside code brought up to what the parents do now: a number, a name or a point in a call, or the whole written anew."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from protypon.core.analysis.state import Callback
from protypon.core.languages.spans import CallSpan
from protypon.core.languages.text_edits import renamed
from protypon.core.languages.writers import writer
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Facts, Record, Unit
from protypon.core.platform.meanings import Meaning
from protypon.core.units.coder import coder
from protypon.core.units.draft import Draft
from protypon.core.units.function.copies import attaching_like, own_text, writer_of
from protypon.core.units.function.write import again
from protypon.core.units.hook import write as hooks
from protypon.core.units.parent_functions import Origin, attachments, folds, origin_of, own_function, span_of
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.registry import in_code
from protypon.core.units.taking_out import meanings_in, taken_out
from protypon.core.units.world import World

Mended = tuple[Draft, Record, str]
"""The draft, the record of the unit, and what was done."""


def mended(draft: Draft, record: Record, facts: Facts, others: Iterable[Record]) -> Mended:
    """Carry out the mechanical next step of one override. Raises ProtyponError where there is none that works."""
    rest = list(others)
    if record.unit.kind == "function":
        return _function(draft, record, facts, rest)
    if record.unit.kind == "hook":
        return _hook(draft, record, facts, rest)
    return _anew(draft, record, facts, rest)


# Calls changed where they stand


def changed_calls(
    draft: Draft, path: str, does: Mapping[str, Mapping[str, object]], point: str, callback: str
) -> Draft:
    """Give arguments of the child's calls at a point other values: what the call does -> role -> value."""
    rule = draft.start.platform.rule_of(path)
    if rule is None or not draft.has(path) or rule.kind != "code":
        return draft
    made, rules = writer(rule.language), draft.start.platform.code
    code, _ = coder(draft, path)
    data = draft.read(path)
    for span in reversed(made.calls(data)):
        found = next(iter(meanings_in(data, span.start, span.end, made, rule.language, rules)), None)
        if found is None or found[0].does not in does:
            continue
        meaning, roles = found
        if roles.get("point") != point or str(roles.get("callback")).lower() != callback.lower():
            continue
        for role, value in does[meaning.does].items():
            if roles.get(role) != value:
                data = _with_argument(data, span, meaning, role, code.literal(value))
                span = next(s for s in made.calls(data) if s.start == span.start)
    return draft.with_file(path, data)


def _with_argument(data: bytes, span: CallSpan, meaning: Meaning, role: str, text: str) -> bytes:
    by_position = [a for a in span.arguments if not a[0]]
    for number, argument in enumerate(meaning.arguments):
        if argument.role != role:
            continue
        named = next((a for a in span.arguments if a[0] == argument.keyword), None)
        found = named or (by_position[number] if number < len(by_position) else None)
        if found is not None:
            return data[: found[1]] + text.encode() + data[found[2] :]
        if number == len(span.arguments):
            last = span.arguments[-1][2] if span.arguments else span.end - 1
            return data[:last] + b", " + text.encode() + data[last:]
    return data


# Hooks


def _hook(draft: Draft, record: Record, facts: Facts, others: list[Record]) -> Mended:
    """Another number, name or point, where the call stands; else the whole anew."""
    unit = record.unit
    to = Unit("hook", *facts.moved[0].path.split("#", 1)) if facts.moved else unit
    found = hooks.standing(draft.world, to.path, to.name or "") if record.how != "attach" else []
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
    if (number is not None and number != record.written.order) or (number is not None and facts.reach == "no"):
        change["order"] = number
    if record.written.called:
        return _anew(
            draft, replace(record, unit=to, written=replace(record.written, order=number)), facts, others, record
        )
    made = _in_manifest(draft, unit, to)
    moves: dict[str, Mapping[str, object]] = {"detach": change}
    if record.how == "reorder":
        moves["attach"] = {"point": to.path, "callback": callback.label}
    made = changed_calls(made, facts.file, moves, unit.path, unit.name or "")
    new = replace(record, unit=to, written=replace(record.written, order=number))
    if _works(made, callback):
        return made, new, _said(record, callback, to)
    return _anew(draft, replace(record, unit=to, written=replace(record.written, order=number)), facts, others, record)


def _works(draft: Draft, callback: Callback) -> bool:
    return draft.problem() is None and hooks.is_off(draft.world, callback)


def _said(record: Record, callback: Callback, to: Unit) -> str:
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
    for quote in (b"'", b'"'):
        head = data[span.start : span.end]
        mark = head.partition(b"function ")[0] if rule.language == "php" else head.partition(b"def ")[0]
        if quote + old.encode() + quote in mark:
            mended_mark = mark.replace(quote + old.encode() + quote, quote + new.encode() + quote, 1)
            return draft.with_file(own.path, data[: span.start] + mended_mark + data[span.start + len(mark) :])
    return draft


# Written anew


def _anew(draft: Draft, record: Record, facts: Facts, others: list[Record], old: Record | None = None) -> Mended:
    """Taken out, and put in again in the way that works now."""
    out = taken_out(draft, old or record, [o for o in others if o.unit != (old or record).unit])
    unit, written = record.unit, record.written
    if record.unit.kind != "hook" and facts.moved:
        path, _, name = facts.moved[0].path.partition("#")
        unit = Unit(record.unit.kind, path, name or None)
    asked = Asked(
        record.why,
        detach=record.how == "detach",
        order=written.to,
        attach=(unit.name or "") if record.how == "attach" else "",
        remove=record.how == "remove",
        value=written.value,
        valued=record.how == "set",
    )
    outcome: Outcome = in_code(unit.kind).place(out, unit, asked)
    made = outcome.records[0]
    brought = tuple(dict.fromkeys([*made.written.brought, *written.brought]))
    made = replace(made, why=record.why, written=replace(made.written, brought=brought))
    return outcome.draft, made, outcome.words


# Functions


def _function(draft: Draft, record: Record, facts: Facts, others: list[Record]) -> Mended:
    """Numbers in its calls, where that is all; else off and on again in the way that works now, with the child's own text."""
    origin = origin_of(draft.world, facts.moved[0].path if facts.moved else record.unit.path)
    if origin is None:
        raise ProtyponError(f"{record.unit.address}: the parents have no such function", Drop(record.unit.address))
    renumbered = None if facts.moved or facts.fatal else _renumbered(draft, record, origin)
    if renumbered is not None:
        return renumbered
    part = facts.part
    own = own_text(draft, record, others)
    if part is None and own is None:
        raise ProtyponError(f"{record.unit.address}: its text is gone", Drop(record.unit.address))
    if any(o.written.part_of == record.unit.address for o in others) or record.written.part_of:
        raise ProtyponError(
            f"{record.unit.address}: it was written together with others, so it is not moved alone",
            Drop(record.written.part_of or record.unit.address),
        )
    text = renamed(own or b"", {record.unit.path: origin.name}, writer_of(draft, origin), folds(draft.start))
    if record.written.at:
        text = attaching_like(draft, text, origin, record)
    out = taken_out(draft, record, [o for o in others if o.unit != record.unit])
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


def out_of_the_way(world: World, records: Iterable[Record]) -> World:
    """The child as it would be without the functions that stop the site: written anew where that works, else taken out."""
    draft = Draft(world)
    for record in records:
        others = [r for r in world.records.values() if r.unit != record.unit]
        out = taken_out(draft, record, others)
        text = own_text(draft, record, others)
        try:
            draft = again(out, record, {record.unit.path: text} if text is not None else {}).draft
        except ProtyponError:
            draft = out
    return draft.world


def _renumbered(draft: Draft, record: Record, origin: Origin) -> Mended | None:
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
        if callback.order == was[point]:
            continue
        said.append(f"the order at {point} is {callback.order}, was {was[point]}")
        made = changed_calls(made, record.written.file, {"detach": {"order": callback.order}}, point, origin.name)
        made = _follow_number(made, record, point, was[point], int(callback.order))
    own = own_function(made.world, record.written.called, record.written.file)
    if not said or own is None or made.problem() is not None or made.world.behaviour.uncertain:
        return None
    if any(not hooks.is_off(made.world, c) for c in now.values()):
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
        meaning = rules.marked.get(call.name)
        if meaning is None or meaning.does != "attach" or not span.start <= call.start < span.end:
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
