"""Overrides of whole files: a file of the child that takes the place of one further up, adds to it, or was meant to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple, cast

from protypon.core.merge import likeness
from protypon.core.model.actions import Drop, Mend, Settle
from protypon.core.model.evidence import (
    Candidate,
    Evidence,
    Gone,
    Lost,
    Missing,
    Own,
    Present,
    Source,
    Stops,
    Subject,
    Supplied,
    Told,
    Unknowable,
    Unreached,
    Unseen,
    Went,
)
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.model.paths import Entry, quote_path
from protypon.core.platform.format import KINDS
from protypon.core.platform.platform import FileRule
from protypon.core.themes import page_kinds
from protypon.core.themes.inheritance import Supply
from protypon.core.units.block_files import block_file
from protypon.core.units.file import headed, use
from protypon.core.units.keyed_files import keyed_rule
from protypon.core.units.next_steps import own_file
from protypon.core.units.searched import searched_as, stands_at, why_unknown
from protypon.core.units.world import World


class Located(NamedTuple):
    """Where O is, and why the platform does not look there, if so."""

    path: str
    entry: Entry | None
    stray: str = ""


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """The files of a theme that a child can take the place of."""
    units = []
    for path in sorted(theme.files):
        rule = world.platform.rule_of(path)
        other = path != theme.manifest or headed.is_headed(world.platform, theme, path)
        told_whole = rule is not None and rule.combine != "load" and keyed_rule(world.platform, path) is None
        if rule is not None and told_whole and other and world.platform.is_inherited(path):
            units.append(Unit(rule.kind, path))
    return units


def find(world: World) -> list[Evidence]:
    """The evidence of every listed override, then of every file that overrides without a record."""
    found: list[Evidence] = []
    own = headed.find(world)
    if own is not None:
        found.append(own)
    for record in world.records.values():
        is_file = (
            record.unit.kind in KINDS and record.unit.name is None and not _is_told_by_parts(world, record.unit.path)
        )
        if is_file and (own is None or record.unit != own.subject.unit):
            with world.snapshot.trace.override_of(record.unit.path):
                found.append(_listed_evidence(world, record))
    taken = {e.subject.file for e in found}
    units = {e.subject.unit for e in found}
    for path in sorted(world.child.files):
        evidence = None if path in taken or path == world.child.manifest else _unlisted_evidence(world, path)
        if evidence is not None and evidence.subject.unit not in units:
            units.add(evidence.subject.unit)
            found.append(evidence)
    return found


def _is_told_by_parts(world: World, path: str) -> bool:
    """Whether a file is no unit, but its blocks or its keys are."""
    return keyed_rule(world.platform, path) is not None or block_file(world, stands_at(world, path)) is not None


def _rule(world: World, unit: Unit) -> FileRule:
    rule = world.platform.rule_of(unit.path)
    return rule or FileRule(unit.kind, ())


def compared_again(world: World, record: Record) -> Evidence:
    """The evidence of an override of which it is known that the platform uses it as ever."""
    own = headed.find(world) if record.unit.path == world.child.manifest else None
    if own is not None:
        return own
    with world.snapshot.trace.override_of(record.unit.path):
        return _listed_evidence(world, record, use.Use("yes"))


def _listed_evidence(world: World, record: Record, usage: use.Use | None = None) -> Evidence:
    unit = record.unit
    rule = _rule(world, unit)
    located = _locate(world, unit, rule)
    if usage is None and located.path != unit.path and searched_as(world, located.path):
        usage = use.Use("unknown", why_unknown(located.path))
    theirs = _theirs(world, located.path, unit.path, rule, record)
    base_here = (theirs is not None and theirs.digest == record.digest) or world.snapshot.blob(
        record.digest
    ) is not None
    return _evidence(world, unit, rule, located, theirs, record, base_here, usage)


def _unlisted_evidence(world: World, path: str) -> Evidence | None:
    """A file without a record: an override if it has a counterpart further up, or was plainly meant to."""
    rule = world.platform.rule_of(path)
    if rule is not None and (rule.combine == "load" or not world.platform.is_inherited(path)):
        return None
    if _is_told_by_parts(world, path):
        return None
    if rule is not None:
        theirs = _theirs(world, path, path, rule, None)
        if theirs is not None or world.resolver.root_supplies(path):
            unit = Unit(rule.kind, path if theirs is None or rule.lookup == "path" else theirs.path)
            return _evidence(world, unit, rule, Located(path, world.child.files[path]), theirs)
        if path in world.former_paths:
            return _evidence(world, Unit(rule.kind, path), rule, Located(path, world.child.files[path]), None)
    name = searched_as(world, path)
    if rule is not None and name:
        usage = use.Use("unknown", why_unknown(path))
        located, theirs = Located(path, world.child.files[path]), world.resolver.without(world.child, path, name, rule)
        return _evidence(world, Unit(rule.kind, name), rule, located, theirs, usage=usage)
    meant = _meant_counterpart(world, path, rule)
    if meant is None:
        return None
    other, why = meant
    other_rule = world.platform.rule_of(other.path)
    assert other_rule is not None
    located = Located(path, world.child.files[path], why)
    return _evidence(world, Unit(other_rule.kind, other.path), other_rule, located, other)


# Where O is


def _locate(world: World, unit: Unit, rule: FileRule) -> Located:
    files = world.child.files
    if unit.path in files:
        return Located(unit.path, files[unit.path])
    if rule.lookup == "name":
        same = [
            p
            for p in files
            if p.rpartition("/")[2] == unit.path.rpartition("/")[2] and world.platform.rule_of(p) == rule
        ]
        if same:
            return Located(same[0], files[same[0]])
    if (searched := stands_at(world, unit.path)) != unit.path:
        return Located(searched, files[searched])
    for path in _strays(world).get(unit.path.casefold(), ()):
        why = _stray(path, unit.path)
        if why:
            return Located(path, files[path], why)
    return Located(unit.path, None)


def _strays(world: World) -> dict[str, list[str]]:
    """The child's files without a record, by every path that each may have been meant for, letter case aside."""
    if "strays" not in world.memo:
        listed = {record.unit.path for record in world.records.values()}
        found: dict[str, list[str]] = {}
        for path in sorted(world.child.files.keys() - listed):
            folded = path.casefold()
            name = folded.rpartition("/")[2]
            ends = [len(folded) - len(name) + at for at, char in enumerate(name) if char == "."]
            for end in (*ends, len(folded)):
                found.setdefault(folded[:end], []).append(path)
        world.memo["strays"] = found
    return cast("dict[str, list[str]]", world.memo["strays"])


def _stray(path: str, meant: str) -> str:
    """Why ``path`` is not ``meant``, if it was plainly meant to be: letter case, or an ending too many."""
    if path == meant:
        return ""
    if path.casefold() == meant.casefold():
        return "the letter case differs"
    if path.casefold().startswith(meant.casefold() + ".") and "/" not in path[len(meant) :]:
        return f"it ends in {path[len(meant) :]}"
    return ""


def _meant_counterpart(world: World, path: str, rule: FileRule | None) -> tuple[Supply, str] | None:
    """The file further up that a file without a counterpart was meant to replace, and why it does not."""
    for theme in world.ancestors:
        for other in _similar_names(world, theme, path):
            other_rule = world.platform.rule_of(other)
            if other_rule is None or other_rule.combine == "load" or other in world.child.files:
                continue
            why = _stray(path, other) or _other_folder(world, path, rule, theme, other)
            if why:
                return Supply(theme, other), why
    return None


def _similar_names(world: World, theme: Theme, path: str) -> Iterator[str]:
    """The files of an ancestor that are called like ``path``, letter case and further endings aside."""
    name = path.rpartition("/")[2].casefold()
    ends = [at for at, char in enumerate(name) if char == "."] + [len(name)]
    for end in ends:
        yield from world.snapshot.names(theme).get(name[:end], ())


def _other_folder(world: World, path: str, rule: FileRule | None, theme: Theme, other: str) -> str:
    """A copy under the right name in the wrong folder: never asked for, and too alike to be a file of its own."""
    if path.rpartition("/")[2] != other.rpartition("/")[2]:
        return ""
    may_be_used = rule is not None and rule.kind not in ("asset", "text", "setting")
    if rule is not None and may_be_used and use.of(world, path, rule).reach != "no":
        return ""
    texts = world.snapshot.read(world.child, path), world.snapshot.read(theme, other)
    wanted = 1.0 if rule is not None and rule.kind == "asset" else 0.6
    if likeness.alike(*texts) < wanted:
        return ""
    return f"it lies in another folder than {quote_path(other)}"


# T, and the evidence


def _theirs(world: World, path: str, name: str, rule: FileRule, record: Record | None) -> Supply | None:
    """What the platform would use without O; for a pinned record, what the ancestor it was taken from has."""
    if record is not None and record.pinned:
        source = world.ancestor(record.source)
        return Supply(source, name) if source is not None and name in source.files else None
    found = world.resolver.without(world.child, path, name, rule)
    if found is not None or rule.kind != "template" or (record is None and not _is_variant(world, path)):
        return found
    return page_kinds.without(world.resolver, world.child, path)


def _is_variant(world: World, path: str) -> bool:
    """Whether a template without a record is a changed copy of the one that a page would have without it."""
    broader = page_kinds.without(world.resolver, world.child, path)
    return (
        broader is not None
        and likeness.alike(world.snapshot.read(world.child, path), world.snapshot.read(*broader)) >= likeness.ALIKE
    )


def _evidence(
    world: World,
    unit: Unit,
    rule: FileRule,
    located: Located,
    theirs: Supply | None,
    record: Record | None = None,
    base_here: bool = True,
    usage: use.Use | None = None,
) -> Evidence:
    """What an override of a file comes to; the first that fits."""
    source = _source(world, unit, rule, located, theirs, record)
    how = _how(world, rule, located, theirs, record)
    stops, line = _stops(world, rule, located)
    subject = Subject(
        unit=unit,
        listed=record is not None,
        how=how,
        file=located.path,
        line=line,
        base=record.digest if record else None,
        base_here=base_here,
        origin=record.source if record else (theirs.theme.slug if theirs else world.lineage.root),
        taken=record.release if record else None,
        now_from=theirs.theme.slug if theirs else None,
        now_at=theirs.path if theirs else "",
        now=theirs.theme.release if theirs else None,
        sure=record.sure if record else "",
    )
    if located.entry is None:
        return Missing(subject, source)
    if located.stray:
        usage = use.Use("no", located.stray)
    usage = usage or use.of(world, located.path, rule)
    own = Own(located.entry.digest, usage.reach, usage.because)
    if stops and usage.reach == "yes":
        return Stops(subject, own, source, stops)
    if stops and usage.reach == "unknown":
        return _perhaps_stops(subject, own, stops)
    if isinstance(source, Lost):
        elsewhere = world.platform.templates.elsewhere if rule.kind == "template" else ""
        if elsewhere and subject.listed and not (source.moved or source.referred):
            return _perhaps_named(world, subject, own, source, elsewhere)
        return Gone(_of_another_lineage(world, subject, source), own, source)
    if usage.reach == "no":
        return Unreached(subject, own, source, Mend if located.stray or usage.mendable else Drop)
    if isinstance(source, Unseen):
        return Unknowable(subject, own, source)
    if rule.combine == "overlay" and subject.listed and subject.base != source.digest:
        return _unread(subject, own)
    same = source.digest == own.text
    return Present(
        subject,
        own,
        source,
        same,
        needed=_why_needed(world, located, theirs) if same and theirs else "",
        nearer=_nearer(world, unit, record),
    )


def _perhaps_stops(subject: Subject, own: Own, stops: str) -> Unknowable:
    """A file that does not parse, and of which it is not known whether it is used."""
    why = f"{stops}: it stops the site where it is used; whether it is can't be told: {own.why}"
    return Unknowable(replace(subject, told={"unknown": Told(why, Drop)}), own, Unseen(why))


def _unread(subject: Subject, own: Own) -> Unknowable:
    """An override that only adds, to a text that changed, in a language whose keys are not read."""
    why = f"{subject.now_from} {subject.now or ''} changed {quote_path(subject.unit.path)}, and it can't be read which keys"
    return Unknowable(replace(subject, told={"unknown": Told(why, Settle)}), own, Unseen(why))


def _of_another_lineage(world: World, subject: Subject, source: Lost) -> Subject:
    """What is said where the theme that it was taken from is no parent any more: that one may have it still."""
    if not subject.listed or world.ancestor(subject.origin) is not None:
        return subject
    origin = subject.origin or ""
    words = f"{world.label_now(origin)} has no {quote_path(subject.unit.path)}; {origin}, which it was taken from, is no parent of {world.child.slug} any more"
    named = f"{words}; {source.referred} still names it, and yours is used"
    return replace(subject, told={**subject.told, "stranded": Told(words, Drop), "holds": Told(named)})


def _perhaps_named(world: World, subject: Subject, own: Own, source: Lost, elsewhere: str) -> Unknowable:
    """A template that no ancestor has any more and nothing here names, where something that is not here may."""
    since = f"since {source.since}" if source.since else "now"
    why = f"{subject.origin} has no {quote_path(subject.unit.path)} {since}; whether it is still used can't be told, for {elsewhere} may name it"
    told = {"unknown": Told(why, Settle)}
    return Unknowable(
        replace(subject, told=told), replace(own, reach="unknown", why=f"{elsewhere} may name it"), Unseen(why)
    )


def _source(
    world: World, unit: Unit, rule: FileRule, located: Located, theirs: Supply | None, record: Record | None
) -> Source:
    """What stands further up; of a text that is not there any more what became of it: moved, still named by somebody, or gone since a release."""
    if theirs is not None:
        return _supplied_source(world, rule, theirs, record)
    if world.lineage.cut or world.resolver.root_supplies(unit.path):
        return Unseen(world.lineage.cut)
    if record is None:
        return Lost()
    base = world.snapshot.blob(record.digest)
    moved = tuple(_move_candidates(world, record, rule, base))
    went = () if moved else tuple(_went(world, record, rule, base))
    naming = use.who_names(world, located.path if located.entry else unit.path, rule)
    since = _gone_since(world, record)
    if naming is None:
        return Lost(moved, since, went=went)
    return Lost(moved, since, naming.words, went, own_file(world, naming.theme, naming.path))


def _supplied_source(world: World, rule: FileRule, theirs: Supply, record: Record | None) -> Supplied:
    """What stands further up; of a text of which little is left, where the rest of it went."""
    found = Supplied(theirs.digest)
    base = world.snapshot.blob(record.digest) if record is not None and record.digest != theirs.digest else None
    if record is None or base is None or not _is_told(rule, base):
        return found
    left = likeness.alike(base, world.snapshot.read(*theirs))
    return replace(found, left=left, went=tuple(_went(world, record, rule, base))) if left < LITTLE else found


def _is_told(rule: FileRule, base: bytes) -> bool:
    """Whether a text is one of which it is told where its lines went."""
    return rule.kind in ("template", "style", "script") and base.count(b"\n") >= LONG


LONG = 8
"""Lines of a text of which it is told where they went."""
LITTLE = 0.3
"""Below this share, little of a text is left."""
TOGETHER = 3
"""Lines that stand together in another file, from which on they went there."""


def _went(world: World, record: Record, rule: FileRule, base: bytes | None) -> Iterator[Went]:
    """The lines of a text that files have which are new, or were changed since: runs of some length, each where it is longest."""
    if base is None or not _is_told(rule, base):
        return
    lines = [line.strip() for line in base.split(b"\n")]
    runs = [
        Went(supply.path, (first, last))
        for supply in _changed_files(world, record, rule.kind)
        for first, last in _runs(lines, world.snapshot.read(*supply))
    ]
    taken = set[int]()
    for went in sorted(runs, key=lambda went: went.lines[0] - went.lines[1]):
        numbers = set(range(went.lines[0], went.lines[1] + 1))
        if not numbers & taken:
            taken |= numbers
            yield went


def _runs(lines: list[bytes], other: bytes) -> Iterator[tuple[int, int]]:
    """Lines that stand together in another text too, first and last, from 1."""
    there = {line.strip() for line in other.split(b"\n")}
    first = 0
    for number in range(len(lines) + 1):
        if number == len(lines) or (lines[number] and lines[number] not in there):
            if sum(1 for line in lines[first:number] if likeness.weigh(line, {}) > likeness.LETTERS) >= TOGETHER:
                yield first + 1, number
            first = number + 1


def _changed_files(world: World, record: Record, kind: str) -> list[Supply]:
    """The files of one kind further up that are new since a release, or other than in it, but for the one that was copied."""
    release = world.release(record.source, record.release)
    before = world.snapshot.files_of(release) if release else {}
    rows = [
        (theme, path)
        for theme in world.ancestors
        for path, rule in world.platform.ruled(theme.files).rows
        if rule.kind == kind
    ]
    return [
        Supply(theme, path)
        for theme, path in rows
        if path != record.unit.path and before.get(path, (0, ""))[1] != theme.files[path].digest
    ]


def _why_needed(world: World, located: Located, theirs: Supply) -> str:
    """Why a copy that says what the parent says is of use all the same."""
    world.snapshot.trace.lying.add((theirs.theme.slug, theirs.path))
    if theirs.path in theirs.theme.stored:
        return f"the file in the folder of {theirs.theme.slug} was edited, and would be used instead"
    beside = use.needed_beside(world, located.path)
    return f"{beside} asks for it beside itself" if beside else ""


def _how(world: World, rule: FileRule, located: Located, theirs: Supply | None, record: Record | None) -> str:
    if record is not None and (located.entry is None or record.how == "variant"):
        return record.how
    beside = located.stray or searched_as(world, located.path)
    if theirs is not None and theirs.path != located.path and rule.lookup == "path" and not beside:
        return "variant"
    return "copy"


def _stops(world: World, rule: FileRule, located: Located) -> tuple[str, int | None]:
    """Why a file stops the site, if it does, and in which line."""
    if located.entry is None or located.stray or rule.if_broken != "theme":
        return "", None
    problems = world.snapshot.problems(world.child, located.path, rule.language)
    return (str(problems[0]), problems[0].line) if problems else ("", None)


def _nearer(world: World, unit: Unit, record: Record | None) -> str:
    if record is None or not record.pinned:
        return ""
    nearest = next((t.slug for t in world.ancestors if unit.path in t.files), "")
    return nearest if nearest != record.source else ""


# T is gone


def _move_candidates(world: World, record: Record, rule: FileRule, base: bytes | None) -> list[Candidate]:
    """Files further up that were not there when the override was taken and are like its text; ties stay together."""
    new = _new_files(world, record, rule.kind)
    same = [Candidate(s.theme.slug, s.path, 1.0) for s in new.by_digest.get(record.digest, ())]
    if same or base is None:
        return same
    scored = new.index.alike(base)
    best = max(scored.values(), default=0.0)
    if best < likeness.ALIKE:
        return []
    kept = [(score, new.supplies[n]) for n, score in scored.items() if score > best - likeness.TIE]
    return [
        Candidate(s.theme.slug, s.path, round(score, 2))
        for score, s in sorted(kept, key=lambda pair: (-pair[0], pair[1].path))
    ]


@dataclass(frozen=True)
class _NewFiles:
    """The files of one kind further up that one release had not."""

    world: World
    supplies: list[Supply]

    @cached_property
    def by_digest(self) -> dict[str, list[Supply]]:
        found: dict[str, list[Supply]] = {}
        for supply in self.supplies:
            found.setdefault(supply.digest, []).append(supply)
        return found

    @cached_property
    def index(self) -> likeness.Index:
        return likeness.Index([self.world.snapshot.read(*supply) for supply in self.supplies])


def _new_files(world: World, record: Record, kind: str) -> _NewFiles:
    release = world.release(record.source, record.release)
    key = ("new files", kind, release.tree if release else "")
    if key not in world.memo:
        before = world.snapshot.files_of(release) if release else {}
        paths = [(theme, path) for theme in world.ancestors for path in sorted(theme.files) if path not in before]
        rules = ((theme, path, world.platform.rule_of(path)) for theme, path in paths)
        world.memo[key] = _NewFiles(world, [Supply(t, p) for t, p, r in rules if r is not None and r.kind == kind])
    found = world.memo[key]
    assert isinstance(found, _NewFiles)
    return found


def _gone_since(world: World, record: Record) -> str | None:
    """The first kept release without the file, after the one it was taken from; else what is there now."""
    started = False
    for release in world.releases:
        if release.theme != record.source:
            continue
        started = started or release.label == record.release
        if started and record.unit.path not in world.snapshot.files_of(release):
            return release.name
    source = world.ancestor(record.source)
    return source.release if source else None
