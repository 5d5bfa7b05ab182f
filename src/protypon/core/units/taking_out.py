"""What an override put into the child's code, found again and taken out: whole statements, nothing else."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any

from protypon.core.languages.code import Assignment, Code, Do, Fn, Invoke, Items, Lit, Op, Return, Var
from protypon.core.languages.registry import coded_language
from protypon.core.languages.spans import Piece
from protypon.core.languages.text_edits import line_of, without
from protypon.core.languages.writers import Writer, writer
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record
from protypon.core.platform.meanings import CodeRules, Meaning, MeantCall, meant_calls, said_by, said_by_assignment
from protypon.core.units.coder import BROKEN, rejoin_line, without_line
from protypon.core.units.draft import Draft
from protypon.core.units.parent_functions import folds
from protypon.core.units.steps import Removal, Test

Said = tuple[Meaning, tuple[Any, ...]]
"""A call with a meaning, and the literal values of its roles (None for what is no literal)."""


def out_of(draft: Draft, record: Record, others: Iterable[Record], kind: Removal) -> Draft:
    """Take out what a record's override wrote, as its kind says; ``others`` are the records that stay.

    Raises ProtyponError where the code was changed so that it can't be told any more what belongs to it.
    """
    left = kind.without(draft.child.values, record, draft.child.manifest)
    made = draft.with_manifest(left) if left else draft
    for path in _files(made, record.written.file):
        made = _out_of(made, path, record, kind)
    return _brought_out(made, record, list(others))


def _files(draft: Draft, file: str) -> list[str]:
    rules = draft.start.platform
    found = [p for p in sorted(draft.child.files) if (r := rules.rule_of(p)) is not None and r.kind == "code"]
    return [file] if file in found else found


def _out_of(draft: Draft, path: str, record: Record, kind: Removal) -> Draft:
    rule = draft.start.platform.rule_of(path)
    assert rule is not None
    made, rules = writer(rule.language), draft.start.platform.code
    data = draft.read(path)
    test = kind.wrote(record)
    what, wanted = kind.declaration_named(record)
    if what in ("class", "method"):
        data = _without_declaration(draft, data, made, what, wanted)
    pieces = made.split(data) or []
    mine = _written_for(data, pieces, made, rule.language, rules, test, record, kind.COUNTED)
    for piece in reversed(pieces):
        if wanted and piece.kind == what == "function" and _same(draft, piece.name, wanted):
            data = without(data, piece.begin, piece.end)
        elif piece in mine:
            data = _without_calls(data, piece, made, rule.language, rules, test)
    return draft.with_file(path, data) if data != draft.read(path) else draft


def _without_declaration(draft: Draft, data: bytes, made: Writer, what: str, wanted: str) -> bytes:
    """Take a class or method out, wherever it stands, with the comments above it."""
    for span in reversed(made.declarations(data)):
        if span.kind == what and _same(draft, span.name, wanted):
            begin, end = span.around
            line = data.rfind(b"\n", 0, begin) + 1
            data = without(data, begin if data[line:begin].strip() else line, end)
    return data


COMMENT = re.compile(
    rb"\s*(?:#|//) (?:At \S+\.|The region |.* is taken (?:off|away)|.* runs at .* with the order |.* is set before |.* is provided after |\S+ loads\.)"
)
"""How the comment above what an override wrote begins."""


def _written_for(
    data: bytes,
    pieces: list[Piece],
    made: Writer,
    language: str,
    rules: CodeRules,
    test: Test,
    record: Record,
    counted: bool,
) -> list[Piece]:
    """The statements of an override. A person may have written others of the kind: those stand before them."""
    found: list[Piece] = []
    seen: Counter[tuple[str, str]] = Counter()
    points = Counter(at.rpartition(" ")[0] for at in record.written.at)
    for piece in reversed(pieces):
        if piece.kind not in ("call", "statement"):
            continue
        code = _code(data, piece.start, piece.end, made, language)
        hits = {(m.does, str(r.get("point"))) for m, r in _meanings(code, rules) if test(m, r)}
        if not hits or (counted and all(seen[hit] >= points[hit[1]] for hit in hits)):
            continue
        seen.update(hits)
        found.append(piece)
        if not counted and COMMENT.match(data, piece.begin):
            break
    return found


def _same(draft: Draft, one: str, other: str) -> bool:
    return one.lower() == other.lower() if folds(draft.start) else one == other


def _without_calls(data: bytes, piece: Piece, made: Writer, language: str, rules: CodeRules, test: Test) -> bytes:
    """Take a statement out that does nothing but what the override does; of one that does more, just that line."""
    code = _code(data, piece.start, piece.end, made, language)
    if not any(test(*found) for found in _meanings(code, rules)):
        return data
    if _is_all(code, rules, test):
        return _without_statement(data, piece)
    for span in reversed(made.calls(data)):
        if piece.start <= span.start < piece.end:
            inner = [test(*found) for found in meanings_in(data, span.start, span.end, made, language, rules)]
            if inner and all(inner):
                data = _without_line_of(data, span.start, span.end)
    return data


def _without_statement(data: bytes, piece: Piece) -> bytes:
    """Take a statement out with our comment above it; what else somebody has said above or behind it stays."""
    above = data[piece.begin : piece.start].splitlines(keepends=True)
    theirs = b"".join(line for line in above if line.strip() and not COMMENT.match(line))
    behind = data[piece.stop : piece.end].strip() if piece.stop else b""
    kept = theirs.rstrip() + (b"\n" if theirs and behind else b"") + behind
    if not kept:
        return without(data, piece.begin, piece.end)
    return data[: piece.begin] + kept + data[piece.end :]


def _without_line_of(data: bytes, start: int, end: int) -> bytes:
    line = data.rfind(b"\n", 0, start) + 1
    last = data.find(b"\n", end)
    last = len(data) if last < 0 else last + 1
    if data[line:start].strip() or data[end:last].strip() not in (b"", b";"):
        raise ProtyponError(
            f"line {line_of(data, start)} does more than the override asked for, so it was left", "take it out by hand"
        )
    return data[:line] + data[last:]


def _is_all(code: Code, rules: CodeRules, test: Test) -> bool:
    """Whether a statement is such a call, or waits for a point and does nothing else then."""
    last = code.body[-1] if code.body else None
    if not isinstance(last, Do):
        return False
    if _hits(last.value, rules, test):
        return True
    if not isinstance(last.value, Invoke):
        return False
    inner = [a for a in last.value.arguments if isinstance(a, Fn)]
    attaches = any(meaning.does == "attach" for meaning in rules.meanings_of(last.value.name))
    if not attaches or len(inner) != 1:
        return False
    body = code.functions[inner[0].number].body
    return bool(body) and all(
        isinstance(s, Do | Return) and s.value is not None and _hits(s.value, rules, test) for s in body
    )


def _hits(node: Any, rules: CodeRules, test: Test) -> bool:
    if isinstance(node, Op) and node.op == "or" and len(node.parts) == 2:
        asks = isinstance(node.parts[0], Invoke) and node.parts[0].name == "defined"
        return asks and _hits(node.parts[1], rules, test)
    meant: list[MeantCall] = []
    if isinstance(node, Assignment):
        meant = list(said_by_assignment(node, 0))
    elif isinstance(node, Invoke) and node.on is None:
        meant = list(said_by(node, rules))
    return bool(meant) and all(test(each.meaning, _literal(each)) for each in meant)


def _code(data: bytes, start: int, end: int, made: Writer, language: str) -> Code:
    """What a piece of a file says."""
    return coded_language(language).code(made.preamble(data) + made.whole(data[start:end]))


def meanings_in(
    data: bytes, start: int, end: int, made: Writer, language: str, rules: CodeRules
) -> Iterator[tuple[Meaning, dict[str, Any]]]:
    """Every call with a meaning in a piece of a file, and its roles as far as they are literal."""
    return _meanings(_code(data, start, end, made, language), rules)


def _meanings(code: Code, rules: CodeRules) -> Iterator[tuple[Meaning, dict[str, Any]]]:
    for each in meant_calls(code, rules):
        yield each.meaning, _literal(each)


def _literal(each: MeantCall) -> dict[str, Any]:
    """The roles of a call as far as they are literal."""
    asked = [argument.role for argument in each.meaning.roles]
    return {role: _plain(each.roles.get(role)) for role in asked}


def _plain(part: Any) -> Any:
    if isinstance(part, Lit):
        return part.value
    if isinstance(part, Items) and len(part.pairs) == 2 and isinstance(method := part.pairs[1][1], Lit):
        owner = part.pairs[0][1]
        return f"{owner.value if isinstance(owner, Lit) else ''}::{method.value}"
    return part.name if isinstance(part, Var) else None


def is_called(given: Any, label: str) -> bool:
    """Whether what a call gives for a callback is one of a name; of a method of an object that is not known, whether it is called so."""
    name, wanted = str(given).lower().removeprefix("?"), label.lower()
    return name == wanted or (name.startswith("::") and wanted.endswith(name))


def lower(value: Any) -> Any:
    """A text in small letters; other values as they are."""
    return value.lower() if isinstance(value, str) else value


# What stands in the manifest, and what came in besides


def without_detached(values: Mapping[str, Any], rows: set[str]) -> dict[str, list[Any]]:
    """The manifest's list of what is detached (``POINT#CALLBACK``) without some rows, where any of them is in it."""
    listed, gone = list(values.get("detached", ())), {row.lower() for row in rows}
    kept = [row for row in listed if row.lower() not in gone]
    return {"detached": kept} if kept != listed else {}


def _brought_out(draft: Draft, record: Record, others: list[Record]) -> Draft:
    """Take out the line at the top, or the file, that nothing needs any more; else another record answers for it."""
    path = record.written.file
    if not record.written.brought or not draft.has(path):
        return draft
    draft = _rejoin_lines(draft, path, record.written.brought)
    if any(o.written.file == path for o in others):
        return draft
    rule = draft.start.platform.rule_of(path)
    assert rule is not None
    data = draft.read(path)
    made = writer(rule.language)
    for line in reversed(record.written.brought):
        bare = data if line == "file" or line.startswith(BROKEN) else without_line(data, line)
        names = made.globals_of(data).keys() - made.globals_of(bare).keys()
        if not any(re.search(rb"\b" + re.escape(name.encode()) + rb"\b", bare) for name in names):
            data = bare
    if "file" in record.written.brought and data.strip() == made.SKELETON.encode().strip():
        return draft.with_file(path, None)
    return draft.with_file(path, data)


def _rejoin_lines(draft: Draft, path: str, brought: tuple[str, ...]) -> Draft:
    data = was = draft.read(path)
    for line in brought:
        if line.startswith(BROKEN):
            data = rejoin_line(data, line.removeprefix(BROKEN))
    return draft if data == was else draft.with_file(path, data)


def handed_on(record: Record, others: list[Record]) -> list[Record]:
    """What a record brought along, handed to another one in the same file."""
    heir = next((o for o in others if o.written.file == record.written.file), None)
    if heir is None or not record.written.brought:
        return []
    brought = tuple(dict.fromkeys([*heir.written.brought, *record.written.brought]))
    return [replace(heir, written=replace(heir.written, brought=brought))]
