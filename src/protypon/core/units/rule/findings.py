"""Rules of the child's that are no override, or not told as one: those that lose, and those for what a release took away."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.css.rules import StyleRule
from protypon.core.languages.css.selectors import normal
from protypon.core.model.actions import Action, Explain, Mend
from protypon.core.model.evidence import Gone, Unreached
from protypon.core.model.nouns import Finding, Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.file.sheets import sheet_of, styles_of
from protypon.core.units.rule import sheet_findings
from protypon.core.units.rule.evidence import evidence_of
from protypon.core.units.rule.fate import gone_names
from protypon.core.units.rule.names import Had, names_of, successor
from protypon.core.units.rule.winning import least, winner
from protypon.core.units.world import World

Named = dict[tuple[str, str], Unit]
"""By sheet and selector of the child's rule, the unit that it overrides."""


def find(world: World) -> Iterator[Finding]:
    """Declarations that never count, rules that match nothing any more, and values without a custom property."""
    if not any(row.theme == world.child.slug for row in styles_of(world).rows):
        return
    rules = {
        (e.subject.file, normal(e.subject.written.called or e.subject.unit.name or "")): e
        for e in evidence_of(world)
        if e.subject.listed
    }
    told = {key for key, e in rules.items() if isinstance(e, Unreached | Gone)}
    yield from _outranked_findings(world, {key: e.subject.unit for key, e in rules.items()}, told)
    yield from _stranded_findings(world, told)
    yield from sheet_findings.find(world)


def _outranked_findings(world: World, named: Named, told: set[tuple[str, str]]) -> Iterator[Finding]:
    child, styles = world.child.slug, styles_of(world)
    for own, rival in styles.competing.find_outranked(lambda sheet: styles.owner(sheet)[0] == child):
        path, declaration, selector = styles.owner(own.sheet)[1], own.declaration, own.rule.selector
        key = (path, normal(selector))
        copied = (selector, declaration.name, declaration.value) in _taken_over(world, path)
        if copied or key in told or styles.owner(rival.candidate.sheet)[0] == child:
            continue
        address = named[key].address if key in named else f"rule:{quote_path(path)}#{selector}"
        change = least(styles, child, path, own.rule)
        mine = f"{quote_path(path)} line {declaration.line}: {declaration.name}: {declaration.value} of {selector}"
        helps = f"; with {change.in_words(selector)} it wins" if change is not None else ""
        because = f"{mine} never counts: {winner(styles, rival)}{helps}"
        step: Action = Mend(address, child) if change is not None else Explain(address, child)
        yield Finding("outranked", "warning", child, path, because, step, declaration.line)


def _taken_over(world: World, path: str) -> set[tuple[str, str, str]]:
    """What a sheet of an ancestor says under the same name: in a copy of it that is nobody's wish."""
    key = ("declarations further up", path)
    if key not in world.memo:
        theme = next((t for t in world.ancestors if path in t.files), None)
        rules = sheet_of(world, theme, path).rules if theme is not None else []
        world.memo[key] = {(r.selector, d.name, d.value) for r in rules for d in r.declarations}
    found = world.memo[key]
    assert isinstance(found, set)
    return found


def _stranded_findings(world: World, told: set[tuple[str, str]]) -> Iterator[Finding]:
    lost = gone_names(world)
    seen: set[tuple[str, str]] = set()
    for rule, path in _own_rules(world) if lost else ():
        for name in sorted(names_of(rule) & lost.keys()):
            if (path, name) not in seen and (path, normal(rule.selector)) not in told:
                seen.add((path, name))
                yield _nothing_has(world, rule, path, name, lost[name])


def _nothing_has(world: World, rule: StyleRule, path: str, name: str, had: Had) -> Finding:
    what = "custom property" if name.startswith("--") else "class or id"
    where = f"{had.release.theme} {had.release.name} had it in {quote_path(had.path)} line {had.line}"
    then = "its value has none" if name.startswith("--") else f"{rule.selector} matches nothing that a theme prints"
    new = successor(world, name, had)
    likely = f"; it is likely {new} now" if new else ""
    because = f"{quote_path(path)} line {rule.line}: nothing in the lineage has the {what} {name} any more ({where}), so {then}{likely}"
    step = (Mend if new else Explain)(f"rule:{quote_path(path)}#{rule.selector}", world.child.slug)
    return Finding("rule-stranded", "warning", world.child.slug, path, because, step, rule.line)


def _own_rules(world: World) -> list[tuple[StyleRule, str]]:
    """The rules of the child's sheets that load."""
    styles = styles_of(world)
    owners = [styles.owner(number) for number in range(len(styles.together.sheets))]
    return [(rule, owners[sheet][1]) for rule, sheet in styles.together.rules if owners[sheet][0] == world.child.slug]
