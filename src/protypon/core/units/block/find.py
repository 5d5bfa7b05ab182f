"""Blocks that the child's templates set over those of the lineage, each held against what the platform would put there without the child."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.files.listing import blob_digest
from protypon.core.languages.jinja.blocks import BlockText, blocks, decode_template, only_adds, printed_span
from protypon.core.languages.registry import LANGUAGES
from protypon.core.merge.likeness import alike
from protypon.core.model.actions import Drop, Mend
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
    Unreached,
    Unseen,
)
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.themes.inheritance import Supply
from protypon.core.units.block import words
from protypon.core.units.block.successor import successor
from protypon.core.units.block.write import place
from protypon.core.units.block_files import BlockFile, Further, block_file
from protypon.core.units.claimed import unknowable
from protypon.core.units.file import use
from protypon.core.units.searched import searched_as, stands_at
from protypon.core.units.world import World

__all__ = ["OPTIONS", "find", "place", "supplied_units"]
OPTIONS = frozenset({"--around"})
REWRITE = 0.3
"""Below this likeness to what it was taken from, a text is one of its own, and nothing is merged into it."""


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """The blocks of a theme's templates."""
    found = []
    for path, rule in world.platform.ruled(theme.files).rows:
        if rule.kind == "template" and LANGUAGES[rule.language].extends:
            blocks_here = world.resolver.facts(Supply(theme, path), rule).blocks
            found += [Unit("block", path, block.name) for block in blocks_here]
    return found


def find(world: World) -> list[Evidence]:
    """The evidence of every listed block, then of every one that the child sets without a record."""
    records = records_of(world)
    found = [_listed_evidence(world, record) for record in records.values()]
    return found + [e for path in sorted(world.child.files) for e in _unlisted_evidence(world, path, records)]


def records_of(world: World) -> dict[Unit, Record]:
    """The records of blocks; one of a whole template that only extends stands for all blocks of it."""
    found = {record.unit: record for record in world.records.values() if record.unit.kind == "block"}
    for record in world.records.values():
        file = block_file(world, stands_at(world, record.unit.path)) if record.unit.kind == "template" else None
        if file is None:
            continue
        base = world.snapshot.blob(record.digest)
        text = decode_template(base) if base is not None else ""
        parts = {block.name: _printed_text(text, block) for block in blocks(text)}
        for block in file.found:
            unit = Unit("block", file.path, block.name)
            if unit not in found and (block.name in parts or file.further(block.name) is not None):
                digest = blob_digest(parts[block.name]) if block.name in parts else ""
                found[unit] = replace(record, unit=unit, how="extends", digest=digest or _now(file, block.name))
    return found


def _printed_text(text: str, block: BlockText) -> bytes:
    begin, end = printed_span(text, block)
    return text[begin:end].encode("utf-8")


def _now(file: BlockFile, name: str) -> str:
    """What stands further up now, for a block of which nobody wrote down what stood there."""
    further = file.further(name)
    return blob_digest(further.text) if isinstance(further, Further) else ""


# Evidence


def _listed_evidence(world: World, record: Record) -> Evidence:
    unit, path = record.unit, record.unit.path
    subject = Subject(
        inside=True, unit=unit, listed=True, how=record.how, file=path, base=record.digest, origin=record.source, taken=record.release,
        base_here=base_of(world, record) is not None, sure=record.sure, written=record.written,
    )  # fmt: skip
    file = block_file(world, path)
    block = file.block(unit.name or "") if file is not None else None
    if file is None or block is None:
        if world.lineage.cut and path in world.child.files:
            return unknowable(world, subject, world.lineage.cut)
        gone = f"the ledger says {path} sets the block {unit.name}, and it does not any more"
        return Missing(replace(subject, told={"missing": Told(gone, Drop)}), Lost())
    return _of_block(world, file, block, subject, base_of(world, record))


def base_of(world: World, record: Record) -> bytes | None:
    """What a block was taken from; of one that a whole template's record stands for, as that template had it."""
    found = world.snapshot.blob(record.digest)
    if found is not None:
        return found
    path = record.unit.path
    whole = world.records.get(Unit("template", path)) or world.records.get(Unit("template", searched_as(world, path)))
    base = world.snapshot.blob(whole.digest) if whole is not None else None
    text = decode_template(base) if base is not None else ""
    for block in blocks(text):
        if block.name == record.unit.name:
            return _printed_text(text, block)
    file = block_file(world, record.unit.path)
    further = file.further(record.unit.name or "") if file is not None else None
    same = isinstance(further, Further) and blob_digest(further.text) == record.digest
    return further.text if same and isinstance(further, Further) else None


def _unlisted_evidence(world: World, path: str, records: dict[Unit, Record]) -> Iterator[Evidence]:
    """Blocks that a template sets in the place of one that the lineage has under its name, and nobody wrote down."""
    file = block_file(world, path)
    if file is None or not file.counterpart:
        return
    for block in file.found:
        unit = Unit("block", path, block.name)
        if unit in records:
            continue
        further = file.further(block.name)
        source = further.theme if isinstance(further, Further) else None
        subject = Subject(
            inside=True, unit=unit, listed=False, how="extends", file=path, origin=source or world.lineage.root, written=Written(path)
        )  # fmt: skip
        if further is not None:
            yield _of_block(world, file, block, subject, None)
        elif file.runs(block.name) is False:
            yield _unprinted_evidence(world, file, block, subject, None)


def _of_block(world: World, file: BlockFile, block: BlockText, subject: Subject, base: bytes | None) -> Evidence:
    further = file.further(block.name)
    body = file.body(block)
    subject = replace(subject, line=block.line)
    usage, runs = use.of(world, file.path, file.rule), file.runs(block.name)
    own = Own(blob_digest(body), "yes" if runs else "unknown", "" if runs else file.open)
    if usage.reach != "yes" and usage.reach == "unknown":
        own = replace(own, reach="unknown", why=usage.because)
    if usage.reach == "no":
        source = _source(further, file)
        because = f"{file.path} is never used: {usage.because}"
        return Unreached(replace(subject, told={"idle": Told(because, Drop)}), replace(own, reach="no"), source)
    if runs is False:
        return _unprinted_evidence(world, file, block, subject, base)
    if isinstance(further, str) or (further is None and file.open):
        why = (
            further
            if isinstance(further, str)
            else f"what stands there without {world.child.slug} can't be told: {file.open}"
        )
        return unknowable(world, subject, why, own.text)
    if further is None:
        referred = f"{world.child.slug}/{file.path}"
        told = {"holds": Told(f"no parent has the block {block.name} any more; {world.child.slug} prints it itself")}
        return Gone(replace(subject, told=told), own, Lost(referred=referred))
    return _present(world, file, block, subject, own, further, base, body)


def _source(further: Further | str | None, file: BlockFile) -> Supplied | Unseen | Lost:
    if isinstance(further, Further):
        return Supplied(blob_digest(further.text), further.text)
    return Unseen(further or file.open) if further or file.open else Lost()


def _present(
    world: World,
    file: BlockFile,
    block: BlockText,
    subject: Subject,
    own: Own,
    further: Further,
    base: bytes | None,
    body: bytes,
) -> Evidence:
    theme = world.ancestor(further.theme)
    subject = replace(
        subject, now_from=further.theme, now_at=further.path, now=theme.release if theme is not None else None
    )
    source = Supplied(blob_digest(further.text), further.text, of_platform=not further.line)
    if source.of_platform and not subject.listed and not only_adds(block):
        return unknowable(world, subject, words.of_platform(further), own.text)
    changed = subject.base is not None and source.digest != subject.base
    part = Part(
        body,
        further.text,
        file.rule.language,
        _first(file.text, printed_span(file.text, block)[0]),
        max(further.line, 1),
        base=base,
    )
    adds = only_adds(block)
    if adds:
        own = replace(own, adds=())
    elif block.asks or not further.line or (changed and alike(body, base or b"") < REWRITE):
        own = replace(own, adds=(block.name,) if changed else (), part=part)
    else:
        own = replace(own, part=part)
    told = words.verdict_sentences(world, file, block, subject, further, changed, own)
    return Present(
        replace(subject, told=told), own, source, same=body == further.text, needed=_why_needed(world, file, block.name)
    )


def _why_needed(world: World, file: BlockFile, name: str) -> str:
    """Why a block that says what the parents' says is of use all the same: another template of the child sets it too."""
    for chain in file.mine:
        version = chain.inherited.version(name, 1)
        if version is not None and chain.links[version.template].supply.theme is world.child:
            return f"{chain.links[version.template].supply.path} sets it too, and would be printed instead"
    return ""


def _first(text: str, offset: int) -> int:
    return text.count("\n", 0, offset) + 1


def _unprinted_evidence(
    world: World, file: BlockFile, block: BlockText, subject: Subject, base: bytes | None
) -> Evidence:
    """Nothing prints a block: what took its place, where that can be told."""
    further = file.further(block.name)
    own = Own(blob_digest(file.body(block)), "no", words.why_unprinted(file, block, further, base is not None))
    next_one = successor(file, block, base)
    because = own.why
    if next_one is not None:
        because += f"; what it was made of stands in the block {next_one.name} now ({next_one.alike:.0%} alike)"
    moved = (Candidate(next_one.theme, next_one.name, next_one.alike),) if next_one is not None else ()
    step = Mend if moved else Drop
    told = {"idle": Told(because, step)}
    return Unreached(replace(subject, line=block.line, told=told), own, _source(further, file), step, moved)
