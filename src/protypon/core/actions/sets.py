"""Sets of overrides: taken from one child into a file, and from there into another one. ``protypon.overrides/1`` is JSON of our own."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from protypon.core.actions.records import choose, remember, write_ledger
from protypon.core.check.examine import present_world, world_of
from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Adopt, Keep
from protypon.core.model.errors import BadInput, ProtyponError, UnknownName, Usage
from protypon.core.model.limits import FILE_BYTES
from protypon.core.model.nouns import Plan, Record, Theme, Unit, Written
from protypon.core.model.paths import quote_path, why_unsafe
from protypon.core.store import ledger
from protypon.core.store.plan_builder import PlanBuilder
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.coder import put
from protypon.core.units.declarations import text_of
from protypon.core.units.draft import Draft
from protypon.core.units.mending import asked_of
from protypon.core.units.parent_functions import own_function
from protypon.core.units.registry import has_text, in_code, is_in_code, texts_of
from protypon.core.units.world import World

FORMAT = "protypon.overrides/1"
MOST_BYTES = FILE_BYTES
Table = dict[str, Any]


class FromSet(NamedTuple):
    """What became of one override of a set."""

    unit: Unit
    record: Record | None
    why: str = ""
    """Why it was not taken."""


# Saved


def saved_overrides(bench: Bench, child: Theme, units: Sequence[str]) -> bytes:
    """The named overrides of a child, with their texts, code and reasons.

    Raises UnknownName for a name that is no override with a record, ProtyponError for one whose texts are not all here.
    """
    world = world_of(bench, child, Snapshot.of_bench(bench), {})
    chosen = [choose(text, world.records) for text in units] if world.records else []
    if not chosen:
        raise UnknownName(f"{child.slug} has no override with a record", ("adopt it first: ", Adopt(child.slug)))
    rows = [_row(world, record) for record in _with_parts(world, chosen)]
    table = {
        "format": FORMAT,
        "platform": bench.platform.name,
        "child": child.slug,
        "lineage": list(world.lineage.slugs[1:]),
        "overrides": rows,
    }
    return json.dumps(table, ensure_ascii=False, indent=1).encode() + b"\n"


def _with_parts(world: World, units: Iterable[Unit]) -> list[Record]:
    """The records, with those of functions that were copied for the sake of one."""
    wanted = list(dict.fromkeys(units))
    addresses = {unit.address for unit in wanted}
    return [r for r in world.records.values() if r.unit in wanted or r.written.part_of in addresses]


def _row(world: World, record: Record) -> Table:
    base = world.snapshot.blob(record.digest)
    ours = _ours(world, record)
    if base is None:
        raise ProtyponError(
            f"{record.unit.address}: the text that it was taken from is not in this store",
            ("keep that release first: ", Keep("PATH", record.release or "")),
        )
    row: Table = {
        "unit": record.unit.address,
        "how": record.how,
        "from": record.source,
        "release": record.release,
        "why": record.why,
    }
    row["base"] = _pack_text(base)
    if ours is not None:
        row["ours"] = _pack_text(ours)
    written = record.written
    for key, value in (("to", written.to), ("value", written.value), ("part_of", written.part_of or None)):
        if value is not None:
            row[key] = value
    return row


def _ours(world: World, record: Record) -> bytes | None:
    """What the child has: a file, a text in the parent's words, or the function that it attaches; None for a claim."""
    unit = record.unit
    if not is_in_code(unit):
        return world.snapshot.read(world.child, unit.path) if unit.path in world.child.files else None
    texts = texts_of(unit.kind) if has_text(unit) else None
    if texts is not None:
        return texts.own(Draft(world), record)
    own = own_function(world, unit.name or "") if record.how == "attach" else None
    return text_of(world, own) if own is not None else None


def _pack_text(data: bytes) -> Table:
    try:
        return {"text": data.decode("utf-8")}
    except UnicodeDecodeError:
        return {"base64": base64.b64encode(data).decode("ascii")}


# FromSet


def plan_load(bench: Bench, child: Theme, data: bytes, file: str) -> tuple[Plan, list[FromSet]]:
    """Plan the overrides of a set for a child, each compared with what it was taken from there.

    Raises BadInput for a file that is no set, Usage for one of another platform.
    """
    table = _read_set(data, file)
    if table["platform"] != bench.platform.name:
        raise Usage(
            f"{file}: is of {table['platform']}, and this bench is one of {bench.platform.name}", "load it there"
        )
    world = present_world(bench, child, Snapshot.of_bench(bench), {})
    builder = PlanBuilder(bench.folder)
    draft, records, told = Draft(world), dict(world.records), list[FromSet]()
    for row in table["overrides"]:
        record = _record(row, file)
        base, ours = _unpack_text(row["base"], file), _unpack_text(row["ours"], file) if "ours" in row else None
        if record.unit in records:
            told.append(FromSet(record.unit, None, "there is one already"))
            continue
        if record.written.part_of:  # it came with the function for whose sake it was copied
            continue
        try:
            draft, made = _take_override(draft, record, base, ours)
        except (ProtyponError, LookupError) as error:
            told.append(FromSet(record.unit, None, getattr(error, "message", str(error))))
            continue
        records = ledger.change_records(records, made)
        remember(builder, bench, record.digest, base)
        told.append(FromSet(record.unit, made[0]))
    draft.put_into(builder)
    if draft.files:
        write_ledger(builder, child, records)
    return builder.plan(f"override --load {file} --child {child.slug}"), told


def _take_override(draft: Draft, record: Record, base: bytes, ours: bytes | None) -> tuple[Draft, list[Record]]:
    """One override written into the child, with the record that says what it was taken from."""
    unit = record.unit
    if not is_in_code(unit):
        return _file(draft, record, ours)
    asked = asked_of(record, unit)
    if "--set" in in_code(unit.kind).OPTIONS and isinstance(asked.value, dict):
        said = tuple(f"{name}={value}" for name, value in asked.value.items())
        asked = replace(asked, value=None, valued=False, declared=said)
    if record.how == "attach" and ours is not None:
        draft, file, brought = put(draft, [ours.decode("utf-8")])
        if _attaches_itself(draft.world, unit):
            written = Written(file, to=record.written.to, brought=brought)
            return draft, [replace(record, written=written)]
    outcome = in_code(unit.kind).place(draft, unit, asked)
    made, records = outcome.draft, list(outcome.records)
    texts = texts_of(unit.kind)
    if texts is not None and ours is not None and has_text(unit) and not asked.valued and not asked.declared:
        made = texts.with_merged(made, records[0], ours, f"{record.source} {record.release or ''}".rstrip(), records)
    first = replace(records[0], digest=record.digest, release=record.release, why=record.why)
    return made, [first, *records[1:]]


def _attaches_itself(world: World, unit: Unit) -> bool:
    """Whether a function of the child's is attached by what stands above it."""
    found = (c for state in world.behaviour.states for c in state.callbacks if c.gone is None)
    return any((c.point, c.label) == (unit.path, unit.name) and c.site.theme == world.child.slug for c in found)


def _file(draft: Draft, record: Record, ours: bytes | None) -> tuple[Draft, list[Record]]:
    unit, world = record.unit, draft.world
    theme = next((t for t in world.ancestors if unit.path in t.files), None)
    if draft.has(unit.path):
        raise ProtyponError(f"{draft.child.slug} has {quote_path(unit.path)} already")
    if ours is None:
        raise ProtyponError(f"the set has no text of {quote_path(unit.path)}")
    if theme is None:
        raise ProtyponError(f"no parent of {draft.child.slug} has {quote_path(unit.path)}")
    return draft.with_file(unit.path, ours), [replace(record, source=theme.slug, written=Written())]


def _read_set(data: bytes, file: str) -> Table:
    try:
        table = json.loads(data.decode("utf-8"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise BadInput(f"{file}: is no JSON: {str(error)[:80]}", "name a file that drop --save-as wrote") from error
    wanted = {"overrides": list, "platform": str}
    if not isinstance(table, dict) or table.get("format") != FORMAT:
        lacking = f'format is not "{FORMAT}"'
    else:
        lacking = next(
            (f"it has no {name}" for name, type_ in wanted.items() if not isinstance(table.get(name), type_)), ""
        )
    if lacking:
        raise BadInput(f"{file}: is no set of overrides: {lacking}", "name a file that drop --save-as wrote")
    return dict(table)


def _record(row: Any, file: str) -> Record:
    if not isinstance(row, dict) or not all(isinstance(row.get(key), str) for key in ("unit", "how", "from")):
        raise BadInput(f"{file}: an override has no unit, how and from", "name a file that drop --save-as wrote")
    unit = Unit.parse(row["unit"])
    if why_unsafe(unit.path) or row["how"] not in ledger.WAYS:
        raise BadInput(f"{file}: {row['unit'][:100]!r} can't be meant", "name a file that drop --save-as wrote")
    to, part_of = row.get("to"), row.get("part_of")
    written = Written(
        to=to if isinstance(to, int) else None,
        value=row.get("value"),
        part_of=part_of if isinstance(part_of, str) else "",
    )
    release, why = row.get("release"), row.get("why", "")
    base = _unpack_text(row.get("base"), file)
    return Record(
        unit, row["how"], row["from"], release if isinstance(release, str) else None, blob_digest(base), why if isinstance(why, str) else "",
        written=written,
    )  # fmt: skip


def _unpack_text(table: Any, file: str) -> bytes:
    held: Mapping[str, Any] = table if isinstance(table, dict) else {}
    try:
        if isinstance(held.get("text"), str):
            return str(held["text"]).encode("utf-8")
        if isinstance(held.get("base64"), str):
            return base64.b64decode(held["base64"], validate=True)
    except (binascii.Error, UnicodeEncodeError):
        pass
    raise BadInput(f"{file}: an override has no text", "name a file that drop --save-as wrote")
