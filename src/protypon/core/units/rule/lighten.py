"""Rules that were changed in a copy of a sheet, each said again in the child's own."""

from __future__ import annotations

from protypon.core.languages.css.edits import Where
from protypon.core.languages.css.rules import Condition, StyleDeclaration, StyleRule
from protypon.core.languages.css.selectors import normal
from protypon.core.model.nouns import Unit
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.file.sheets import parsed
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked
from protypon.core.units.rule.reading import shown
from protypon.core.units.rule.write import own_sheet, with_rule, written
from protypon.core.units.styles_told import rule as told
from protypon.core.units.world import World

RANK = 1
Key = tuple[str, tuple[str, ...], tuple[Condition, ...]]


def peel(state: Lightening) -> Lightening:
    """Each rule that says more or something else, if nothing was taken away, and what was changed wins where it stands."""
    platform = state.draft.start.platform
    if not fits(platform, state.rule, state.path, state.theirs, state.ours):
        return state
    was, now = (_by_key(parsed(platform, state.path, data).rules) for data in (state.theirs, state.ours))
    if not all_win(state.reference, state.path, state.theirs, state.ours):
        return state
    for key, said in now.items():
        before = was.get(key, {})
        changed = [each for name, each in said.items() if before.get(name) != each]
        if changed and before:
            outcome = written(state.draft, Unit("rule", state.path, key[0]), _asked(changed))
            state = state.took(outcome, state.ours, ", ".join(map(_written, changed)))
        elif changed:
            path, _, made = own_sheet(state.draft, Unit("rule", state.path, key[0]))
            made = with_rule(made, path, Where(*key), [_declared(each) for each in changed])
            state = state.added(made, state.ours, f"a new rule {key[0]} in {path}")
    return state.added(state.draft, state.theirs, "")


def fits(platform: Platform, rule: FileRule, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether a copy takes nothing away, and puts what is new behind all that was there."""
    if rule.kind != "style":
        return False
    old, new = (parsed(platform, path, data) for data in (theirs, ours))
    if old.unread or new.unread or old.imports != new.imports:
        return False
    was, now = _by_key(old.rules), _by_key(new.rules)
    in_order = list(was) == [key for key in now if key in was] and all(key in was for key in list(now)[: len(was)])
    return in_order and not any(said.keys() - now[key].keys() for key, said in was.items())


def all_win(world: World, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether what was changed in a sheet counts wherever its rule does, so that a rule that wins says the same."""
    was, now = (_by_key(parsed(world.platform, path, data).rules) for data in (theirs, ours))
    for key, said in now.items():
        changed = {name for name, each in said.items() if was.get(key, {}).get(name) != each}
        if changed and key in was:
            rows = told(world, Unit("rule", path, key[0]))["declarations"]
            if any(row["name"] in changed and (row["wins"] != "yes" or row["apart"]) for row in rows):
                return False
    return True


Declared = tuple[str, str, bool]


def _by_key(rules: list[StyleRule]) -> dict[Key, dict[str, Declared]]:
    """What a sheet says, by selector, layer and conditions."""
    found: dict[Key, dict[str, Declared]] = {}
    for rule in rules:
        said = found.setdefault((normal(rule.selector) and rule.selector, rule.layer, rule.conditions), {})
        said |= {each.name: (each.name, each.value, each.important) for each in rule.declarations}
    return found


def _asked(changed: list[Declared]) -> Asked:
    return Asked(declared=tuple(_written(each).replace(": ", "=", 1) for each in changed))


def _declared(said: Declared) -> StyleDeclaration:
    return StyleDeclaration(*said, 0)


def _written(said: Declared) -> str:
    return shown(_declared(said))
