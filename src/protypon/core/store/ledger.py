"""The ledger: ``overrides.toml`` in the child's root, one record an override. Comments and order are kept.

Read with tomllib, written with tomlkit.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Any

from protypon.core.files.caches import Cache
from protypon.core.files.listing import blob_digest
from protypon.core.files.structured import NotRead, toml_table
from protypon.core.model.actions import Check
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.nouns import Record, Unit, Written
from protypon.core.model.paths import quote_path, why_unsafe

LEDGER = "overrides.toml"
"""The ledger's name in a child's root."""
FORMAT = "protypon.ledger/1"
HEAD = f"""# What this theme overrides, one record each: kept by protypon, read by people. Your comments stay.
# It travels with the theme and is left out of packages.
format = "{FORMAT}"
"""
KIND = "ledger/2"
"""Of rows in the cache; changes whenever the same text would be read otherwise."""
MOST = 200
"""Ledgers that are kept in the cache; the oldest go."""
LONG = 50
"""Records of a ledger that is kept there; a shorter one is read as fast."""
_CLOSE = re.compile(r"^((?!#).+\n)\[\[override\]\]", re.MULTILINE)
"""A record that begins right below another line: a blank line belongs between them, unless a comment stands there."""
_MADE_FROM = re.compile(r"(?m)^made_from = \"([^\"\n]*)\"\n")
WAYS = ("copy", "variant", "extends", "set", "replace", "detach", "called", "reorder", "attach", "remove", "declare")
_KEYS = {
    "file": "file",
    "as": "called",
    "order": "order",
    "to": "to",
    "value": "value",
    "at": "at",
    "part_of": "part_of",
    "variant_of": "variant_of",
    "brought": "brought",
}
"""Keys of what was written into code, and the fields of :class:`Written`."""


def read_cached(data: bytes, file: str, cache: Cache) -> dict[Unit, Record]:
    """Read a ledger's bytes as :func:`read` does; a long one that was read before comes from the cache, by its contents."""
    if data.count(b"[[override]]") < LONG:
        return read(data, file)
    from msgspec import MsgspecError, msgpack

    key = blob_digest(data)
    row = cache.load(KIND, key)
    if row is not None:
        with suppress(MsgspecError, TypeError, ValueError):
            return {record.unit: record for record in msgpack.decode(row, type=list[Record])}
    records = read(data, file)
    with suppress(MsgspecError, TypeError, ValueError, OverflowError):
        row = msgpack.encode(list(records.values()))
        if msgpack.decode(row, type=list[Record]) == list(records.values()):
            cache.save(KIND, {key: row})
            cache.keep_newest(KIND, MOST)
    return records


def read(data: bytes, file: str) -> dict[Unit, Record]:
    """Read a ledger's bytes. Raises BadInput with line and column, or with the record's number and key."""
    try:
        table = toml_table(data.decode("utf-8"))
    except (UnicodeDecodeError, NotRead) as error:
        raise BadInput(
            f"{quote_path(file)}: not TOML: {str(error)[:200]}",
            ("mend that line, then: ", Check()),
        ) from error
    if table.get("format") != FORMAT:
        raise BadInput(
            f'{quote_path(file)}: format is {table.get("format")!r}, wanted is "{FORMAT}"',
            "mend the line that begins with format",
        )
    rows = table.get("override", [])
    if not isinstance(rows, list):
        raise BadInput(
            f"{quote_path(file)}: override is not a list of tables", "write each record below a line [[override]]"
        )
    records: dict[Unit, Record] = {}
    lines = [n for n, line in enumerate(data.decode().splitlines(), 1) if line.split("#")[0].strip() == "[[override]]"]
    for number, row in enumerate(rows):
        place = (
            f"{quote_path(file)} line {lines[number]}"
            if number < len(lines)
            else f"{quote_path(file)} record {number + 1}"
        )
        record = _record(row, place)
        if record.unit in records:
            raise BadInput(f"{place}: {record.unit.address} stands in it twice", "take one of the two records out")
        records[record.unit] = record
    return records


def _record(row: Any, place: str) -> Record:
    if not isinstance(row, dict):
        raise BadInput(f"{place}: a record is a table", "write each record below a line [[override]]")
    for key in ("unit", "how", "from", "digest"):
        if not isinstance(row.get(key), str):
            raise BadInput(f"{place}: {key} is {row.get(key)!r}, wanted is a text", "mend it, or take the record out")
    for key in ("release", "why", "sure", "alone_since"):
        if not isinstance(row.get(key, ""), str):
            raise BadInput(f"{place}: {key} is {row[key]!r}, wanted is a text", "mend it, or take the record out")
    if row["how"] not in WAYS:
        raise BadInput(
            f"{place}: how is {row['how']!r}, wanted is one of {', '.join(WAYS)}", "mend it, or take the record out"
        )
    if not re.fullmatch(r"[0-9a-f]{40}", row["digest"]):
        raise BadInput(
            f"{place}: digest is {row['digest']!r}, wanted are 40 hexadecimal digits", "mend it, or take the record out"
        )
    for key, kind, says in (
        ("file", str, "a text"),
        ("as", str, "a text"),
        ("part_of", str, "a text"),
        ("variant_of", str, "a text"),
        ("order", int, "a number"),
        ("to", int, "a number"),
    ):
        if not isinstance(row.get(key, kind()), kind):
            raise BadInput(f"{place}: {key} is {row[key]!r}, wanted is {says}", "mend it, or take the record out")
    for key in ("at", "brought"):
        if not isinstance(row.get(key, []), list) or not all(isinstance(text, str) for text in row.get(key, [])):
            raise BadInput(
                f"{place}: {key} is {row[key]!r}, wanted is a list of texts", "mend it, or take the record out"
            )
    if row.get("file") and why_unsafe(row["file"]):
        raise BadInput(
            f"{place}: {quote_path(row['file'])[:100]!r} lies outside the theme: {why_unsafe(row['file'])}",
            "mend it, or take the record out",
        )
    unit = _unit(row["unit"], place)
    return Record(
        unit,
        row["how"],
        row["from"],
        row.get("release"),
        row["digest"],
        row.get("why", ""),
        row.get("pinned") is True,
        row.get("sure", ""),
        _read_written(row),
        row.get("alone_since", ""),
    )


def _read_written(row: Mapping[str, Any]) -> Written:
    given: dict[str, Any] = {field: row[key] for key, field in _KEYS.items() if key in row}
    given |= {field: tuple(given[field]) for field in ("at", "brought") if field in given}
    return Written(**given)


def _unit(address: str, place: str) -> Unit:
    try:
        unit = Unit.parse(address)
    except ProtyponError as error:
        raise BadInput(f"{place}: {error.message}", error.hint) from error
    if why_unsafe(unit.path):
        raise BadInput(
            f"{place}: {address[:100]!r} lies outside the theme: {why_unsafe(unit.path)}",
            "mend it, or take the record out",
        )
    return unit


def write(text: str, records: Mapping[Unit, Record]) -> str:
    """Bring a ledger's text (empty: start one) to hold just these records; what says the same stays as it is written.

    Each record is edited by itself: a ledger of thousands is read once, and only what changes is written anew.
    """
    if not records and not text:
        return HEAD
    text = text or HEAD
    head, blocks = _blocks(text)
    written: list[str] = []
    standing: set[Unit] = set()
    for unit, row, block in blocks:
        standing.add(unit)
        if unit in records:
            same = _record(row, "") == records[unit]
            written.append(block if same else _edit_record(block, records[unit]))
    written += [_edit_record("[[override]]\n", record) for unit, record in records.items() if unit not in standing]
    return _put_together([head, *written])


def is_ledger(path: str) -> bool:
    """Whether a path of the bench is that of a ledger, by its name."""
    return path.rpartition("/")[2] == LEDGER


def take_back(now: bytes, before: bytes, after: bytes) -> bytes | None:
    r"""A ledger without what one step did to it: its records as they were before that step, all others as they stand now.

    ``before`` and ``after`` are what the step found and what it left; empty bytes stand for no ledger, here and in what
    comes back. None where a record of the step was changed since, in its comments too, or a text is no ledger.

    >>> head, one, two = HEAD.encode(), *(b'\n[[override]]\nunit = "template:%c.html"\n' % c for c in b"ab")
    >>> take_back(head + one + two, head, head + one) == head + two
    True
    """
    if now == after:
        return before
    try:
        (head, standing), (old_head, old), (new_head, new) = (_by_unit(text) for text in (now, before, after))
    except (ProtyponError, NotRead, UnicodeDecodeError, LookupError, TypeError):
        return None
    changed = [unit for unit in old.keys() | new.keys() if not _same(old.get(unit), new.get(unit))]
    if not all(_same(standing.get(unit), new.get(unit)) for unit in changed):
        return None
    if not _same(old_head, new_head):
        if not _same(head, new_head):
            return None
        head = old_head
    units = [unit for unit in standing if unit in old or unit not in changed]
    for at, unit in enumerate(old):
        if unit in changed and unit not in standing:
            above = next((each for each in reversed(list(old)[:at]) if each in units), None)
            units.insert(0 if above is None else units.index(above) + 1, unit)
    blocks = [(old if unit in changed else standing)[unit] for unit in units]
    if blocks and not head:  # records of others would stand in a ledger without a beginning
        return None
    parts = [head, *blocks]
    if units[-1:] != list(standing)[-1:]:  # the blank line below what is the last now stood before what is gone
        parts[-1] = parts[-1].rstrip("\n")
    return _put_together(parts).encode("utf-8")


def _by_unit(data: bytes) -> tuple[str, dict[Unit, str]]:
    """A ledger's head, and each record as it is written. Raises LookupError where one stands in it twice."""
    head, blocks = _blocks(data.decode("utf-8"))
    found = {unit: text for unit, _, text in blocks}
    if len(found) < len(blocks):
        raise LookupError("a record stands in it twice")
    return head, found


def _same(one: str | None, other: str | None) -> bool:
    """Whether two records, or none, are written alike but for blank lines around them."""
    return one == other if one is None or other is None else one.strip() == other.strip()


def _put_together(parts: Iterable[str]) -> str:
    return _CLOSE.sub(r"\1\n[[override]]", "".join(map(_with_line_end, filter(None, parts))))


def made_from(text: str, slug: str) -> str:
    """A ledger's text that says which theme this one was made from."""
    line = f'made_from = "{slug}"\n'
    if _MADE_FROM.search(text):
        return _MADE_FROM.sub(lambda _: line, text, count=1)
    return re.sub(r"(?m)^format = .*\n", lambda found: found[0] + line, text, count=1)


def origin_said(data: bytes) -> str:
    """Which theme a ledger says that its own was made from; empty where it says nothing."""
    found = _MADE_FROM.search(data.decode("utf-8", "replace"))
    return found[1] if found is not None else ""


def _with_line_end(block: str) -> str:
    return block if block.endswith("\n") else block + "\n"


def _blocks(text: str) -> tuple[str, list[tuple[Unit, Any, str]]]:
    """What stands before the first record, and each record with what it says; comments right above one belong to it."""
    rows = toml_table(text).get("override", [])
    lines = text.splitlines(keepends=True)
    starts = [n for n, line in enumerate(lines) if line.partition("#")[0].strip() == "[[override]]"]
    if len(starts) != len(rows):
        raise BadInput("a ledger's records are not each below a line [[override]]", "write them so")
    begins = [_comment_above(lines, start) for start in starts]
    ends = [*begins[1:], len(lines)][: len(begins)]
    parts = ["".join(lines[a:b]) for a, b in zip(begins, ends, strict=True)]
    blocks = [(Unit.parse(row["unit"]), row, part) for row, part in zip(rows, parts, strict=True)]
    return _with_line_end("".join(lines[: begins[0]] if begins else lines)), blocks


def _comment_above(lines: list[str], start: int) -> int:
    while start > 0 and lines[start - 1].lstrip().startswith("#") and start - 1 > 0:
        start -= 1
    return start


def _edit_record(block: str, record: Record) -> str:
    """One record's text with what the record says, by tomlkit, so that comments in it stay."""
    import tomlkit

    document: Any = tomlkit.parse(block)
    rows = document["override"]
    if not rows:
        rows.append(tomlkit.table())
    _fill(rows[0], record)
    return tomlkit.dumps(document)


def _fill(table: Any, record: Record) -> None:
    values = {
        "unit": record.unit.address,
        "how": record.how,
        "from": record.source,
        "release": record.release,
        "digest": record.digest,
        "why": record.why or None,
        "pinned": record.pinned or None,
        "sure": record.sure or None,
        "alone_since": record.alone_since or None,
        **{key: _plain(getattr(record.written, field)) for key, field in _KEYS.items()},
    }
    for key, value in values.items():
        if value is None:
            table.pop(key, None)
        elif table.get(key) != value:
            table[key] = value


def _plain(value: Any) -> Any:
    """A value as TOML has it; None for one that need not be said."""
    return list(value) or None if isinstance(value, tuple) else (None if value == "" else value)


def change_records(
    records: Mapping[Unit, Record], put: Iterable[Record] = (), drop: Iterable[Unit] = ()
) -> dict[Unit, Record]:
    """Records with some put in or replaced, and some taken out."""
    result = dict(records)
    for unit in drop:
        result.pop(unit, None)
    for record in put:
        result[record.unit] = record
    return result
