"""Custom properties that a rule of the child's sets and nobody asks for any more: what the parents call them now."""

from __future__ import annotations

import re
from collections.abc import Sequence

from protypon.core.languages.css.edits import Where, with_declarations, without
from protypon.core.languages.css.rules import StyleRule
from protypon.core.units.draft import Draft
from protypon.core.units.rule.names import PRINTS
from protypon.core.units.rule.reading import every_rule, of_selector, rules_in, rules_of
from protypon.core.units.world import World


def renamed_properties(
    world: World, mine: Sequence[StyleRule], base: bytes | None, theirs: Sequence[StyleRule]
) -> dict[str, str]:
    """Each that the parents set once and nothing in the lineage uses now, with the one new one that has its value; empty where there is not one."""
    if base is None:
        return {}
    before, now = _set_in(list(every_rule(rules_in(base)))), _set_in(theirs)
    own = _set_in(mine)
    found = {}
    for name in own.keys() & before.keys() - now.keys():
        if not _is_used(world, name):
            new = [other for other, value in now.items() if other not in before and value == before[name]]
            found[name] = new[0] if len(new) == 1 else ""
    return found


def _set_in(rules: Sequence[StyleRule]) -> dict[str, str]:
    return {d.name: d.value for rule in rules for d in rule.declarations if d.name.startswith("--")}


def _is_used(world: World, name: str) -> bool:
    """Whether any text of the lineage has a name otherwise than to set it."""
    asked = re.compile(rb"(?<![\w-])" + re.escape(name.encode()) + rb"(?![\w-])(?!\s*:)")
    return any(
        asked.search(world.snapshot.read(theme, path))
        for theme in world.lineage.themes
        for path, rule in world.platform.ruled(theme.files).rows
        if rule.kind in (*PRINTS, "style")
    )


def with_new_names(draft: Draft, path: str, selector: str, new: dict[str, str]) -> Draft:
    """The child's rule with the properties called as the parents call them. Raises NotEdited."""
    text = draft.read(path).decode("utf-8")
    for rule in of_selector(rules_of(draft.world, draft.child, path), selector):
        where = Where(selector, rule.layer, rule.conditions)
        said = [d._replace(name=new[d.name]) for d in rule.declarations if new.get(d.name)]
        if said:
            text = with_declarations(text, where, said)
            text = without(text, where, [d.name for d in rule.declarations if new.get(d.name)])
    return draft.with_file(path, text.encode("utf-8"))
