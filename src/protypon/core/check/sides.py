"""One override as three texts: what it was taken from, what the child made of it, and what the parent has now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from protypon.core.check.comparing import source_path
from protypon.core.languages.outline import around
from protypon.core.merge.regions import Region, regions
from protypon.core.merge.three_way import is_binary
from protypon.core.model.actions import Adopt, Check, Keep
from protypon.core.model.errors import ProtyponError
from protypon.core.model.evidence import Lost, Subject, Supplied, Verdict, own_of
from protypon.core.model.nouns import Record
from protypon.core.model.paths import quote_path
from protypon.core.units.draft import Draft
from protypon.core.units.registry import is_in_code, texts_of
from protypon.core.units.world import World


@dataclass(frozen=True, slots=True)
class OneText:
    """One of the three texts."""

    label: str
    file: str
    """Where it stands, as a person reads it."""
    text: bytes


@dataclass(frozen=True, slots=True)
class Sides:
    """All three, with what each side changed."""

    verdict: Verdict
    base: OneText
    """Of an override without a record: what the parent has now."""
    ours: OneText | None
    """None for what does something and is no text."""
    theirs: OneText | None
    """None where nothing stands further up any more."""
    regions: tuple[Region, ...]
    """Where either side changed something; nothing for texts that are binary."""

    @property
    def binary(self) -> bool:
        """Whether one of them is no text."""
        return any(is_binary(side.text) for side in (self.base, self.ours, self.theirs) if side is not None)


def sides_of(world: World, verdict: Verdict) -> Sides:
    """The three texts of an override. Raises ProtyponError where what it was taken from is not known."""
    o = verdict.subject
    rule = world.platform.rule_of(o.file)
    ours, theirs = _now(world, verdict)
    own = own_of(verdict.evidence)
    kept = own.part.base if own is not None and own.part is not None else None
    base = _base_side(world, o, kept) if o.base is not None else theirs
    if base is None:
        raise ProtyponError(
            f"{o.unit.address}: no record says what it was taken from", ("begin one with: ", Adopt(world.child.slug))
        )
    if ours is None and theirs is None:
        raise ProtyponError(
            f"{o.unit.address}: there is nothing to compare", ("see how it stands with: ", Check(world.child.slug))
        )
    found = _place_regions(
        base.text, (ours or base).text, (theirs or base).text, rule.language if rule is not None else "plain"
    )
    return Sides(verdict, base, ours, theirs, tuple(found))


def _base_side(world: World, o: Subject, part: bytes | None) -> OneText:
    """What it was taken from; ``part`` where that is a part of the text that is kept."""
    label = f"{o.origin} {o.taken or ''}".strip()
    text = part if part is not None else world.snapshot.blob(o.base) if o.base else None
    if text is None:
        raise ProtyponError(
            f"{o.unit.address}: {label}, which it was taken from, is not in this store",
            ("keep that release with: ", Keep("PATH", o.taken or "")),
        )
    return OneText(label, label, text)


def _now(world: World, verdict: Verdict) -> tuple[OneText | None, OneText | None]:
    """The child's text and the parent's."""
    o, own = verdict.subject, own_of(verdict.evidence)
    part = own.part if own is not None else None
    label, file = f"{o.now_from or o.origin} {o.now or ''}".strip(), quote_path(o.file)
    if part is not None:
        at = f"{o.now_from}/{quote_path(part.parent_file or o.now_at or o.unit.path)}"
        return OneText(world.child.slug, file, part.ours), OneText(label, at, part.theirs)
    if is_in_code(o.unit):
        texts = texts_of(o.unit.kind)
        record = world.records.get(o.unit, Record(o.unit, o.how, o.origin or "", o.taken, o.base or ""))
        text = texts.own(Draft(world), record) if texts is not None else None
        source = verdict.evidence.source
        return (
            OneText(world.child.slug, file, text) if text is not None else None,
            OneText(label, label, source.text) if isinstance(source, Supplied) and source.text else None,
        )
    there = o.file in world.child.files
    return (
        OneText(world.child.slug, file, world.snapshot.read(world.child, o.file)) if there else None,
        _file_now(world, verdict, label),
    )


def _place_regions(base: bytes, ours: bytes, theirs: bytes, language: str) -> Iterator[Region]:
    """The regions of three texts, each with where in the base it stands."""
    from protypon.core.store.git import hunks

    if any(map(is_binary, (base, ours, theirs))):
        return
    text = base.decode("utf-8", "replace")
    for region in regions(base, ours, theirs, hunks):
        line = min(change.start for change in (*region.parent, *region.child))
        yield region._replace(place=around(text, max(line, 1), language))


def _file_now(world: World, verdict: Verdict, label: str) -> OneText | None:
    """What stands further up now, also under another name."""
    o, source = verdict.subject, verdict.evidence.source
    if isinstance(source, Lost) and len(source.moved) == 1:
        theme, path = world.ancestor(source.moved[0].theme), source.moved[0].path
    else:
        theme, path = world.supplier(o.now_from), source_path(world, o)
    if theme is None or path not in theme.files:
        return None
    return OneText(label, f"{theme.slug}/{quote_path(path)}", world.snapshot.read(theme, path))
