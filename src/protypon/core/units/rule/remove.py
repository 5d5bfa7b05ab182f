"""A rule taken out of the child's sheet."""

from __future__ import annotations

from protypon.core.languages.css.edits import Where, without
from protypon.core.languages.css.shorthands import set_by
from protypon.core.languages.source import NotEdited
from protypon.core.model.actions import Explain
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record
from protypon.core.model.paths import quote_path
from protypon.core.units.draft import Draft
from protypon.core.units.file.use import registers_of
from protypon.core.units.rule.reading import every_rule, longhands_of, of_selector, rules_in, rules_of, supplier


def out_of(draft: Draft, record: Record, others: list[Record]) -> Draft:
    """The child without what it says otherwise than the parents; what else its rule says stays."""
    path, selector = record.written.file, record.written.called or record.unit.name or ""
    mine = of_selector(rules_of(draft.world, draft.child, path), selector)
    if not mine:
        return draft
    gone = _names(draft, record)
    text = draft.read(path).decode("utf-8")
    try:
        for layer, conditions in dict.fromkeys((rule.layer, rule.conditions) for rule in mine):
            names = {d.name for r in mine if (r.layer, r.conditions) == (layer, conditions) for d in r.declarations}
            wanted = None if names <= gone else names & gone
            text = without(text, Where(selector, layer, conditions), wanted)
    except NotEdited as error:
        raise ProtyponError(
            f"{record.unit.address}: {quote_path(path)} can't be changed rule by rule: {error}",
            ("take it out by hand; see where with: ", Explain(record.unit.address, draft.child.slug)),
        ) from error
    alone = "file" in record.written.brought and not any(other.written.file == path for other in others)
    if alone and not text.strip():
        return _without_sheet(draft, path)
    return draft.with_file(path, text.encode("utf-8"))


def _without_sheet(draft: Draft, path: str) -> Draft:
    """A sheet that came with a rule goes with its last one, where the manifest registers it; a call would ask for it."""
    register = next(iter(registers_of(draft.start.platform, "style")), None)
    if register is None or register.lists == "call":
        return draft.with_file(path, b"")
    prefix = f"{register.folder}/" if register.folder else ""
    names = [name for name in draft.child.values.get(register.field, ()) if f"{prefix}{name}" != path]
    return draft.with_file(path, None).with_manifest({register.field: names})


def _names(draft: Draft, record: Record) -> set[str]:
    """The properties of which the parents say something, or said, and those that were written."""
    world = draft.world
    base = world.snapshot.blob(record.digest) or b""
    theirs = of_selector(rules_of(world, supplier(world, record.unit.path), record.unit.path), record.unit.name or "")
    said = longhands_of([*every_rule(rules_in(base)), *theirs])
    path, selector = record.written.file, record.written.called or record.unit.name or ""
    mine = of_selector(rules_of(world, draft.child, path), selector)
    written = record.written.value if isinstance(record.written.value, dict) else {}
    return {d.name for rule in mine for d in rule.declarations if set_by(d.name) & said or d.name in written}
