"""Functions of an ancestor that the child replaces: by the same name, by the platform's pattern, or off their points and on again."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from protypon.core import likeness
from protypon.core.behaviour import Behaviour
from protypon.core.findings.functions import shown
from protypon.core.former import former_of
from protypon.core.kinds.placing import Asked, Outcome
from protypon.core.languages import CODED, coded
from protypon.core.listing import blob_digest
from protypon.core.model import Candidate, Facts, Part, Record, Theme, Told, Unit, Written
from protypon.core.origins import (
    Origin,
    attachments,
    calls_of,
    folds,
    functions_in,
    origin_of,
    own_function,
    same_name,
    text_of,
)  # fmt: skip
from protypon.core.reach import Site as Place
from protypon.core.trace.state import Callback, closure_of
from protypon.core.ways import effects
from protypon.core.ways.draft import Draft
from protypon.core.ways.functions import REASON, replaced
from protypon.core.world import World
from protypon.core.writing import MODULES, writer
from protypon.core.writing.texts import renamed


def supplied(world: World, theme: Theme) -> list[Unit]:
    """The functions of a theme that the whole site knows, or that are attached somewhere."""
    behaviour = world.behaviour
    if not behaviour.speaks or world.lineage.cut:
        return []
    names = {o.name for o in functions_in(behaviour, (theme,)) if "\\" not in o.name}
    return [Unit("function", name) for name in sorted(names)]


def find(world: World) -> list[Facts]:
    records = [r for r in world.records.values() if r.unit.kind == "function"]
    found = [_listed(world, record, records) for record in records]
    if world.behaviour.speaks and not world.lineage.cut and world.behaviour.broken is None:
        found += _unlisted(world, {same for r in records for same in (r.unit.path, r.written.called) if same})
    return found


# Without a record


def _unlisted(world: World, listed: set[str]) -> Iterator[Facts]:
    """Functions of the child that stand for one of the parents', and nobody wrote down."""
    parents = world.behaviour.parents
    if parents is None or world.behaviour.state.stopped is not None:
        return
    known = {name.lower() for name in listed}
    for declared in list(world.behaviour.state.functions.values()):
        if declared.site.theme != world.child.slug or _whole_file(world, declared.site.path) or declared.doubt:
            continue
        name = _stands_for(world, parents, declared.name)
        if name is None or name.lower() in known or declared.name.lower() in known:
            continue
        origin = origin_of(world, name)
        own = own_function(world, declared.name, declared.site.path)
        if origin is None or own is None:
            continue
        unit = Unit("function", origin.name)
        text, theirs = _own_text(world, own, {declared.name: origin.name}), text_of(world, origin)
        yield Facts(
            unit=unit, listed=False, how="replace", file=own.path, ours=blob_digest(text), base=None, theirs=blob_digest(theirs),
            reach="yes", origin=origin.theme.slug, now_from=origin.theme.slug, now=origin.theme.release, line=own.function.line, text=theirs,
            written=Written(own.path, own.name if own.name != origin.name else ""),
            told={
                "unlisted": Told(
                    f"{shown(own.place)} stands in the place of {origin.name} ({shown(origin.place)}), and no record says from which release it was made",
                    f"protypon adopt {world.child.slug}",
                ),
                "needless": Told(f"{shown(own.place)} says just what {origin.theme.label} says; take it out by hand, or adopt it and drop it", f"protypon adopt {world.child.slug}"),
            },
        )  # fmt: skip


def _whole_file(world: World, path: str) -> bool:
    """Whether a file of the child stands in the place of an ancestor's as a whole."""
    rule = world.platform.rule_of(path)
    return rule is not None and rule.combine != "load" and any(path in t.files for t in world.ancestors)


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


def names_of(record: Record, records: list[Record]) -> dict[str, str]:
    """The child's names of all functions that were written together -> those of the parent."""
    head = record.written.part_of or record.unit.address
    return {
        r.written.called: r.unit.path
        for r in records
        if r.written.called and head in (r.unit.address, r.written.part_of)
    }


def _own_text(world: World, own: Origin, names: Mapping[str, str]) -> bytes:
    """The child's function in the parent's words: without the line that gives the reason, under the parent's names."""
    rule = world.platform.rule_of(own.path)
    assert rule is not None
    return renamed(REASON.sub(b"", text_of(world, own)), names, writer(rule.language), folds(world))


def _listed(world: World, record: Record, records: list[Record]) -> Facts:
    name = record.written.called or record.unit.path
    own = own_function(world, name, record.written.file)
    origin = origin_of(world, record.unit.path) if not world.lineage.cut else None
    file = own.path if own is not None else record.written.file
    rule = world.platform.rule_of(file)
    facts = Facts(
        unit=record.unit, listed=True, how=record.how, file=file,
        ours=None, base=record.digest, theirs=None, reach="no", origin=record.source, taken=record.release,
        base_here=world.sources.blob(record.digest) is not None, sure=record.sure, cut=world.lineage.cut,
        line=own.function.line if own is not None else None,
        told={"missing": Told(f"the ledger says {name} in {file} stands in the place of {record.unit.path}, and it is gone", "drop")},
    )  # fmt: skip
    if own is None:
        return facts
    text = _own_text(world, own, names_of(record, records))
    facts = replace(facts, ours=blob_digest(text), reach="yes")
    if world.lineage.cut:
        return replace(facts, theirs="?", told={})
    fatal = _fatal(world, own, record)
    if fatal:
        return replace(
            facts,
            fatal=fatal,
            reach="no",
            theirs=None if origin is None else blob_digest(text_of(world, origin)),
            told=_fatal_words(world, fatal, record),
        )
    if world.behaviour.uncertain:
        why = world.behaviour.uncertain
        return replace(
            facts,
            theirs="?",
            reach="unknown",
            reach_because=why,
            told={"unknown": Told(why, f"protypon check {world.child.slug}")},
        )
    if origin is None:
        return _gone(world, facts, record)
    return _there(world, facts, record, records, own, origin, text, rule.language if rule else "plain")


def _there(
    world: World,
    facts: Facts,
    record: Record,
    records: list[Record],
    own: Origin,
    origin: Origin,
    text: bytes,
    language: str,
) -> Facts:
    theirs = text_of(world, origin)
    digest = blob_digest(theirs)
    part = Part(text, theirs, part_language(language), own.function.line, origin.function.line)
    facts = replace(facts, theirs=digest, text=theirs, now_from=origin.theme.slug, now=origin.theme.release, part=part)
    reach, because = _reach(world, record, own, origin)
    clash = _clash(world, record, own, origin) if digest != record.digest else _unattached(world, record, origin)
    command = "mend" if reach == "no" and record.how == "detach" else "drop"
    told = _words(world, facts, record, own, origin)
    if reach == "no":
        told["idle"] = Told(because, command)
    if clash:
        told["conflicted"] = Told(
            clash, "settle" if digest == record.digest or _unattached(world, record, origin) else "update"
        )
    return replace(facts, reach=reach, reach_because=because, reach_next=command, clash=clash, told=told)


def part_language(name: str) -> str:
    return "php-piece" if name == "php" else name


def _fatal(world: World, own: Origin, record: Record) -> str:
    """Whether the child's function is one of two of a name that stop the site."""
    stopped = world.behaviour.state.stopped
    if stopped is None or stopped.code != "declared-twice":
        return ""
    places = [s for s in (stopped.site, stopped.other) if s is not None]
    if not any((s.theme, s.path, s.line) == (own.place.theme, own.place.path, own.place.line) for s in places):
        return ""
    other = next((s for s in places if s.theme != world.child.slug), None)
    return f"{shown(own.place)} declares {own.name}, and so does {shown(other) if other else 'another file'}, which has no guard any more"


def _fatal_words(world: World, fatal: str, record: Record) -> dict[str, Told]:
    """What can be written in its place, found by trying."""
    from protypon.core.errors import ProtyponError
    from protypon.core.ways.functions import again
    from protypon.core.ways.taking_out import taken_out

    try:
        again(taken_out(Draft(world), record, ()), record, {})
    except ProtyponError as error:
        return {"fatal": Told(f"{fatal}: the site stops; {error.message}", "drop")}
    return {
        "fatal": Told(f"{fatal}: the site stops; it can be taken off its point and put back under another name", "mend")
    }


# Is it used


def _reach(world: World, record: Record, own: Origin, origin: Origin) -> tuple[str, str]:
    behaviour = world.behaviour
    if record.how == "replace" and same_name(world, own.name, origin.name):
        if not _declared_by(world, own) and _declared_at_all(world, origin):
            first = behaviour.state.functions.get(origin.name.lower() if folds(world) else origin.name)
            where = f"{shown(first.site)} declares it first" if first is not None else "another declaration counts"
            return "no", f"{shown(own.place)} is never used: {where}"
    left = [
        c
        for s in behaviour.states
        for c in s.callbacks
        if c.gone is None and not c.doubt and origin.is_it(closure_of(s, c))
    ]
    if left and record.written.at:
        return "no", _still_there(world, left[0], record, origin)
    if effects.runs(behaviour, own) or effects.attached_anywhere(behaviour, own):
        return "yes", ""
    if _is_called(world, own, origin):
        return "yes", ""
    what = own.name if same_name(world, own.name, origin.name) else f"{own.name}, in the place of {origin.name},"
    return "no", f"nothing in the lineage calls or attaches {what} any more"


def _still_there(world: World, callback: Callback, record: Record, origin: Origin) -> str:
    """Why the parent's function runs beside the child's."""
    old = {at.rpartition(" ")[0]: at.rpartition(" ")[2] for at in record.written.at}
    where = f"{shown(callback.site)} attaches it at {callback.point}"
    if callback.point in old and str(callback.order) != old[callback.point]:
        number = f"{where} with order {callback.order}, was {old[callback.point]}"
    elif callback.point in old:
        number = f"{where} {_when(callback)}"
    else:
        number = f"{where}, was at {', '.join(old)}"
    return f"{origin.name} of {origin.theme.label} runs beside yours: {number}"


def _when(callback: Callback) -> str:
    return "while code loads" if callback.moment == "loading" else f"when {callback.moment} is fired"


def _declared_by(world: World, own: Origin) -> bool:
    return all(effects.in_force(state, own, folds(world)) for state in world.behaviour.states)


def _declared_at_all(world: World, origin: Origin) -> bool:
    key = origin.name.lower() if folds(world) else origin.name
    return key in world.behaviour.state.functions


def _is_called(world: World, own: Origin, origin: Origin) -> bool:
    """Whether a call of it, a summons or a mention stands anywhere outside of it, or can't be ruled out."""
    from protypon.core.findings.functions import names_in

    wanted = {n.lower() for n in (own.name, origin.name)}
    behaviour = world.behaviour
    rules = world.platform.code
    for each in behaviour.said:
        if each.meaning.does == "summon":
            names = (
                {rules.function_name(each.name, t.slug).lower() for t in world.lineage.themes} if each.name else wanted
            )
            if names & wanted:
                return True
    for theme in world.lineage.themes:
        for path in sorted(theme.files):
            read = behaviour.code_of(theme, path)
            if read is None or read[0].kind not in ("code", "template"):
                continue
            skipped = {own.function.start} if (theme.slug, path) == own.key[:2] else set()
            skipped |= {origin.function.start} if (theme.slug, path) == origin.key[:2] else set()
            bodies = [read[1].body, *(f.body for f in read[1].functions if f.start not in skipped)]
            if any(
                name.lower() in wanted
                for body in bodies
                for node in body
                for name in names_in(node)
                if not _guards(node)
            ):
                return True
    return False


def _guards(node: object) -> bool:
    """An ``if`` that is there for a declaration only: the name in its test calls nothing."""
    then = getattr(node, "then", ())
    return getattr(node, "tag", "") == "if" and bool(then) and all(s.tag == "declare" for s in then)


# What breaks with it


def _clash(world: World, record: Record, own: Origin, origin: Origin) -> str:
    """A caller, or a point, that hands the child's function what it can't take, though the parent's can."""
    gone = _unattached(world, record, origin)
    if gone:
        return gone
    strict = not coded(_language(world, own)).HOISTS
    function, wanted = own.function, origin.function
    for place, given, named in _handed(world, own, origin):
        if _takes(wanted, given, named, strict) and not _takes(function, given, named, strict):
            needs = f"{function.fewest}" if function.fewest > given + len(named) else "another number"
            what = f"{shown(place)} calls it with {given + len(named)} argument{'s' * (given + len(named) != 1)}, and yours needs {needs}"
            return f"{origin.theme.label} changed what {origin.name} takes: {what}"
    return ""


def _language(world: World, origin: Origin) -> str:
    rule = world.platform.rule_of(origin.path)
    return rule.language if rule is not None and rule.language in CODED else "php"


def _handed(world: World, own: Origin, origin: Origin) -> Iterator[tuple[Place, int, tuple[str, ...]]]:
    """Every call of either function: where, with how many arguments, and which by name."""
    for name in {own.name, origin.name}:
        for call in calls_of(world, world.behaviour, name):
            if call.caller is not None and call.caller.key in (own.key, origin.key):
                continue
            if any(a.tag == "op" and a.op == "*" for a in call.call.arguments):
                continue
            yield call.place, len(call.call.arguments), tuple(k for k, _ in call.call.named)
    rules = world.platform.code
    for said in world.behaviour.said:
        if said.meaning.does == "summon" and said.name is not None:
            names = {rules.function_name(said.name, t.slug).lower() for t in world.lineage.themes}
            if names & {own.name.lower(), origin.name.lower()}:
                yield said.place, len(said.call.arguments) - 1, ()
    for firing in world.behaviour.firings:
        for ran in firing.ran:
            if own.is_it(ran.decl):
                takes = ran.callback.takes
                given = firing.given if takes is None else min(takes, firing.given)
                yield (
                    firing.site,
                    min(given, own.function.most or given) if own.function.most is not None else given,
                    (),
                )


def _takes(function: object, given: int, named: tuple[str, ...], strict: bool) -> bool:
    params = {p.name.lstrip("$*&") for p in function.params}  # type: ignore[attr-defined]
    most = function.most  # type: ignore[attr-defined]
    if given + len(named) < function.fewest:  # type: ignore[attr-defined]
        return False
    if strict and most is not None and given > most:
        return False
    return all(name in params for name in named) or any(p.way == "**" for p in function.params)  # type: ignore[attr-defined]


def _unattached(world: World, record: Record, origin: Origin) -> str:
    """Where the parents do not attach their function any more, though the child still does."""
    parents = world.behaviour.parents
    if not record.written.at or parents is None:
        return ""
    now = {c.point for c in attachments(parents, origin)}
    gone = [point for point in dict.fromkeys(at.rpartition(" ")[0] for at in record.written.at) if point not in now]
    if not gone:
        return ""
    return f"{origin.theme.label} does not attach {origin.name} at {', '.join(gone)} any more; yours still runs there"


# The parent has it no more


def _gone(world: World, facts: Facts, record: Record) -> Facts:
    """Renamed, or gone since a release."""
    base = world.sources.blob(record.digest)
    former = former_of(world, record)
    before = {name.lower() for name in former.functions} if former is not None else set()
    before.add(record.unit.path.lower())
    new = [
        o for o in functions_in(world.behaviour, world.ancestors) if o.name.lower() not in before and "\\" not in o.name
    ]
    scored = []
    for origin in new if base is not None else ():
        rule = world.platform.rule_of(origin.path)
        other = (
            renamed(text_of(world, origin), {origin.name: record.unit.path}, writer(rule.language), folds(world))
            if rule and rule.language in MODULES
            else b""
        )
        alike = 1.0 if other == base else likeness.alike(base or b"", other)
        if alike >= likeness.ALIKE:
            scored.append((alike, origin))
    best = max((score for score, _ in scored), default=0.0)
    kept = sorted((p for p in scored if p[0] > best - likeness.TIE), key=lambda p: (-p[0], p[1].name))
    moved = tuple(Candidate(o.theme.slug, o.name, round(score, 2)) for score, o in kept)
    told: dict[str, Told] = {}
    if len(moved) == 1:
        to = kept[0][1]
        told["moved"] = Told(
            f"{to.theme.label} calls it {to.name} now ({shown(to.place)}, {moved[0].alike:.0%} alike)", "update"
        )
        rule = world.platform.rule_of(to.path)
        renamed_text = (
            renamed(text_of(world, to), {to.name: record.unit.path}, writer(rule.language), folds(world))
            if rule
            else b""
        )
        own = own_function(world, record.written.called or record.unit.path, record.written.file)
        if own is not None and rule is not None:
            mine = _own_text(
                world, own, names_of(record, [r for r in world.records.values() if r.unit.kind == "function"])
            )
            facts = replace(
                facts, part=Part(mine, renamed_text, part_language(rule.language), own.function.line, to.function.line)
            )
    referred = next(
        (
            f"{shown(c.place)}"
            for c in calls_of(world, world.behaviour, record.unit.path)
            if c.caller is None or c.caller.theme.slug != world.child.slug
        ),
        "",
    )
    label = f"{record.source} {record.release}" if record.release else record.source
    told["stranded"] = Told(
        f"{_now(world, record)} has no function {record.unit.path} any more ({label} had), and nothing like it", "drop"
    )
    told["holds"] = Told(f"{record.source} no longer has it, but {referred} still calls it, and yours is called")
    return replace(facts, moved=moved, referred=referred, told=told)


def _now(world: World, record: Record) -> str:
    theme = world.ancestor(record.source)
    return theme.label if theme is not None else record.source


# The words


def _words(world: World, f: Facts, record: Record, own: Origin, origin: Origin) -> dict[str, Told]:
    beside = "" if own.name == origin.name else f" ({own.name})"
    parent = f"{origin.theme.label} ({shown(origin.place)})"
    told = {
        "needless": Told(f"{own.path} line {own.function.line} says just what {parent} says" + (", not yet edited" if f.theirs == f.base else ": the parent now does the same"), "drop"),
        "holds": Told(f"{parent} has what your copy{beside} was taken from" if f.theirs == f.base else f"{parent} changed only comments and layout of {origin.name}"),
        "drifted": Told(f"{origin.theme.label} changed {origin.name}: {{parent}} of {origin.path}; {{own}}", "update"),
        "conflicted": Told(f"{origin.name}: {{theirs}} of {origin.theme.slug}/{origin.path} and {{ours}} of {own.path} change the same place", "update"),
    }  # fmt: skip
    return told


# Writing and taking out


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    placed = replaced(draft, unit.path)
    own_unit = Unit("function", placed.copies[0].origin.name)
    chain = [c for c in placed.copies if c.origin.name != own_unit.path]
    notes = [(note, "") for note in placed.notes]
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
