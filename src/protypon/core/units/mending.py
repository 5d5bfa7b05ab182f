"""Overrides inside code brought up to what the parents do now: arguments of a call, or the whole written anew."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import replace

from protypon.core.languages.spans import CallSpan
from protypon.core.languages.writers import writer
from protypon.core.model.evidence import Evidence, moved_to
from protypon.core.model.nouns import Record, Unit
from protypon.core.platform.meanings import Meaning
from protypon.core.units.coder import coder
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.steps import Removal
from protypon.core.units.taking_out import COMMENT, is_called, meanings_in, out_of

Mended = tuple[Draft, Record, str]
"""The draft, the record of the unit, and what was done."""


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
        if roles.get("point") != point or not is_called(roles.get("callback"), callback):
            continue
        changed = _comment_changed(data, span, roles, does[meaning.does])
        start = span.start + len(changed) - len(data)
        data, span = changed, next(s for s in made.calls(changed) if s.start == start)
        for role, value in does[meaning.does].items():
            if roles.get(role) != value and not (role == "callback" and is_called(roles.get(role), str(value))):
                data = _with_argument(data, span, meaning, role, code.literal(value))
                span = next(s for s in made.calls(data) if s.start == span.start)
    return draft.with_file(path, data)


def _comment_changed(data: bytes, span: CallSpan, roles: Mapping[str, object], to: Mapping[str, object]) -> bytes:
    """Our own comment above a call that is changed, with the new names of the point and the callback."""
    before = data[: data.rfind(b"\n", 0, span.start) + 1]
    lines = before.splitlines(keepends=True)
    at = next((n for n in range(len(lines) - 1, max(len(lines) - 3, -1), -1) if COMMENT.match(lines[n])), None)
    if at is None:
        return data
    for role in ("point", "callback"):
        old, new = roles.get(role), to.get(role)
        if isinstance(old, str) and isinstance(new, str) and old != new:
            lines[at] = re.sub(rf"(?<![\w-]){re.escape(old)}(?![\w-])".encode(), _literally(new), lines[at])
    return b"".join(lines) + data[len(before) :]


def _literally(text: str) -> bytes:
    """A text that stands for itself in what is put in the place of a match."""
    return text.encode().replace(b"\\", b"\\\\")


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


def asked_of(record: Record, unit: Unit) -> Asked:
    """What was asked when an override was written."""
    written = record.written
    return Asked(
        record.why,
        detach=record.how == "detach",
        order=written.to,
        attach=(unit.name or "") if record.how == "attach" else "",
        remove=record.how == "remove",
        value=written.value,
        valued=record.how == "set",
    )


def anew(
    draft: Draft,
    record: Record,
    evidence: Evidence,
    others: list[Record],
    place: Callable[[Draft, Unit, Asked], Outcome],
    kind: Removal,
    old: Record | None = None,
) -> Mended:
    """Taken out, and put in again in the way that works now. ``old`` is the record by which it is found, where that is another one."""
    out = out_of(draft, old or record, [o for o in others if o.unit != (old or record).unit], kind)
    unit, written = record.unit, record.written
    moved = moved_to(evidence)
    if old is None and unit == evidence.subject.unit and moved:
        path, _, name = moved[0].path.partition("#")
        unit = Unit(record.unit.kind, path, name or None)
    outcome = place(out, unit, asked_of(record, unit))
    made = outcome.records[0]
    brought = tuple(dict.fromkeys([*made.written.brought, *written.brought]))
    made = replace(made, why=record.why, written=replace(made.written, brought=brought))
    return outcome.draft, made, outcome.words
