"""Rules of the child's sheets for selectors that a parent's sheet has a rule for: what has become of each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple, cast

from protypon.core.files.listing import blob_digest
from protypon.core.languages.css.rules import StyleDeclaration, StyleRule
from protypon.core.languages.css.selectors import normal
from protypon.core.model.actions import Adopt, Drop, Explain, Mend, Settle, Update
from protypon.core.model.evidence import (
    Candidate,
    Evidence,
    Gone,
    Lost,
    Missing,
    Own,
    Part,
    Present,
    Subject,
    Supplied,
    Told,
    Unknowable,
    Unreached,
    Unseen,
)
from protypon.core.model.nouns import Record, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.units.claimed import unknowable
from protypon.core.units.file import use
from protypon.core.units.file.sheets import Styles, sheet_of, styles_of, surfaces
from protypon.core.units.rule import fate, properties
from protypon.core.units.rule.reading import (
    address_of,
    bearing_on,
    declaration_text,
    every_rule,
    loaded_sheets,
    longhands_of,
    number_of,
    of_selector,
    own_sheets,
    part_of,
    rules_in,
    rules_of,
    says_the_same,
    supplier,
    text_of,
    where,
)
from protypon.core.units.rule.telling import changes_in, said_changes, words
from protypon.core.units.rule.winning import Losing, least, losing, winner, with_surroundings
from protypon.core.units.world import World


def evidence_of(world: World) -> list[Evidence]:
    """The evidence of every recorded rule, then of every one without a record that says otherwise than a parent's."""
    if "evidence of rules" not in world.memo:
        world.memo["evidence of rules"] = _find_rules(world)
    return list(cast("list[Evidence]", world.memo["evidence of rules"]))


def _find_rules(world: World) -> list[Evidence]:
    records = [record for record in world.records.values() if record.unit.kind == "rule"]
    found: list[Evidence] = [_listed_evidence(world, record) for record in records]
    if not world.lineage.cut:
        taken = {(r.written.file, normal(r.written.called or r.unit.name or "")) for r in records}
        found += _unlisted_evidence(world, taken, {r.unit for r in records})
    return found


def selector_of(record: Record) -> str:
    """The selector that the child's rule has."""
    return record.written.called or record.unit.name or ""


def _listed_evidence(world: World, record: Record) -> Evidence:
    unit, path = record.unit, record.written.file
    base = world.snapshot.blob(record.digest)
    subject = Subject(
        unit=unit, listed=True, how=record.how, file=path, base=record.digest, base_here=base is not None,
        origin=record.source, taken=record.release, sure=record.sure, inside=True, written=record.written,
    )  # fmt: skip
    mine = of_selector(rules_of(world, world.child, path), selector_of(record))
    here = path in world.child.files
    unread = sheet_of(world, world.child, path).unread if here and not mine else []
    if unread:
        return unknowable(world, subject, f"{quote_path(path)} line {unread[0][0]} is not gone into: {unread[0][1]}")
    if not mine:
        gone = f"the ledger says {quote_path(path)} has a rule for {selector_of(record)}, and it has none any more"
        return Missing(replace(subject, told={"missing": Told(gone, Drop)}), Lost())
    return _judge_rule(world, subject, mine, base)


def _unlisted_evidence(world: World, taken: set[tuple[str, str]], known: set[Unit]) -> Iterator[Evidence]:
    """Rules that nobody wrote down, each under the last of the parents' sheets that says otherwise."""
    paths = own_sheets(world)
    above = [(world.ancestor(slug), path) for slug, path in reversed(loaded_sheets(world)) if slug != world.child.slug]
    for own in reversed(paths):  # of two the later one counts
        for name, mine in rules_of(world, world.child, own).items():
            for theme, path in above if (own, name) not in taken else ():
                theirs = rules_of(world, theme, path).get(name, ())
                unit = address_of(path, theirs[0].selector) if theirs else None
                if theme is None or unit is None or unit in known or not _says_otherwise(mine, theirs):
                    continue
                known.add(unit)
                called = mine[0].selector if mine[0].selector != unit.name else ""
                subject = Subject(
                    unit=unit, listed=False, how="set", file=own, origin=theme.slug, inside=True,
                    written=Written(own, called),
                )  # fmt: skip
                found = _judge_rule(world, subject, mine, None)
                if not isinstance(found, Unreached):
                    yield found
                break


def _says_otherwise(mine: Sequence[StyleRule], theirs: Sequence[StyleRule]) -> bool:
    """Whether both say something of one property, and not the same."""
    return bool(bearing_on(theirs, longhands_of(mine))) and not says_the_same(mine, theirs)


# Judged


def _judge_rule(world: World, subject: Subject, mine: Sequence[StyleRule], base: bytes | None) -> Evidence:
    unit, selector = subject.unit, subject.unit.name or ""
    subject = replace(subject, line=mine[0].line)
    ours = text_of(selector, mine)
    if world.lineage.cut:
        return unknowable(world, subject, world.lineage.cut, blob_digest(ours))
    theme = supplier(world, unit.path) or world.ancestor(subject.origin)
    theirs = of_selector(rules_of(world, theme, unit.path), selector)
    now = text_of(selector, theirs)
    source = Supplied(blob_digest(now), now)
    wanted = longhands_of(mine)
    then = text_of(selector, part_of(every_rule(rules_in(base)), wanted)) if base is not None else None
    now_of_it = text_of(selector, part_of(theirs, wanted))
    part = Part(ours, now_of_it, "css", mine[0].line, theirs[0].line if theirs else 1, unit.path, then)
    changes = changes_in(base, mine, theirs) if base is not None and subject.base != source.digest else []
    own = Own(blob_digest(ours), part=part, adds=tuple(name for name, _ in changes))
    if theme is not None:
        subject = replace(subject, now_from=theme.slug, now=theme.release, now_at=unit.path)
    usage = _usage(world, subject.file)
    if usage.reach != "yes":
        return _not_loaded(world, subject, own, source, usage)
    lost = fate.lost_names(world, mine)
    if theme is not None and (lost or not theirs):
        gone = fate.gone_of(world, unit, lost, base)
        if lost or len(gone.found) == 1:
            return _gone_evidence(world, subject, own, gone)
    beaten = _beaten(world, subject.file, mine)
    if beaten is not None:
        return _outranked_evidence(world, subject, own, source, *beaten)
    clash, told = "", dict[str, Told]()
    new = properties.renamed_properties(world, mine, base, theirs) if changes else {}
    if new and theme is not None:
        clash = ", ".join(f"{name}{f' ({now} has the value it had)' if now else ''}" for name, now in new.items())
        step = Mend if all(new.values()) else Settle
        told["conflicted"] = Told(
            f"nothing in the lineage asks for {clash} any more, which {quote_path(subject.file)} line {subject.line} sets",
            step,
        )
    has = f"{theme.label if theme else 'the parent'} says {words(theirs, mine)} there"
    has += f" ({where(world, theme, unit.path, theirs[0].line)})" if theme and theirs else ""
    said = f"{quote_path(subject.file)} line {subject.line} says {words(mine, mine)} for {selector}"
    others = [] if theirs else [each.selector for each in fate.alike(world, unit, base)]
    maybe = f"; it may be {' or '.join(others[:3])} now" if others else ""
    told |= {
        "holds": Told(f"{said}; {has}"),
        "needless": Told(f"{said}, and {has}", Drop),
        "unlisted": Told(f"{said}; {has}, and no record says which release it was made for", Adopt(world.child.slug)),
        "collides": Told(
            f"{theme.label if theme else ''} has a rule for it now, which no release before it had: {said}; {has}",
            Adopt(world.child.slug),
        ),
        "drifted": Told(f"{said_changes(theme, unit.path, theirs, world, changes)}{maybe}; {said}", Settle),
    }
    same = (
        bool(theirs)
        and says_the_same(mine, theirs)
        and not (
            theme is None
            or _is_needed(world, _Sides((world.child.slug, subject.file), (theme.slug, unit.path)), mine, theirs)
        )
    )
    return Present(replace(subject, told=told), own, source, same=same, clash=clash)


def _usage(world: World, path: str) -> use.Use:
    """Whether a sheet of the child loads."""
    rule = world.platform.rule_of(path)
    if (world.child.slug, path) in loaded_sheets(world):
        return use.Use("yes")
    return use.of(world, path, rule) if rule is not None else use.Use("no", "it is no file that the platform looks for")


def _not_loaded(world: World, subject: Subject, own: Own, source: Supplied, usage: use.Use) -> Evidence:
    why = f"{quote_path(subject.file)}, in which it stands, does not load for certain: {usage.because}"
    if usage.reach == "unknown":
        return Unknowable(
            replace(subject, told={"unknown": Told(why, Explain(f"style:{quote_path(subject.file)}"))}),
            replace(own, reach="unknown", why=usage.because), Unseen(why),
        )  # fmt: skip
    address = f"style:{quote_path(subject.file)}"
    step = Mend(address, world.child.slug) if usage.mendable else Explain(address, world.child.slug)
    why = f"{quote_path(subject.file)}, in which it stands, never loads: {usage.because}"
    told = {"idle": Told(why, step)}
    return Unreached(replace(subject, told=told), replace(own, reach="no", why=usage.because), source, Mend)


def _gone_evidence(world: World, subject: Subject, own: Own, found: fate.Fate) -> Gone:
    """No rule for it further up any more, or nothing that it could match."""
    own = replace(own, part=None)
    if len(found.found) == 1:
        new = found.found[0]
        there = Candidate(new.theme, f"{new.path}#{new.selector}", 1.0)
        return Gone(replace(subject, told={"moved": Told(f"{found.why}{new.why}", Update)}), own, Lost((there,)))
    several = f"; it may be {' or '.join(each.selector for each in found.found[:3])}" if found.found else ""
    return Gone(replace(subject, told={"stranded": Told(f"{found.why}{several}", Drop)}), own, Lost())


def _beaten(world: World, path: str, mine: Sequence[StyleRule]) -> tuple[Styles, list[Losing]] | None:
    """What wins over a rule wherever it would count, where that is so of all that it says."""
    child, said = world.child.slug, sum(len(rule.declarations) for rule in mine)
    every = [
        styles for surface in surfaces(world) if number_of(styles := styles_of(world, surface), child, path) is not None
    ]
    found = [(styles, losing(styles, child, path, mine)) for styles in every]
    lost = [sum(len(each.lost) for each in losing_ones) for _, losing_ones in found]
    return found[0] if said and found and all(number == said for number in lost) else None


def _outranked_evidence(
    world: World, subject: Subject, own: Own, source: Supplied, styles: Styles, found: list[Losing]
) -> Unreached:
    declaration, rival = found[0].lost[0]
    change = least(styles, world.child.slug, subject.file, found[0].rule)
    why = f"{declaration_text(declaration)} never counts: {winner(styles, rival)}"
    helps = f"; with {change.in_words(found[0].rule.selector)} it wins" if change is not None else ""
    address = subject.unit.address
    step: type[Mend] | Explain = Mend if change is not None else Explain(address, world.child.slug)
    told = {"idle": Told(why + helps, step)}
    return Unreached(replace(subject, told=told), replace(own, reach="no", why=why), source, Mend)


class _Sides(NamedTuple):
    """Where a rule of the child's and the one of the parents stand."""

    own: tuple[str, str]
    theirs: tuple[str, str]


def _is_needed(world: World, sides: _Sides, mine: Sequence[StyleRule], theirs: Sequence[StyleRule]) -> bool:
    """Whether something else would win without it on some surface: what the child's rule wins over, and the parents' does not."""
    every = [styles_of(world, surface) for surface in surfaces(world)]
    loading = [styles for styles in every if number_of(styles, *sides.own) is not None]
    return not loading or any(_is_needed_on(styles, sides, mine, theirs) for styles in loading)


def _is_needed_on(styles: Styles, sides: _Sides, mine: Sequence[StyleRule], theirs: Sequence[StyleRule]) -> bool:
    own, above = number_of(styles, *sides.own), number_of(styles, *sides.theirs)
    if own is None or above is None or styles.unread:
        return True
    for rule in mine:
        for each in rule.declarations:
            twin = _twin(each, rule, theirs)
            over_mine = _over(styles, each, rule, own)
            over_theirs = _over(styles, *twin, above) if twin is not None else None
            if over_mine is None or over_theirs is None:
                return True
            between = {key: said for key, said in over_theirs.items() if key not in over_mine and key[0] != own}
            if any(said[1:3] != each[1:3] for said in between.values()):
                return True
    return False


def _twin(
    said: StyleDeclaration, of: StyleRule, theirs: Sequence[StyleRule]
) -> tuple[StyleDeclaration, StyleRule] | None:
    """The parents' declaration that says just the same in the same place."""
    found = [
        (each, rule)
        for rule in theirs
        for each in rule.declarations
        if each[:3] == said[:3] and (rule.layer, rule.conditions) == (of.layer, of.conditions)
    ]
    return found[-1] if found else None


def _over(
    styles: Styles, each: StyleDeclaration, rule: StyleRule, sheet: int
) -> dict[tuple[int, int, StyleDeclaration], StyleDeclaration] | None:
    """What wins over a declaration somewhere; None where that can't be told."""
    found = styles.competing.rivals(each, with_surroundings(styles, sheet, rule), sheet)
    if isinstance(found, str):
        return None
    won = [rival.candidate for rival in found if rival.wins]
    return {(c.sheet, c.rule.number, c.declaration): c.declaration for c in won}
