"""Sheets and rules explained: what loads in which order, and which declaration wins over which."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.css.competing import Rival
from protypon.core.languages.css.rules import Condition, StyleDeclaration, StyleRule
from protypon.core.languages.css.selectors import normal, parse
from protypon.core.languages.css.values import is_taken
from protypon.core.model.actions import Survey
from protypon.core.model.errors import UnknownName
from protypon.core.model.nouns import Unit
from protypon.core.platform.schema import nearest
from protypon.core.units.explaining import Table
from protypon.core.units.file.sheets import Styles, rows, styles_of, surfaces
from protypon.core.units.world import World

RULE = "rule"
"""A rule of a sheet has an address: ``rule:SHEET#SELECTOR``."""


def sheets(world: World) -> Table:
    """All that loads, in order, with what each imports."""
    found = [row for surface in surfaces(world) for row in _on(world, surface)]
    for each in rows(world, "script"):
        place = f"{each.place}, " if each.place else ""
        entry = {"kind": "script", "surface": each.surface, "theme": each.theme, "file": each.path}
        found.append({**entry, "by": place + each.by, "conditions": "", "doubt": each.doubt})
    gone = {row: None for surface in surfaces(world) for row in styles_of(world, surface).together.missing}
    missing = [f"{by or 'the site'} asks for {address}, and no theme has it" for by, address in gone]
    missing += [f"not gone into: {each}" for surface in surfaces(world) for each in styles_of(world, surface).unread]
    elsewhere = any(r.elsewhere for r in world.platform.registers)
    notes = [*missing, *(["a site can register more, where Protypon can't look"] if elsewhere else [])]
    return {"sheets": found, "notes": notes}


def _on(world: World, surface: str) -> Iterator[Table]:
    """The sheets of one surface, with what each imports."""
    styles = styles_of(world, surface)
    registered = {f"{row.theme}/{row.path}": row for row in styles.rows}
    for number, loaded in enumerate(styles.together.sheets):
        theme, path = styles.owner(number)
        row = registered.get(loaded.name) if not loaded.by else None
        yield {
            "kind": "style",
            "surface": surface,
            "theme": theme,
            "file": path,
            "by": f"imported by {loaded.by}" if loaded.by else row.by if row is not None else "",
            "conditions": _conditions(loaded.conditions, loaded.layer),
            "doubt": row.doubt if row is not None else "",
        }


def _conditions(conditions: tuple[Condition, ...], layer: tuple[str, ...]) -> str:
    words = [f"@{each.kind} {each.text}" for each in conditions]
    return ", ".join([*words, *([f"@layer {'.'.join(layer)}"] if layer else [])])


def rule(world: World, unit: Unit) -> Table:
    """Each declaration of a rule: whether it wins, and over what. Raises UnknownName for one that no loaded sheet has."""
    styles = styles_of(world)
    wanted, own = normal(unit.name or ""), _own(world, unit)
    found = [
        (each, sheet)
        for each, sheet in styles.together.rules
        if (styles.owner(sheet)[1] == unit.path and normal(each.selector) == wanted)
        or (*styles.owner(sheet), normal(each.selector)) == own
    ]
    nearest_theme = next(
        (t.slug for t in world.lineage.themes if any(styles.owner(s)[0] == t.slug for _, s in found)), ""
    )
    mine = [(each, sheet) for each, sheet in found if styles.owner(sheet)[0] == nearest_theme]
    if not mine:
        raise _unknown(styles, unit)
    first, sheet = mine[0]
    theme, path = styles.owner(sheet)
    declarations = [_declaration(styles, d, each, place) for each, place in mine for d in each.declarations]
    others = [(styles.owner(place), each) for each, place in found if styles.owner(place)[0] != nearest_theme]
    return {
        "in_force": {"theme": theme, "file": path, "line": first.line},
        "hidden": [
            {"theme": owner[0], "file": owner[1], "line": each.line, "how": "loads too"} for owner, each in others
        ],
        "declarations": declarations,
        "without": {"theme": others[-1][0][0], "file": others[-1][0][1], "line": others[-1][1].line}
        if others
        else None,
        "unknown": world.lineage.cut or None,
        "notes": [f"specificity {_specificity_words(first.selector)}"],
    }


def _own(world: World, unit: Unit) -> tuple[str, str, str] | None:
    """Where the child's rule stands, of one that was taken over."""
    record = world.records.get(unit)
    if record is None:
        return None
    return world.child.slug, record.written.file, normal(record.written.called or unit.name or "")


def _specificity_words(selector: str) -> str:
    parsed = parse(selector)
    return (
        ", ".join(map(str, parsed.specificity))
        if parsed is not None
        else "unknown: the selector is not one that Protypon reads"
    )


def _unknown(styles: Styles, unit: Unit) -> UnknownName:
    loaded = {styles.owner(n)[1] for n in range(len(styles.together.sheets))}
    if unit.path not in loaded:
        near = nearest(unit.path, tuple(loaded))
        return UnknownName(f"no sheet {unit.path} loads", f"did you mean {near}?" if near else Survey(units=True))
    names = {each.selector for each, sheet in styles.together.rules if styles.owner(sheet)[1] == unit.path}
    near = nearest(unit.name or "", tuple(names))
    hint = f"did you mean rule:{unit.path}#{near}?" if near else f"it has {len(names)} other selectors"
    return UnknownName(f"{unit.path} has no rule for {unit.name}", hint)


def _declaration(styles: Styles, declaration: StyleDeclaration, of: StyleRule, sheet: int) -> Table:
    """One declaration, and the one that outranks it, or how many may."""
    bang = " !important" if declaration.important else ""
    where = _conditions(of.conditions, of.layer)
    row: Table = {
        "name": declaration.name,
        "value": declaration.value + bang,
        "line": declaration.line,
        "conditions": where,
    }
    found = styles.competing.rivals(declaration, of, sheet)
    if isinstance(found, str):
        return {**row, "wins": "unknown", "why": found, "rivals": [], "apart": 0}
    sure = next((r for r in found if r.wins and r.always and r.taken), None)
    perhaps = [r for r in found if r.wins and r.near]
    if is_taken(declaration) is False:
        return {**row, "wins": "no", "why": "browsers do not take this value", "rivals": [], "apart": 0}
    wins = "no" if sure is not None else "sometimes" if perhaps else "yes"
    if wins == "yes" and styles.unread:
        return {**row, "wins": "unknown", "why": f"not gone into: {styles.unread[0]}", "rivals": [], "apart": 0}
    shown = [sure] if sure is not None else [*perhaps, *(r for r in found if not r.wins and r.near)]
    apart = sum(r.wins and not r.near for r in found) if sure is None else 0
    return {**row, "wins": wins, "why": "", "rivals": list(_rivals(styles, shown)), "apart": apart}


def _rivals(styles: Styles, found: list[Rival]) -> Iterator[Table]:
    for each in found:
        theme, path = styles.owner(each.candidate.sheet)
        declaration = each.candidate.declaration
        yield {
            "theme": theme,
            "file": path,
            "line": declaration.line,
            "selector": each.candidate.rule.selector,
            "name": declaration.name,
            "value": declaration.value + (" !important" if declaration.important else ""),
            "conditions": _conditions(each.candidate.rule.conditions, each.candidate.rule.layer),
            "wins": each.wins,
            "always": each.always,
            "by": each.by,
            "taken": each.taken,
        }
