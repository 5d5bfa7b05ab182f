"""A rule of the parents' taken over: written into a sheet of the child's, with the least that wins."""

from __future__ import annotations

from collections.abc import Sequence

from protypon.core.files.listing import blob_digest
from protypon.core.languages.css.edits import Where, with_declarations
from protypon.core.languages.css.rules import StyleDeclaration, StyleRule, read
from protypon.core.languages.css.selectors import parse
from protypon.core.languages.css.shorthands import set_by
from protypon.core.languages.css.values import is_known, is_taken
from protypon.core.languages.source import NotEdited
from protypon.core.model.actions import Action, Adopt, Explain, Survey
from protypon.core.model.errors import ProtyponError, UnknownName, Usage
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Register
from protypon.core.platform.schema import nearest
from protypon.core.units.draft import Draft
from protypon.core.units.file import use
from protypon.core.units.file.registering import by_call
from protypon.core.units.file.sheets import sheet_of, styles_of
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.rule.reading import (
    bearing_on,
    declaration_text,
    every_rule,
    loaded_sheets,
    longhands_of,
    of_selector,
    own_sheets,
    rules_of,
    text_of,
    where,
)
from protypon.core.units.rule.winning import Stronger, change_rule, least, losing, winner
from protypon.core.units.world import World


def write_rule(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Say something else for a selector; without ``--set`` what the parent says, to be edited. Raises ProtyponError."""
    world = draft.world
    theme, theirs = _known_rule(world, unit)
    selector = unit.name or ""
    said = [_parse_declaration(text) for text in asked.declared]
    groups = _groups(theirs, said)
    _refuse_nameless(unit, theirs, groups)
    path, begun, made = own_sheet(draft, unit)
    _refuse_said(world, path, unit, said)
    for around, declarations in groups:
        made = with_rule(made, path, around._replace(selector=selector), declarations)
    change = _winning(made, path, selector, [each for _, group in groups for each in group])
    if change is not None:
        for rule in of_selector(rules_of(made.world, made.child, path), selector):
            made = _change_sheet(made, path, rule, change)
    called = change.selector if change is not None and change.selector != selector else ""
    text = text_of(selector, theirs)
    words = f"{theme.label} says {_words(theirs, groups)} for it ({where(world, theme, unit.path, theirs[0].line)})"
    if change is not None:
        words += f"; yours wins with {change.in_words(selector)}"
    value = {each.name: declaration_text(each).partition(": ")[2] for _, group in groups for each in group}
    put = Written(path, called, value=value, brought=("file",) if begun else ())
    record = Record(unit, "set", theme.slug, theme.release, blob_digest(text), asked.why, written=put)
    return Outcome(
        made, (record,), ((theme, text),), words, path, tuple(_notes(world, unit, theirs, groups)), called=called
    )


def _known_rule(world: World, unit: Unit) -> tuple[Theme, Sequence[StyleRule]]:
    """The parent's rule. Raises UnknownName where there is none that loads."""
    sheets = [(world.ancestor(slug), path) for slug, path in reversed(loaded_sheets(world)) if slug != world.child.slug]
    here = [theme for theme, path in sheets if path == unit.path and theme is not None]
    if not unit.name:
        step = Explain(f"style:{quote_path(unit.path)}", world.child.slug)
        raise Usage(
            f"{unit.address}: names no rule; write rule:SHEET#SELECTOR", ("see which rules it has with: ", step)
        )
    if not here and unit.path in world.child.files and any(unit.path in theme.files for theme in world.ancestors):
        raise ProtyponError(
            f"{unit.address}: {world.child.slug} has a sheet {quote_path(unit.path)} of its own, which takes the place of the parent's; nothing was changed",
            "edit that one",
        )
    if not here:
        near = nearest(unit.path, tuple(path for _, path in sheets), 0.8)
        raise UnknownName(
            f"no sheet {quote_path(unit.path)} of a parent of {world.child.slug} loads",
            f"did you mean rule:{quote_path(near)}#{unit.name}?" if near else Survey(units=True),
        )
    rules = rules_of(world, here[0], unit.path)
    found = of_selector(rules, unit.name or "")
    if found:
        return here[0], found
    unread = sheet_of(world, here[0], unit.path).unread
    if unread:
        why = f"line {unread[0][0]} of {quote_path(unit.path)} of {here[0].slug} is not gone into: {unread[0][1]}"
        raise UnknownName(f"{unit.address}: {why}", Explain(f"style:{quote_path(unit.path)}"))
    elsewhere = next((p for t, p in sheets if of_selector(rules_of(world, t, p), unit.name or "")), "")
    if elsewhere:
        raise UnknownName(
            f"{quote_path(unit.path)} of {here[0].slug} has no rule for {unit.name}",
            f"did you mean rule:{quote_path(elsewhere)}#{unit.name}?",
        )
    near = nearest(unit.name or "", tuple(rule.selector for rule in every_rule(rules)))
    hint = f"did you mean rule:{quote_path(unit.path)}#{near}?" if near else Explain(f"style:{quote_path(unit.path)}")
    raise UnknownName(f"{quote_path(unit.path)} of {here[0].slug} has no rule for {unit.name}", hint)


def _parse_declaration(text: str) -> StyleDeclaration:
    """A declaration as it was typed: ``PROPERTY=VALUE``. Raises Usage."""
    name, equals, value = text.partition("=")
    rules = read(f"a {{ {name.strip()}: {value.strip()} }}").rules
    found = [each for rule in rules for each in rule.declarations]
    if not equals or len(rules) != 1 or len(found) != 1 or not found[0].value or rules[0].selector != "a":
        raise Usage(f"--set {text}: is no declaration", "write PROPERTY=VALUE, as in --set color=#1b4b66")
    if is_taken(found[0]) is False:
        raise Usage(f"--set {text}: browsers do not take {found[0].value} for {found[0].name}", "write another value")
    return found[0]


def _refuse_said(world: World, path: str, unit: Unit, said: list[StyleDeclaration]) -> None:
    """Leave what a person wrote for the same selector."""
    names = {each.name for each in said}
    for rule in of_selector(rules_of(world, world.child, path), unit.name or ""):
        for each in rule.declarations:
            if each.name in names or not said:
                raise ProtyponError(
                    f"{quote_path(path)} line {each.line} says {declaration_text(each)} for {unit.name} already; nothing was changed",
                    ("edit that; have it judged with: ", Adopt(world.child.slug)),
                )


def _groups(theirs: Sequence[StyleRule], said: list[StyleDeclaration]) -> list[tuple[Where, list[StyleDeclaration]]]:
    """What is written, each where the parent says it: in the same layer and under the same conditions."""
    if not said:
        return [(_where(rule), list(rule.declarations)) for rule in theirs]
    found: dict[Where, list[StyleDeclaration]] = {}
    for each in said:
        wanted = set_by(each.name)
        fitting = [r for r in theirs if any(set_by(d.name) & wanted for d in r.declarations)] or list(theirs)
        chosen = next((r for r in fitting if not r.conditions), fitting[0])
        important = each.important or any(
            d.important and set_by(d.name) & wanted for r in theirs for d in r.declarations if r is chosen
        )
        found.setdefault(_where(chosen), []).append(each._replace(important=important))
    return list(found.items())


def _refuse_nameless(
    unit: Unit, theirs: Sequence[StyleRule], groups: list[tuple[Where, list[StyleDeclaration]]]
) -> None:
    """What is important in a layer that nobody else can write into wins over all outside of it (Cascade 5, section 6.4.1)."""
    wanted = frozenset(name for _, group in groups for each in group for name in set_by(each.name))
    for rule in theirs:
        there = [d for d in rule.declarations if d.important and set_by(d.name) & wanted]
        if there and any("(" in name for name in rule.layer):
            raise ProtyponError(
                f"{unit.address}: the parent says {declaration_text(there[0])} in a layer without a name (line {there[0].line}), and nothing outside "
                "of that wins over it; nothing was changed",
                ("see what competes with: ", Explain(unit.address)),
            )


def _where(rule: StyleRule) -> Where:
    """Where the parent has a rule. What stands in a layer without a name is written outside of all, which counts more; but for what is important."""
    layer = () if any("(" in name for name in rule.layer) else rule.layer
    return Where(rule.selector, layer, tuple(each for each in rule.conditions if each.kind != "template"))


def own_sheet(draft: Draft, unit: Unit) -> tuple[str, bool, Draft]:
    """The child's sheet that it goes into, whether it must be begun, and the child in which it loads."""
    there = own_sheets(draft.world)
    if there:
        return there[-1], False, draft
    platform, slug = draft.start.platform, draft.child.slug
    register = next(iter(use.registers_of(platform, "style")), None)
    if register is None:
        raise ProtyponError(
            f"{unit.address}: the platform file does not say how a sheet is registered", Explain("--styles")
        )
    path = _new_path(register, slug, unit)
    begun = not draft.has(path)
    made = draft.with_file(path, b"") if begun else draft
    if register.lists == "call":
        made, _ = by_call(made, "style", path)
        return path, begun, made
    prefix = f"{register.folder}/" if register.folder else ""
    names = list(draft.child.values.get(register.field, ()))
    if register.lists == "replace" and not names:
        names = [name.removeprefix(prefix) for name, _ in draft.world.resolver.files_registered(register)]
    return path, begun, made.with_manifest({register.field: [*names, path.removeprefix(prefix)]})


def _new_path(register: Register, slug: str, unit: Unit) -> str:
    """Where a child's first sheet lies: as the platform file says, or beside where the parent's lies."""
    if register.new:
        name = register.new.replace("{slug}", slug)
        return f"{register.folder}/{name}" if register.folder else name
    return f"{unit.path.rpartition('/')[0]}/{slug}.css".lstrip("/")


def with_rule(draft: Draft, path: str, around: Where, said: list[StyleDeclaration]) -> Draft:
    """A sheet that says more. Raises ProtyponError where that can't be put in."""
    try:
        text = draft.read(path).decode("utf-8")
        return draft.with_file(path, with_declarations(text, around, said).encode("utf-8"))
    except (NotEdited, UnicodeDecodeError) as error:
        why = "it is not UTF-8" if isinstance(error, UnicodeDecodeError) else error
        raise ProtyponError(
            f"{quote_path(path)} can't be changed rule by rule: {why}; edit it by hand", draft.in_editor(path)
        ) from error


def _change_sheet(draft: Draft, path: str, rule: StyleRule, change: Stronger) -> Draft:
    try:
        return change_rule(draft, path, rule, change)
    except NotEdited as error:
        raise ProtyponError(
            f"{quote_path(path)} can't be changed rule by rule: {error}; edit it by hand", draft.in_editor(path)
        ) from error


def _winning(draft: Draft, path: str, selector: str, said: list[StyleDeclaration]) -> Stronger | None:
    """What it takes to win; None where it wins as it is. Raises ProtyponError where nothing helps."""
    styles, child = styles_of(draft.world), draft.child.slug
    wanted = {each.name for each in said}
    mine = of_selector(rules_of(draft.world, draft.child, path), selector)
    asked = [r._replace(declarations=tuple(d for d in r.declarations if d.name in wanted)) for r in mine]
    found = losing(styles, child, path, asked)
    if not found:
        return None
    change = least(styles, child, path, found[0].rule)
    if change is None:
        declaration, rival = found[0].lost[0]
        raise ProtyponError(
            f"{declaration_text(declaration)} for {selector} would never count: {winner(styles, rival)}; nothing was changed",
            ("see what competes with: ", Explain(f"rule:{path}#{selector}", child)),
        )
    return change


def _words(theirs: Sequence[StyleRule], groups: list[tuple[Where, list[StyleDeclaration]]]) -> str:
    wanted = frozenset(name for _, group in groups for each in group for name in set_by(each.name))
    said = [declaration_text(each) for each in bearing_on(theirs, wanted).values()]
    return ", ".join(dict.fromkeys(said)) or "nothing of that"


def _notes(
    world: World, unit: Unit, theirs: Sequence[StyleRule], groups: list[tuple[Where, list[StyleDeclaration]]]
) -> list[tuple[str, Action | None]]:
    """What else the parent says of the same properties, where yours comes to count too; and slips."""
    notes: list[tuple[str, Action | None]] = []
    if parse(unit.name or "") is None:
        notes.append((f"{unit.name} is not a selector that Protypon reads: whether it wins is not known", None))
    written = {around[1:] for around, _ in groups}
    wanted = frozenset(name for _, group in groups for each in group for name in set_by(each.name))
    for said, each in bearing_on(theirs, wanted).items():
        if (said.layer, said.conditions) not in written and said.conditions:
            around = " and ".join(f"@{c.kind} {c.text}" for c in said.conditions)
            notes.append(
                (
                    f"the parent says {declaration_text(each)} for {around}: yours comes later, and counts there too",
                    None,
                )
            )
    used = longhands_of(
        r for slug, p in loaded_sheets(world) for r in every_rule(rules_of(world, world.ancestor(slug), p))
    )
    for name in dict.fromkeys(each.name for _, group in groups for each in group):
        near = (
            nearest(name, tuple(sorted(used)))
            if not (name.startswith("--") or name in used or is_known(name))
            else None
        )
        if near:
            notes.append((f"no sheet of the parents sets {name}; if {near} was meant, drop it and write that", None))
    return notes
