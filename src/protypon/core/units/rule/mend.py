"""A rule under the selector that the parents have now, or with what it takes to win."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.languages.css.edits import Where, rename_selector
from protypon.core.languages.css.selectors import names_in, normal
from protypon.core.languages.source import NotEdited
from protypon.core.model.actions import Drop
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Evidence, Lost, Present, moved_to
from protypon.core.model.nouns import Record, Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.draft import Draft
from protypon.core.units.file.sheets import styles_of
from protypon.core.units.rule.fate import with_names
from protypon.core.units.rule.properties import renamed_properties as renamed_properties
from protypon.core.units.rule.properties import with_new_names
from protypon.core.units.rule.reading import of_selector, rules_of, supplier
from protypon.core.units.rule.winning import change_rule, least, losing


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> tuple[Draft, Record, str]:
    """Renamed where the parents renamed it, else made to win. Raises ProtyponError where nothing helps."""
    try:
        if isinstance(evidence.source, Lost):
            return _rename_rule(draft, record, evidence)
        if isinstance(evidence, Present) and evidence.clash:
            return _properties_renamed(draft, record)
        made, called, words = made_to_win(draft, record.written.file, record.written.called or record.unit.name or "")
    except NotEdited as error:
        raise ProtyponError(
            f"{record.unit.address}: {quote_path(record.written.file)} can't be changed rule by rule: {error}",
            draft.in_editor(record.written.file),
        ) from error
    return made, replace(record, written=replace(record.written, called=called)), words


def _properties_renamed(draft: Draft, record: Record) -> tuple[Draft, Record, str]:
    world, path, selector = draft.world, record.written.file, record.written.called or record.unit.name or ""
    mine = of_selector(rules_of(world, draft.child, path), selector)
    theirs = of_selector(rules_of(world, supplier(world, record.unit.path), record.unit.path), record.unit.name or "")
    new = renamed_properties(world, mine, world.snapshot.blob(record.digest), theirs)
    if not new or not all(new.values()):
        raise ProtyponError(
            f"{record.unit.address}: it can't be told what took the place of {', '.join(new)}", draft.in_editor(path)
        )
    words = ", ".join(f"{name} is called {now} now" for name, now in new.items())
    return with_new_names(draft, path, selector, new), record, words


def _rename_rule(draft: Draft, record: Record, evidence: Evidence) -> tuple[Draft, Record, str]:
    moved = moved_to(evidence)
    if len(moved) != 1:
        raise ProtyponError(
            f"{record.unit.address}: no selector can be said to have taken its place", Drop(record.unit.address)
        )
    new = Unit("rule", *moved[0].path.split("#", 1))
    old, to = record.written.called or record.unit.name or "", new.name or ""
    called = _as_called(old, record.unit.name or "", to)
    path = record.written.file
    made = draft
    if normal(called) != normal(old):
        text = draft.read(path).decode("utf-8")
        for rule in of_selector(rules_of(draft.world, draft.child, path), old):
            text = rename_selector(text, Where(old, rule.layer, rule.conditions), called)
        made = draft.with_file(path, text.encode("utf-8"))
    written = replace(record.written, called=called if called != to else "")
    words = f"the selector is {to} now" if to != record.unit.name else f"it stands in {quote_path(new.path)} now"
    return made, replace(record, unit=new, written=written), words


def _as_called(called: str, old: str, new: str) -> str:
    """The child's selector with the new names, where it is another one than the parent's."""
    if normal(called) == normal(old):
        return new
    before, after = list(names_in(old)), list(names_in(new))
    if len(before) == len(after):
        return with_names(called, dict(zip(before, after, strict=True)))
    raise NotEdited(f"{called} can't be made to follow {old}, which is {new} now")


def made_to_win(draft: Draft, path: str, selector: str) -> tuple[Draft, str, str]:
    """The child with a rule that wins again: the draft, its selector, and what was done. Raises ProtyponError and NotEdited."""
    styles, child = styles_of(draft.world), draft.child.slug
    mine = of_selector(rules_of(draft.world, draft.child, path), selector)
    found = losing(styles, child, path, mine)
    change = least(styles, child, path, found[0].rule) if found else None
    if change is None:
        raise ProtyponError(
            f"{quote_path(path)}: nothing that Protypon knows makes {selector} win", draft.in_editor(path)
        )
    made = draft
    for rule in mine:
        made = change_rule(made, path, rule, change)
    return made, change.selector, f"it wins with {change.in_words(selector)}"
