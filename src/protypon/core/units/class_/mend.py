"""A class that the parents call otherwise now: written anew under that name; of a method, the class that its own extends."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.code import Code, bodies
from protypon.core.languages.text_edits import with_class_named
from protypon.core.model.actions import Drop, Explain
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, moved_to
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.class_ import remove
from protypon.core.units.class_.texts import own
from protypon.core.units.class_.write import replace_class
from protypon.core.units.declarations import writer_at
from protypon.core.units.draft import Draft
from protypon.core.units.function.findings import names_in
from protypon.core.units.mending import Mended
from protypon.core.units.parent_functions import folds
from protypon.core.units.taking_out import out_of


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> Mended:
    """Off and on again under the new name, with the child's own text."""
    moved, text = moved_to(evidence), own(draft, record)
    if len(moved) != 1 or text is None:
        raise ProtyponError(f"{record.unit.address}: there is no mechanical step", Drop(record.unit.address))
    if record.unit.name is not None:
        return _method(draft, record, moved[0].path.partition("#")[2], text)
    new = with_class_named(
        text, record.unit.path, moved[0].path, writer_at(draft.start, record.written.file), folds(draft.start)
    )
    out = out_of(draft, record, others, remove)
    placed = replace_class(out, moved[0].path, new, record.written.file)
    brought = tuple(dict.fromkeys([*placed.brought, *record.written.brought]))
    made = replace(
        record,
        unit=Unit("class", placed.origin.name),
        written=replace(record.written, file=placed.file, brought=brought),
    )
    return placed.draft, made, placed.why


def _is_named(code: Code, name: str) -> bool:
    """Whether code calls something by a name, or has it in a text."""
    found = (each for statement in bodies(code) for each in names_in(statement))
    return any(each.rpartition("::")[2].lower() == name.lower() for each in found)


def _method(draft: Draft, record: Record, name: str, text: bytes) -> Mended:
    """The method under its new name, where it stands."""
    old = (record.unit.name or "").encode()
    data = draft.read(record.written.file)
    declared = next(line for line in text.splitlines() if b"function " + old in line)
    if data.count(declared) != 1:
        raise ProtyponError(f"{record.unit.address}: it can't be told where it is declared", Drop(record.unit.address))
    new = declared.replace(b"function " + old, b"function " + name.encode(), 1)
    made = draft.with_file(record.written.file, data.replace(declared, new))
    left = [
        path for path, code in made.world.behaviour.code_files(made.child) if _is_named(code, record.unit.name or "")
    ]
    if left:
        raise ProtyponError(
            f"{record.unit.address}: {', '.join(left)} still names {record.unit.name}, so it is not renamed alone",
            Explain(record.unit.address, draft.child.slug),
        )
    return made, replace(record, unit=replace(record.unit, name=name)), f"it is called {name} now"
