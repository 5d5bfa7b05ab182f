"""Rules in sentences: what they say of some properties, and what a release changed of them."""

from __future__ import annotations

from collections.abc import Sequence

from protypon.core.languages.css.rules import StyleRule
from protypon.core.model.nouns import Theme
from protypon.core.units.rule.reading import bearing_on, declaration_text, every_rule, longhands_of, rules_in, where
from protypon.core.units.world import World


def words(rules: Sequence[StyleRule], of: Sequence[StyleRule]) -> str:
    """What rules say of the properties that others set."""
    said = bearing_on(rules, longhands_of(of))
    words = [
        declaration_text(each)
        + (f" for {' and '.join(f'@{c.kind} {c.text}' for c in here.conditions)}" if here.conditions else "")
        for here, each in said.items()
    ]
    if not words:
        return "nothing of that"
    return ", ".join(words[:3]) + (f" and {len(words) - 3} more" if len(words) > 3 else "")


def changes_in(base: bytes, mine: Sequence[StyleRule], theirs: Sequence[StyleRule]) -> list[tuple[str, str]]:
    """What the parents say otherwise now of the properties that the child sets: the name, and from what to what."""
    wanted = longhands_of(mine)
    before, now = bearing_on(list(every_rule(rules_in(base))), wanted), bearing_on(theirs, wanted)
    found = []
    for said in dict.fromkeys([*before, *now]):
        was, new = before.get(said), now.get(said)
        if (was[1:3] if was else None) != (new[1:3] if new else None):
            around = " and ".join(f"@{each.kind} {each.text}" for each in said.conditions)
            old = f"from {declaration_text(was).partition(': ')[2]} " if was else ""
            to = f"to {declaration_text(new).partition(': ')[2]}" if new else "to nothing"
            found.append((said.name, f"{said.name} {old}{to}{f' for {around}' if around else ''}"))
    return found


def said_changes(
    theme: Theme | None, path: str, theirs: Sequence[StyleRule], world: World, changes: list[tuple[str, str]]
) -> str:
    """What the parent changed of a rule, in a sentence."""
    label = theme.label if theme is not None else "the parent"
    place = f" ({where(world, theme, path, theirs[0].line if theirs else None)})" if theme else ""
    return f"{label} changed {', '.join(words for _, words in changes)}{place}"
