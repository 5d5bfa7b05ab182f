"""The text of a copied function: read in the parents' words, and given another one where it stands."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from protypon.core.languages.text_edits import indent_lines, rename_functions
from protypon.core.languages.writers import Writer, writer
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record
from protypon.core.units import declarations
from protypon.core.units.coder import Coder, coder
from protypon.core.units.declarations import text_of
from protypon.core.units.draft import Draft
from protypon.core.units.function.own_words import names_of, own_words
from protypon.core.units.parent_functions import Origin, folds, functions_in, own_function
from protypon.core.units.world import World


def writer_of(draft: Draft, origin: Origin) -> Writer:
    """How code of the origin's language is written."""
    rule = draft.start.platform.rule_of(origin.path)
    assert rule is not None
    return writer(rule.language)


def own_text(draft: Draft, record: Record, others: Iterable[Record]) -> bytes | None:
    """The child's text of a function, in the parent's words."""
    own = own_function(draft.world, record.written.called or record.unit.path, record.written.file)
    if own is None:
        return None
    return own_words(draft.world, own, names_of(record, [record, *(o for o in others if o.unit.kind == "function")]))


def attaching_like(draft: Draft, text: bytes, origin: Origin, record: Record) -> bytes:
    """Marks on the child's copy follow the parent's, where the child has left them as they were taken."""
    made = writer_of(draft, origin)
    theirs = text_of(draft.world, origin)
    before = draft.start.snapshot.blob(record.digest)
    if before is None:
        return text
    marks = [_marks(data, made) for data in (text, theirs, before)]
    if marks[0] == marks[2] and marks[0] != marks[1] and marks[0]:
        return text.replace(marks[0], marks[1], 1)
    return text


def _marks(text: bytes, made: Writer) -> bytes:
    """What stands before a function's declaration, and belongs to it."""
    whole = made.whole(text)
    span = next(iter(made.declarations(whole)), None)
    if span is None:
        return b""
    found = re.compile(rb"(?m)^(?:async +)?def\b|\bfunction\b").search(whole, span.start)
    return whole[span.start : found.start()] if found else b""


def with_text(draft: Draft, record: Record, text: bytes, label: str, names: Mapping[str, str]) -> Draft:
    """Give the child's copy another text (in the parent's words), where it stands; ``names`` are the parent's names -> the child's."""
    own = own_function(draft.world, record.written.called or record.unit.path, record.written.file)
    if own is None:
        raise ProtyponError(f"{record.unit.address}: the copy is gone", Drop(record.unit.address))
    return declarations.with_text(
        draft, own, rename_functions(text, names, writer_of(draft, own), folds(draft.start)), label
    )


def imports(draft: Draft, origin: Origin, file: str, text: bytes) -> list[str]:
    """The imports of the parent's file that a copy needs and the child's file does not have."""
    rule = draft.start.platform.rule_of(origin.path)
    if rule is None:
        return []
    made = writer(rule.language)
    theirs = made.globals_of(draft.world.snapshot.read(origin.theme, origin.path))
    mine = made.globals_of(draft.read(file)) if draft.has(file) else {}
    module = coder(draft, file)[0].module.partition(".")[0]
    wanted = [
        theirs[name]
        for name in sorted(made.uses(text) & theirs.keys())
        if theirs[name] and name not in mine and name != module
    ]
    return list(dict.fromkeys(wanted))


def body_of(origin: Origin, texts: Mapping[str, bytes], names: Mapping[str, str], code: Coder, draft: Draft) -> bytes:
    """The text of a copied function, under the names that it has in the child."""
    text = texts.get(origin.name) or text_of(draft.world, origin)
    return rename_functions(text, names, code.writer, folds(draft.world))


def reason(code: Coder, origin: Origin, why: str) -> str:
    """The line above a copy that says what it stands for."""
    return code.writer.comment(f"In place of {origin.name} ({origin.theme.label}): {why}.")


def declaration_text(code: Coder, origin: Origin, text: bytes, guarded: bool, why: str) -> str:
    """A copy as it goes into the file."""
    words = reason(code, origin, why) + "\n"
    if guarded:
        inner = indent_lines(text, code.style.indent, code.writer).decode("utf-8", "surrogateescape")
        return words + code.writer.guard_declaration(
            "function", origin.name, inner, code.style.indent, code.style.quote
        )
    return words + text.decode("utf-8", "surrogateescape")


def new_name(world: World, origin: Origin) -> str:
    """The child's prefix in place of the parent's, and a name that nothing has."""
    bare = origin.name
    for theme in world.ancestors:
        prefix = theme.slug.replace("-", "_") + "_"
        if bare.lower().startswith(prefix.lower()) and len(bare) > len(prefix):
            bare = bare[len(prefix) :]
            break
    name = world.child.slug.replace("-", "_") + "_" + bare
    taken = {o.name.lower() for o in functions_in(world.behaviour, world.lineage.themes)}
    number = 2
    new = name
    while new.lower() in taken:
        new, number = f"{name}_{number}", number + 1
    return new
