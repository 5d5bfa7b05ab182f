"""Functions of an ancestor that the child replaces: by the same name, by the platform's pattern, or off their points and on again."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.files.listing import blob_digest
from protypon.core.model.actions import Drop, Mend, Settle, Update
from protypon.core.model.evidence import (
    Evidence,
    Lost,
    Missing,
    Own,
    Present,
    Stops,
    Subject,
    Told,
    Unknowable,
    Unreached,
    Unseen,
)
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.units.claimed import unknowable
from protypon.core.units.copied import in_copied_file, part_of, supplied_text, without_record, words
from protypon.core.units.declarations import text_of
from protypon.core.units.draft import Draft
from protypon.core.units.function.fate import gone_evidence
from protypon.core.units.function.own_words import names_of, own_words
from protypon.core.units.function.use import clash, lost_attachments, reach
from protypon.core.units.function.write import replace_function
from protypon.core.units.parent_functions import Origin, folds, functions_in, origin_of, own_function
from protypon.core.units.places import place_words
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World

OPTIONS = frozenset[str]()


def supplied_units(world: World, theme: Theme) -> list[Unit]:
    """The functions of a theme that the whole site knows, or that are attached somewhere."""
    behaviour = world.behaviour
    if not behaviour.speaks or world.lineage.cut:
        return []
    names = {o.name for o in functions_in(behaviour, (theme,)) if "\\" not in o.name}
    return [Unit("function", name) for name in sorted(names)]


def find(world: World) -> list[Evidence]:
    """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
    records = [r for r in world.records.values() if r.unit.kind == "function"]
    found = [_listed_evidence(world, record, records) for record in records]
    if world.behaviour.speaks and not world.lineage.cut and world.behaviour.broken is None:
        found += _unlisted_evidence(world, {same for r in records for same in (r.unit.path, r.written.called) if same})
    return found


# Without a record


def _unlisted_evidence(world: World, listed: set[str]) -> Iterator[Evidence]:
    """Functions of the child that stand for one of the parents', and nobody wrote down."""
    parents = world.behaviour.parents
    if parents is None or world.behaviour.state.stopped is not None:
        return
    known = {name.lower() for name in listed}
    for declared in list(world.behaviour.state.functions.values()):
        if declared.site.theme != world.child.slug or in_copied_file(world, declared.site.path) or declared.doubt:
            continue
        name = _stands_for(world, parents, declared.name)
        if name is None or name.lower() in known or declared.name.lower() in known:
            continue
        origin = origin_of(world, name)
        own = own_function(world, declared.name, declared.site.path)
        if origin is None or own is None:
            continue
        unit = Unit("function", origin.name)
        text, theirs = own_words(world, own, {declared.name: origin.name}), text_of(world, origin)
        subject = Subject(
            inside=True, unit=unit, listed=False, how="replace", file=own.path, line=own.function.line,
            origin=origin.theme.slug, now_from=origin.theme.slug, now=origin.theme.release,
            written=Written(own.path, own.name if own.name != origin.name else ""),
            told=without_record(world, own, origin),
        )  # fmt: skip
        yield Present(subject, Own(blob_digest(text)), supplied_text(theirs), same=text == theirs)


def _stands_for(world: World, parents: Behaviour, name: str) -> str | None:
    """The parents' function that the child's one of a name takes the place of."""
    key = name.lower() if folds(world) else name
    if key in parents.state.functions:
        return parents.state.functions[key].name
    rules = world.platform.code
    if rules.meaning("summon") is None or rules.pattern == "{name}":
        return None
    head, _, tail = rules.function_name("\0", world.child.slug).partition("\0")
    if not (name.lower().startswith(head.lower()) and name.lower().endswith(tail.lower())):
        return None
    base = name[len(head) : len(name) - len(tail) or None]
    if not any(s.meaning.does == "summon" and s.name == base for s in world.behaviour.said):
        return None
    for theme in world.ancestors:
        full = rules.function_name(base, theme.slug)
        if full.lower() in parents.state.functions or full in parents.state.functions:
            return full
    return None


# With a record


def _listed_evidence(world: World, record: Record, records: list[Record]) -> Evidence:
    name = record.written.called or record.unit.path
    own = own_function(world, name, record.written.file)
    origin = origin_of(world, record.unit.path) if not world.lineage.cut else None
    subject = Subject(
        inside=True, unit=record.unit, listed=True, how=record.how, file=own.path if own is not None else record.written.file,
        line=own.function.line if own is not None else None, base=record.digest, base_here=world.snapshot.blob(record.digest) is not None,
        origin=record.source, taken=record.release, sure=record.sure,
    )  # fmt: skip
    if own is None:
        gone_words = (
            f"the ledger says {name} in {subject.file} stands in the place of {record.unit.path}, and it is gone"
        )
        return Missing(replace(subject, told={"missing": Told(gone_words, Drop)}), Lost())
    text = own_words(world, own, names_of(record, records))
    digest = blob_digest(text)
    if world.lineage.cut:
        return Unknowable(subject, Own(digest), Unseen(world.lineage.cut))
    fatal = _fatal(world, own, record)
    if fatal:
        source = Lost() if origin is None else supplied_text(text_of(world, origin))
        return Stops(replace(subject, told=_fatal_words(world, fatal, record)), Own(digest, "no"), source, fatal)
    if world.behaviour.uncertain:
        return unknowable(world, subject, world.behaviour.uncertain, digest)
    if origin is None:
        return gone_evidence(world, subject, digest, record)
    return _there(world, subject, record, own, origin, text)


def _there(world: World, subject: Subject, record: Record, own: Origin, origin: Origin, text: bytes) -> Evidence:
    source = supplied_text(text_of(world, origin))
    subject = replace(subject, now_from=origin.theme.slug, now=origin.theme.release)
    reached, because = reach(world, record, own, origin)
    left_off = lost_attachments(world, record, origin)
    changed = source.digest != record.digest
    breaks = clash(world, record, own, origin) if changed else left_off
    told = words(subject, source.digest, own, origin)
    part = part_of(world, own, text, origin, source.text)
    mine = Own(blob_digest(text), reached, because, part=part)
    if reached == "no":
        step: type[Mend | Drop] = Mend if record.how == "detach" else Drop
        return Unreached(replace(subject, told=told | {"idle": Told(because, step)}), mine, source, step)
    if breaks:
        told["conflicted"] = Told(breaks, Update if changed and not left_off else Settle)
    return Present(replace(subject, told=told), mine, source, same=text == source.text, clash=breaks)


def _fatal(world: World, own: Origin, record: Record) -> str:
    """Whether the child's function is one of two of a name that stop the site."""
    stopped = world.behaviour.state.stopped
    if stopped is None or stopped.code != "declared-twice":
        return ""
    places = [s for s in (stopped.site, stopped.other) if s is not None]
    if not any((s.theme, s.path, s.line) == (own.place.theme, own.place.path, own.place.line) for s in places):
        return ""
    other = next((s for s in places if s.theme != world.child.slug), None)
    return f"{place_words(own.place)} declares {own.name}, and so does {place_words(other) if other else 'another file'}, which has no guard any more"


def _fatal_words(world: World, fatal: str, record: Record) -> dict[str, Told]:
    """What can be written in its place, found by trying."""
    from protypon.core.model.errors import ProtyponError
    from protypon.core.units.function import remove
    from protypon.core.units.function.write import again
    from protypon.core.units.taking_out import out_of

    try:
        again(out_of(Draft(world), record, (), remove), record, {})
    except ProtyponError as error:
        return {"fatal": Told(f"{fatal}: the site stops; {error.message}", Drop)}
    return {
        "fatal": Told(f"{fatal}: the site stops; it can be taken off its point and put back under another name", Mend)
    }


# Writing and taking out


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Write an override into the child's code. Raises ProtyponError with what stands in the way."""
    placed = replace_function(draft, unit.path)
    own_unit = Unit("function", placed.copies[0].origin.name)
    chain = [c for c in placed.copies if c.origin.name != own_unit.path]
    notes = [(note, None) for note in placed.notes]
    return Outcome(
        placed.draft,
        tuple(placed.records(own_unit, asked.why)),
        tuple((c.origin.theme, c.text) for c in placed.copies),
        f"{own_unit.path} of {placed.copies[0].origin.theme.label}: {placed.why}",
        placed.file,
        tuple(notes),
        tuple(
            f"{c.origin.name} is copied too, as {c.called}"
            if c.called != c.origin.name
            else f"{c.origin.name} is copied too"
            for c in chain
        ),
        placed.copies[0].called,
    )
