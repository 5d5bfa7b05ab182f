"""The ledger: ``overrides.toml`` in the child's root, one record an override. Comments and order are kept.

Read with tomllib, written with tomlkit.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from typing import Any

from protypon.core.errors import BadInput, ProtyponError
from protypon.core.files.paths import quote_path
from protypon.core.model import Record, Unit, Written

FORMAT = "protypon.ledger/1"
HEAD = f"""# What this theme overrides, one record each: kept by protypon, read by people. Your comments stay.
# It travels with the theme and is left out of packages.
format = "{FORMAT}"
"""
_CLOSE = re.compile(r"^((?!#).+\n)\[\[override\]\]", re.MULTILINE)
"""A record that begins right below another line: a blank line belongs between them, unless a comment stands there."""
WAYS = ("copy", "extends", "set", "replace", "detach", "called", "reorder", "attach", "remove", "declare")
_KEYS = {
    "file": "file",
    "as": "called",
    "order": "order",
    "to": "to",
    "value": "value",
    "at": "at",
    "part_of": "part_of",
    "brought": "brought",
}
"""Keys of what was written into code, and the fields of :class:`Written`."""


def read(data: bytes, file: str) -> dict[Unit, Record]:
    """Read a ledger's bytes. Raises BadInput with line and column, or with the record's number and key."""
    try:
        table = tomllib.loads(data.decode("utf-8"))
    except (UnicodeDecodeError, tomllib.TOMLDecodeError, RecursionError) as error:
        raise BadInput(
            f"{quote_path(file)}: not TOML: {error}", "mend that line, or take the last change back"
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
    for key in ("release", "why", "sure"):
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
    if any(part == ".." for part in row.get("file", "").split("/")) or row.get("file", "").startswith("/"):
        raise BadInput(f"{place}: {row['file']!r} lies outside the theme", "mend it, or take the record out")
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
        _written(row),
    )


def _written(row: Mapping[str, Any]) -> Written:
    given: dict[str, Any] = {field: row[key] for key, field in _KEYS.items() if key in row}
    given |= {field: tuple(given[field]) for field in ("at", "brought") if field in given}
    return Written(**given)


def _unit(address: str, place: str) -> Unit:
    try:
        unit = Unit.parse(address)
    except ProtyponError as error:
        raise BadInput(f"{place}: {error.message}", error.hint) from error
    if unit.path.startswith("/") or ".." in unit.path.split("/") or "\0" in unit.path:
        raise BadInput(f"{place}: {address!r} lies outside the theme", "mend it, or take the record out")
    return unit


def write(text: str, records: Mapping[Unit, Record]) -> str:
    """Bring a ledger's text (empty: start one) to hold just these records."""
    import tomlkit

    if not records and not text:
        return HEAD
    document: Any = tomlkit.parse(text or HEAD)
    if not isinstance(document.get("override"), list):
        document.pop("override", None)
        document["override"] = tomlkit.aot()
    rows = document["override"]
    standing = {}
    for index in reversed(range(len(rows))):
        unit = Unit.parse(rows[index]["unit"])
        if unit in records:
            standing[unit] = rows[index]
        else:
            del rows[index]
    for unit, record in records.items():
        if unit in standing:
            _fill(standing[unit], record)
        else:
            table = tomlkit.table()
            _fill(table, record)
            rows.append(table)
    if not rows:
        del document["override"]
    return _CLOSE.sub(r"\1\n[[override]]", tomlkit.dumps(document))


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


def changed(
    records: Mapping[Unit, Record], put: Iterable[Record] = (), drop: Iterable[Unit] = ()
) -> dict[Unit, Record]:
    """Records with some put in or replaced, and some taken out."""
    result = dict(records)
    for unit in drop:
        result.pop(unit, None)
    for record in put:
        result[record.unit] = record
    return result
