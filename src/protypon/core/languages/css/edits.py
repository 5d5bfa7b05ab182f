"""A style sheet changed rule by rule: every other byte stays. Each edit is read again, and counts only if nothing else came out otherwise."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from protypon.core.languages.css.rules import LONGEST_SHEET, Condition, StyleDeclaration, StyleRule, read
from protypon.core.languages.css.selectors import normal
from protypon.core.languages.css.spans import Range, RuleBlock, blocks
from protypon.core.languages.source import NotEdited


class Where(NamedTuple):
    """A rule among those of a sheet: its selector, and what stands around it."""

    selector: str
    layer: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()

    def is_of(self, selector: str, layer: tuple[str, ...], conditions: tuple[Condition, ...]) -> bool:
        """Whether a rule with these words would stand in this place."""
        return (layer, conditions) == (self.layer, self.conditions) and normal(selector) == normal(self.selector)

    def is_rule(self, rule: StyleRule) -> bool:
        """Whether it is the place of a rule."""
        return self.is_of(rule.selector, rule.layer, rule.conditions)


class _Patch(NamedTuple):
    """What is put in the place of a stretch."""

    place: Range
    text: str = ""


def with_declarations(text: str, where: Where, said: Sequence[StyleDeclaration]) -> str:
    """A sheet in which a rule says more: what it says of the same properties is said anew, the rest is put behind it.

    A rule that does not stand alone in braces yet is begun at the end. Raises NotEdited.
    """
    found = [b for b in _blocks(text) if _is_alone(b) and where.is_of(b.selectors[0][0], b.layer, b.conditions)]
    at_the_end = _Patch(Range(len(text.rstrip()), len(text)), _begun(text, where, said))
    edits = list(_say_anew(text, found[-1], said)) if found else [at_the_end]
    names = {each.name for each in said}

    def expected_rule(rule: StyleRule) -> StyleRule:
        return _saying(rule, lambda d: d.name not in names) if where.is_rule(rule) else rule

    made = _check_edit(text, _apply_edits(text, edits), expected_rule, expected_rule)
    there = [d for rule in read(made).rules if where.is_rule(rule) for d in rule.declarations]
    if not {(d.name, d.value, d.important) for d in said} <= {(d.name, d.value, d.important) for d in there}:
        raise NotEdited(f"nothing can be put into {where.selector}")
    return made


def without(text: str, where: Where, names: Iterable[str] | None = None) -> str:
    """A sheet without a rule, or without some of its properties; a rule that says nothing then goes. Raises NotEdited."""
    gone = None if names is None else set(names)
    edits = [
        edit
        for block in _blocks(text)
        if any(where.is_of(name, block.layer, block.conditions) for name, _ in block.selectors)
        for edit in _taken_out(text, block, where, gone)
    ]

    def expected_rule(rule: StyleRule) -> StyleRule:
        if not where.is_rule(rule):
            return rule
        return _saying(rule, lambda d: gone is not None and d.name not in gone)

    return _check_edit(text, _without_empty(text, _apply_edits(text, edits)), expected_rule, lambda rule: rule)


def rename_selector(text: str, where: Where, selector: str) -> str:
    """A sheet in which a rule has another selector. Raises NotEdited, as for one that is nested in another rule."""
    edits = [
        _Patch(place, selector)
        for block in _blocks(text)
        for name, place in block.selectors
        if where.is_of(name, block.layer, block.conditions) and not _refuse_nested(block, where)
    ]

    def expected_rule(rule: StyleRule) -> StyleRule:
        return rule._replace(selector=selector) if where.is_rule(rule) else rule

    return _check_edit(text, _apply_edits(text, edits), expected_rule, lambda rule: rule)


def _refuse_nested(block: RuleBlock, where: Where) -> bool:
    if block.is_nested:
        raise NotEdited(f"{where.selector} is nested in another rule")
    if block.blocks:
        raise NotEdited(f"other rules are nested in {where.selector}")
    return False


def _blocks(text: str) -> list[RuleBlock]:
    if len(text) > LONGEST_SHEET:
        raise NotEdited(f"longer than {LONGEST_SHEET // 1_000_000} million letters")
    try:
        return blocks(text)
    except RecursionError:
        raise NotEdited("it is nested too deeply") from None


def _is_alone(block: RuleBlock) -> bool:
    """Whether a rule has one selector, and declarations are all that there is in it."""
    return len(block.selectors) == 1 and not block.holds_more


def _apply_edits(text: str, edits: Iterable[_Patch]) -> str:
    for edit in sorted(edits, key=lambda e: e.place, reverse=True):
        text = text[: edit.place.begin] + edit.text + text[edit.place.end :]
    return text


# Said


def _write_declarations(said: StyleDeclaration) -> str:
    return f"{said.name}: {said.value}{' !important' if said.important else ''};"


def _style(text: str) -> tuple[str, str]:
    """How a sheet breaks lines, and how far it goes in."""
    found = re.search(r"\{[ \t]*\r?\n([ \t]+)[\w-]", text)
    return "\r\n" if "\r\n" in text else "\n", found[1] if found else "  "


def _begun(text: str, where: Where, said: Sequence[StyleDeclaration]) -> str:
    """A new rule, behind all that there is."""
    end, step = _style(text)
    lines = [f"{where.selector} {{", *(step + _write_declarations(each) for each in said), "}"]
    heads = [f"@{each.kind} {each.text}" for each in where.conditions]
    heads += [f"@layer {'.'.join(where.layer)}"] if where.layer else []
    for head in reversed(heads):
        lines = [f"{head} {{", *(step + line for line in lines), "}"]
    return (end * 2 if text.strip() else "") + end.join(lines) + end


def _say_anew(text: str, block: RuleBlock, said: Sequence[StyleDeclaration]) -> Iterable[_Patch]:
    """What a rule says already, said anew; the rest behind its last declaration."""
    there = {d.said.name: d.place for d in block.declarations}
    yield from (_Patch(there[each.name], _write_declarations(each)) for each in said if each.name in there)
    new = [_write_declarations(each) for each in said if each.name not in there]
    if not new:
        return
    end, step = _style(text)
    last = block.declarations[-1] if block.declarations else None
    at = last.place.end if last else block.inside.begin
    semicolon = ";" if last and text[at - 1] != ";" and last.said.name not in {e.name for e in said} else ""
    if "\n" not in text[block.inside.begin : block.inside.end]:
        closes = " " if text[at : block.inside.end] == "" else ""
        yield _Patch(Range(at, at), f"{semicolon} {' '.join(new)}{closes}")
        return
    margin = _margin(text, last.place.begin if last else block.place.begin)
    lines = "".join(f"{end}{margin if last else margin + step}{word}" for word in new)
    comment = re.match(r"[ \t]*/\*[^\n]*?\*/", text[at : block.inside.end])
    behind = at + (len(comment[0]) if comment else 0)
    closes = end + _margin(text, block.place.begin) if text[behind : block.inside.end] == "" else ""
    yield from [_Patch(Range(at, at), semicolon)] if behind != at and semicolon else []
    yield _Patch(Range(behind, behind), (semicolon if behind == at else "") + lines + closes)


def _margin(text: str, at: int) -> str:
    """The white space at the beginning of a line."""
    found = re.match(r"[ \t]*", text[text.rfind("\n", 0, at) + 1 :])
    return found[0] if found else ""


# Taken out


def _taken_out(text: str, block: RuleBlock, where: Where, names: set[str] | None) -> Iterable[_Patch]:
    if names is None or (not block.holds_more and all(d.said.name in names for d in block.declarations)):
        yield from _without_selector(text, block, where)
        return
    here = [d.place for d in block.declarations if d.said.name in names]
    if here and len(block.selectors) > 1:
        others = ", ".join(name for name, _ in block.selectors if normal(name) != normal(where.selector))
        raise NotEdited(f"{where.selector} shares a rule with {others}")
    yield from (_cut_stretch(text, place) for place in here)


def _without_selector(text: str, block: RuleBlock, where: Where) -> Iterable[_Patch]:
    """One of several selectors, or else the whole rule."""
    mine = [normal(name) == normal(where.selector) for name, _ in block.selectors]
    places = [place for _, place in block.selectors]
    if all(mine):
        if block.holds_more:
            raise NotEdited(f"more than declarations stands in {where.selector}")
        if "/*" in text[block.inside.begin : block.inside.end]:
            raise NotEdited(f"a comment of yours stands inside of {where.selector}")
        yield _cut_stretch(text, block.place)
        return
    _refuse_nested(block, where)
    first = mine.index(False)
    for number, is_mine in enumerate(mine):
        if is_mine:
            before = number > first
            place = (
                Range(places[number - 1].end, places[number].end)
                if before
                else Range(places[number].begin, places[number + 1].begin)
            )
            if "/*" in text[place.begin : place.end]:
                raise NotEdited(f"a comment stands beside {where.selector}")
            yield _Patch(place)


def _cut_stretch(text: str, place: Range) -> _Patch:
    """A stretch to go: with its lines where nothing else stands on them, and one of two empty lines around it."""
    begin, end = place
    line = text.rfind("\n", 0, begin) + 1
    after = re.match(r"[ \t]*(\r?\n|$)", text[end:])
    if text[line:begin].strip(" \t") or after is None:
        tail = re.match(r"[ \t]*", text[end:])
        return _Patch(Range(begin, end + (len(tail[0]) if tail else 0)))
    begin, end = line, end + len(after[0])
    empty = re.search(r"(?:(?<=\n)|^)(?:[ \t]*\r?\n)+$", text[:begin])
    if empty and (not text[end:].strip() or re.match(r"[ \t]*\r?\n", text[end:])):
        begin = empty.start()
    return _Patch(Range(begin, end))


_EMPTY = re.compile(r"@(?:media|supports|container|layer)\b[^{};]*\{\s*\}")


def _without_empty(before: str, made: str) -> str:
    """Without the groups that became empty."""
    had = [found[0] for found in _EMPTY.finditer(before)]
    while len(now := list(_EMPTY.finditer(made))) > len(had):
        new = next((found for found in now if found[0] not in had), now[0])
        made = _apply_edits(made, [_cut_stretch(made, Range(new.start(), new.end()))])
    return made


# Read again


def _saying(rule: StyleRule, keeps: Callable[[StyleDeclaration], bool]) -> StyleRule:
    return rule._replace(declarations=tuple(d for d in rule.declarations if keeps(d)))


def _check_edit(
    before: str, made: str, wanted: Callable[[StyleRule], StyleRule], of_made: Callable[[StyleRule], StyleRule]
) -> str:
    """The text, if it says what the one before says, changed as it should be. Raises NotEdited."""
    was = read(before)
    if was.unread:
        raise NotEdited(f"line {was.unread[0][0]} is not gone into: {was.unread[0][1]}")
    old, new = _rows(map(wanted, was.rules)), _rows(map(of_made, read(made).rules))
    if old != new:
        raise NotEdited("something else would come out otherwise")
    return made


def _rows(rules: Iterable[StyleRule]) -> list[object]:
    """What rules say, without their places; one that says nothing is none."""
    return [
        (
            normal(rule.selector),
            rule.layer,
            rule.conditions,
            [(d.name, d.value, d.important) for d in rule.declarations],
        )
        for rule in rules
        if rule.declarations
    ]
