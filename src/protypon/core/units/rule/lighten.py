"""Rules that were changed in a copy of a sheet, each said again in the child's own."""

from __future__ import annotations

from protypon.core.languages.css.edits import Where
from protypon.core.languages.css.rules import Condition, StyleDeclaration, StyleRule
from protypon.core.languages.css.selectors import asked_for, normal
from protypon.core.model.nouns import Unit
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.file.sheets import parse_sheet, styles_of
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked
from protypon.core.units.printing import elements, files_that_print, may_match
from protypon.core.units.rule.reading import declaration_text
from protypon.core.units.rule.write import own_sheet, with_rule, write_rule
from protypon.core.units.world import World

RANK = 1
Key = tuple[str, tuple[str, ...], tuple[Condition, ...]]


def peel(state: Lightening) -> Lightening:
    """Each rule that says more or something else, if nothing was taken away, and what was changed wins where it stands."""
    platform = state.draft.start.platform
    if not fits(platform, state.rule, state.path, state.theirs, state.ours):
        return state
    was, now = (_by_key(parse_sheet(platform, state.path, data).rules) for data in (state.theirs, state.ours))
    if not all_win(state.reference, state.path, state.theirs, state.ours):
        return state
    for key, said in now.items():
        before = was.get(key, {})
        changed = [each for name, each in said.items() if before.get(name) != each]
        if changed and before:
            outcome = write_rule(state.draft, Unit("rule", state.path, key[0]), _what_to_set(changed))
            state = state.took(outcome, state.ours, ", ".join(map(_declaration_text, changed)))
        elif changed:
            path, _, made = own_sheet(state.draft, Unit("rule", state.path, key[0]))
            made = with_rule(made, path, Where(*key), [_as_declaration(each) for each in changed])
            state = state.with_added(made, state.ours, f"a new rule {key[0]} in {path}")
    return state.with_added(state.draft, state.theirs, "")


def fits(platform: Platform, rule: FileRule, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether a copy takes nothing away, and puts what is new behind all that was there."""
    if rule.kind != "style":
        return False
    old, new = (parse_sheet(platform, path, data) for data in (theirs, ours))
    if old.unread or new.unread or old.imports != new.imports:
        return False
    was, now = _by_key(old.rules), _by_key(new.rules)
    in_order = list(was) == [key for key in now if key in was] and all(key in was for key in list(now)[: len(was)])
    return in_order and not any(said.keys() - now[key].keys() for key, said in was.items())


def all_win(world: World, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether what was changed in a sheet counts wherever its rule does, so that a rule that wins says the same.

    What outranks it on elements that happen to be for both only matters where the lineage prints such an element.
    """
    was, now = (_by_key(parse_sheet(world.platform, path, data).rules) for data in (theirs, ours))
    styles = styles_of(world)
    for each, sheet in styles.together.rules:
        key = (each.selector, each.layer, each.conditions)
        if styles.owner(sheet)[1] != path or key not in was:
            continue
        changed = {name for name, said in now.get(key, {}).items() if was[key].get(name) != said}
        for declaration in each.declarations:
            if declaration.name in changed and not _wins(world, declaration, each, sheet):
                return False
    return not styles.unread


def _wins(world: World, declaration: StyleDeclaration, rule: StyleRule, sheet: int) -> bool:
    found = styles_of(world).competing.rivals(declaration, rule, sheet)
    if isinstance(found, str):
        return False
    return not any(r.wins and (r.near or _meet(world, rule.selector, r.candidate.rule.selector)) for r in found)


def _meet(world: World, one: str, other: str) -> bool:
    """Whether some element that the lineage prints may be for both of two selectors."""
    asked = asked_for(one), asked_for(other)
    if asked[0] is None or asked[1] is None:
        return True
    return any(
        may_match(element, asked[0]) and may_match(element, asked[1])
        for theme, path in files_that_print(world)
        for element in elements(world, theme, path)
    )


Declared = tuple[str, str, bool]


def _by_key(rules: list[StyleRule]) -> dict[Key, dict[str, Declared]]:
    """What a sheet says, by selector, layer and conditions."""
    found: dict[Key, dict[str, Declared]] = {}
    for rule in rules:
        said = found.setdefault((normal(rule.selector) and rule.selector, rule.layer, rule.conditions), {})
        said |= {each.name: (each.name, each.value, each.important) for each in rule.declarations}
    return found


def _what_to_set(changed: list[Declared]) -> Asked:
    return Asked(declared=tuple(_declaration_text(each).replace(": ", "=", 1) for each in changed))


def _as_declaration(said: Declared) -> StyleDeclaration:
    return StyleDeclaration(*said, 0)


def _declaration_text(said: Declared) -> str:
    return declaration_text(_as_declaration(said))
