"""What a check says of rules in sheets: declarations of the child that another theme's outrank wherever they would count."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.css.competing import Rival
from protypon.core.languages.css.rules import read
from protypon.core.model.actions import Explain
from protypon.core.model.nouns import Finding
from protypon.core.model.paths import quote_path
from protypon.core.units.sheets import Styles
from protypon.core.units.world import World

BY = {
    "important": "it is important",
    "layer": "its layer counts more",
    "specificity": "its selector counts more",
    "order": "it loads later",
}
"""Why one of two declarations wins."""


def of_styles(world: World) -> Iterator[Finding]:
    """Declarations that never count."""
    if world.lineage.cut:
        return
    child, styles = world.child.slug, Styles(world)
    if not any(row.theme == child for row in styles.rows):
        return
    for own, rival in styles.competing.outranked(lambda sheet: styles.owner(sheet)[0] == child):
        path, declaration, selector = styles.owner(own.sheet)[1], own.declaration, own.rule.selector
        copied = (selector, declaration.name, declaration.value) in _taken_over(world, path)
        if not copied and styles.owner(rival.candidate.sheet)[0] != child:
            mine = f"{quote_path(path)} line {declaration.line}: {declaration.name}: {declaration.value} of {selector}"
            because = f"{mine} never counts: {_said(styles, rival)}"
            step = Explain(f"rule:{quote_path(path)}#{selector}", child)
            yield Finding("outranked", "warning", child, path, because, step, declaration.line)


def _taken_over(world: World, path: str) -> set[tuple[str, str, str]]:
    """What a sheet of an ancestor says under the same name: in a copy of it that is nobody's wish."""
    key = ("declarations further up", path)
    if key not in world.memo:
        theme = next((t for t in world.ancestors if path in t.files), None)
        text = world.snapshot.read(theme, path).decode("utf-8-sig", "replace") if theme is not None else ""
        world.memo[key] = {(r.selector, d.name, d.value) for r in read(text).rules for d in r.declarations}
    found = world.memo[key]
    assert isinstance(found, set)
    return found


def _said(styles: Styles, rival: Rival) -> str:
    theme, path = styles.owner(rival.candidate.sheet)
    declaration = rival.candidate.declaration
    bang = " !important" if declaration.important else ""
    where = f"{theme}/{quote_path(path)} line {declaration.line}"
    return f"{where} says {declaration.name}: {declaration.value}{bang} for {rival.candidate.rule.selector}, and {BY[rival.by]}"
