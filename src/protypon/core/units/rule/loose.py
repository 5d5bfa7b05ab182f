"""A rule of the child's own that loses, or that asks for what was renamed."""

from __future__ import annotations

from protypon.core.languages.css.edits import Where, rename_selector
from protypon.core.languages.css.selectors import names_in
from protypon.core.languages.source import NotEdited
from protypon.core.model.actions import Check
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.draft import Draft
from protypon.core.units.rule import names
from protypon.core.units.rule.fate import gone_names, with_names
from protypon.core.units.rule.mend import made_to_win
from protypon.core.units.rule.reading import of_selector, rules_of


def mend_draft(draft: Draft, unit: Unit | None, code: str) -> tuple[Draft, str]:
    """A rule made to win, or given the class that took the place of one that is gone. Raises ProtyponError."""
    if unit is None:
        raise ProtyponError("name the rule", Check(draft.child.slug))
    try:
        if code == "rule-stranded":
            return _rename_class(draft, unit)
        made, _, words = made_to_win(draft, unit.path, unit.name or "")
        return made, words
    except NotEdited as error:
        raise ProtyponError(
            f"{unit.address}: can't be changed rule by rule: {error}; edit {quote_path(unit.path)} by hand",
            draft.in_editor(unit.path),
        ) from error


def _rename_class(draft: Draft, unit: Unit) -> tuple[Draft, str]:
    world, selector = draft.world, unit.name or ""
    lost = {name: had for name, had in gone_names(world).items() if name in set(names_in(selector))}
    new = {name: to for name, had in lost.items() if (to := names.successor(world, name, had))}
    if not new or new.keys() != lost.keys():
        raise ProtyponError(f"{unit.address}: it can't be told what took the place of it", draft.in_editor(unit.path))
    to = with_names(selector, new)
    text = draft.read(unit.path).decode("utf-8")
    for rule in of_selector(rules_of(world, draft.child, unit.path), selector):
        text = rename_selector(text, Where(selector, rule.layer, rule.conditions), to)
    return draft.with_file(unit.path, text.encode("utf-8")), f"the selector is {to} now"
