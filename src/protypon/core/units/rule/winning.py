"""The least change with which a rule of the child's wins: another place is not tried, a stronger selector and importance are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from protypon.core.languages.css.competing import Rival
from protypon.core.languages.css.edits import Where, rename_selector, with_declarations
from protypon.core.languages.css.raising import raise_selector
from protypon.core.languages.css.rules import StyleDeclaration, StyleRule
from protypon.core.languages.source import NotEdited
from protypon.core.model.paths import quote_path
from protypon.core.units.draft import Draft
from protypon.core.units.file.sheets import Styles
from protypon.core.units.rule.reading import number_of

BY = {
    "important": "it is important",
    "layer": "its layer counts more",
    "specificity": "its selector counts more",
    "order": "it loads later",
}
"""Why one of two declarations wins."""


class Stronger(NamedTuple):
    """What a rule would have to be: its selector, and whether it must be important."""

    selector: str
    important: bool

    def in_words(self, selector: str) -> str:
        """In a sentence."""
        words = [f"the selector {self.selector}"] if self.selector != selector else []
        return " and ".join([*words, *(["!important"] if self.important else [])])


@dataclass(frozen=True, slots=True)
class Losing:
    """Declarations of a rule that lose wherever they would count, each with the winner."""

    rule: StyleRule
    lost: tuple[tuple[StyleDeclaration, Rival], ...]


def losing(styles: Styles, theme: str, path: str, rules: Sequence[StyleRule]) -> list[Losing]:
    """Those of a sheet's rules that lose, with what wins over each declaration."""
    sheet = number_of(styles, theme, path)
    found = []
    for rule in rules if sheet is not None else ():
        standing = with_surroundings(styles, sheet or 0, rule)
        rivals = ((each, _rival(styles, theme, each, standing, sheet or 0)) for each in rule.declarations)
        lost = tuple((each, rival) for each, rival in rivals if rival is not None)
        if lost:
            found.append(Losing(rule, lost))
    return found


def with_surroundings(styles: Styles, sheet: int, rule: StyleRule) -> StyleRule:
    """A rule with what stands around its sheet where that is imported."""
    loaded = styles.loading_of(sheet)
    return rule._replace(layer=(*loaded.layer, *rule.layer), conditions=(*loaded.conditions, *rule.conditions))


def _rival(styles: Styles, theme: str, each: StyleDeclaration, standing: StyleRule, sheet: int) -> Rival | None:
    """What wins over a declaration, where that is another theme's."""
    found = styles.competing.beaten(each, standing, sheet)
    return found if found is not None and styles.owner(found.candidate.sheet)[0] != theme else None


def least(styles: Styles, theme: str, path: str, rule: StyleRule) -> Stronger | None:
    """The least change with which all that a rule says wins again; None where none is known."""
    sheet = number_of(styles, theme, path)
    if sheet is None:
        return None
    standing = with_surroundings(styles, sheet, rule)
    for change in _changes(rule):
        made = standing._replace(selector=change.selector)
        said = [each._replace(important=each.important or change.important) for each in rule.declarations]
        if not any(_rival(styles, theme, each, made, sheet) for each in said):
            return change
    return None


def _changes(rule: StyleRule) -> Iterator[Stronger]:
    for important in (False, True):
        for selector in (rule.selector, *raise_selector(rule.selector)):
            yield Stronger(selector, important)


def winner(styles: Styles, rival: Rival) -> str:
    """What wins, where, and why."""
    theme, path = styles.owner(rival.candidate.sheet)
    declaration = rival.candidate.declaration
    bang = " !important" if declaration.important else ""
    place = f"{theme}/{quote_path(path)} line {declaration.line}"
    return f"{place} says {declaration.name}: {declaration.value}{bang} for {rival.candidate.rule.selector}, and {BY[rival.by]}"


def change_rule(draft: Draft, path: str, rule: StyleRule, change: Stronger) -> Draft:
    """The child with a rule as it must be to win. Raises NotEdited."""
    text = draft.read(path).decode("utf-8")
    where = Where(rule.selector, rule.layer, rule.conditions)
    if change.important:
        said = [each._replace(important=True) for each in rule.declarations]
        made = with_declarations(text, where, said)
        if made.count("{") != text.count("{"):
            raise NotEdited(f"{rule.selector} stands in a rule with others")
        text = made
    if change.selector != rule.selector:
        text = rename_selector(text, where, change.selector)
    return draft.with_file(path, text.encode("utf-8"))
