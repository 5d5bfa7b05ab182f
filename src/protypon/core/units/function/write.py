"""A function of an ancestor replaced: by the same name, by the platform's pattern, or taken off its points and put back under another name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from protypon.core.analysis.state import Callback
from protypon.core.model.actions import Adopt, Check, Drop, Explain, Points
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Unit, Written
from protypon.core.platform.schema import nearest
from protypon.core.store.plan_builder import content
from protypon.core.units.coder import Coder, coder, put
from protypon.core.units.declarations import span_of, text_of
from protypon.core.units.draft import Draft
from protypon.core.units.function.copies import body_of, declaration_text, imports, new_name
from protypon.core.units.hook.write import in_doubt, taken_off
from protypon.core.units.parent_functions import (
    Origin,
    attachments,
    calls_of,
    functions_in,
    is_mark,
    origin_of,
    own_function,
    same_name,
)
from protypon.core.units.places import place_words
from protypon.core.units.working import instead, not_replaced, ties
from protypon.core.units.world import World

LONGEST_CHAIN = 12


@dataclass(frozen=True, slots=True)
class Copy:
    """One function that was written into the child."""

    origin: Origin
    how: str
    called: str
    at: tuple[str, ...]
    text: bytes
    """The parent's text, which goes into the store."""
    order: int | None = None


@dataclass(frozen=True, slots=True)
class Placed:
    """What a way has written, checked by following it."""

    draft: Draft
    file: str
    copies: tuple[Copy, ...]
    brought: tuple[str, ...]
    why: str
    notes: tuple[str, ...] = ()

    def records(self, unit: Unit, why: str) -> list[Record]:
        """The records of all that was written: the function, and those that had to be copied with it."""
        found = []
        for number, copy in enumerate(self.copies):
            own = Unit("function", copy.origin.name)
            called = copy.called if copy.called != copy.origin.name else ""
            brought = self.brought if not number else ()
            written = Written(
                self.file, called, at=copy.at, part_of="" if own == unit else unit.address, brought=brought
            )
            theme = copy.origin.theme
            found.append(
                Record(own, copy.how, theme.slug, theme.release, content(copy.text).digest, why, written=written)
            )
        return found


Texts = Mapping[str, bytes]
"""Own texts, in the parent's words, that take the place of a mere copy: name -> text."""


def replace_function(draft: Draft, name: str, texts: Texts | None = None, file: str = "", called: str = "") -> Placed:
    """Replace a function in the lightest way that works. Raises ProtyponError with what stands in the way."""
    world = draft.world
    origin = origin_of(world, name)
    if origin is None:
        names = tuple(sorted({o.name for o in functions_in(world.behaviour, world.ancestors)}))
        near = nearest(name, names)
        hint = f"did you mean function:{near}?" if near else Points(child=world.child.slug)
        raise ProtyponError(f"no ancestor of {world.child.slug} has a function {name}", hint)
    _refuse(world, origin)
    _refuse_own(world, origin)
    tries: list[str] = []
    for make in (_same_name, _place_by_pattern, _taken_off, _place_by_chain):
        try:
            placed = make(draft, origin, texts or {}, file, called)
        except (LookupError, _Fails) as failed:
            tries.append(str(failed))
            continue
        if placed is not None:
            return replace(placed, notes=(*placed.notes, *in_doubt(attachments(world.behaviour, origin))))
    raise ProtyponError(f"{name} can't be replaced: {_reasons(tries)}", instead(world, origin))


class _Fails(Exception):
    """A way that does not have the effect that was asked for."""


def _reasons(tries: list[str]) -> str:
    return "; ".join(dict.fromkeys(t for t in tries if t)) or "nothing that could be followed calls or attaches it"


def _refuse(world: World, origin: Origin) -> None:
    uncertain = world.behaviour.uncertain
    if uncertain:
        raise ProtyponError(f"function:{origin.name}: {uncertain}", Check(world.child.slug))
    if "\\" in origin.name:
        raise ProtyponError(
            f"function:{origin.name}: it stands in a namespace, and a copy elsewhere would see other names",
            Explain(f"function:{origin.name}", world.child.slug),
        )


def _refuse_own(world: World, origin: Origin) -> None:
    """The child has a function of that name already, which stands in its place, or waits to."""
    own = own_function(world, origin.name)
    if own is not None:
        raise ProtyponError(
            f"function:{origin.name}: {place_words(own.place)} declares it already; nothing was changed",
            ("write it down as yours with: ", Adopt(world.child.slug)),
        )
    hook = next((u for u in world.records if u.kind == "hook" and same_name(world, u.name or "", origin.name)), None)
    if hook is not None:
        raise ProtyponError(
            f"function:{origin.name}: {hook.address} is overridden already, and a copy would take its place",
            ("take that out first: ", Drop(f"{hook.address}", world.child.slug)),
        )


# The ways


def _same_name(draft: Draft, origin: Origin, texts: Texts, file: str, called: str) -> Placed | None:
    """A declaration of the same name, where the parent's gives way to it."""
    if draft.start.platform.code.declares == "marked" and not is_offered(draft.world, origin):
        return None
    code, target = coder(draft, file)
    _, span = span_of(draft.world, origin)
    guarded = span is not None and span.guard is not None
    why = "it is guarded, so the first one declared counts" if guarded else "it may be declared anew"
    text = body_of(origin, texts, {}, code, draft)
    tried: list[str] = []
    for off in (False, True):
        blocks = _detachments(draft, origin, code) if off else []
        if off and not blocks:
            break
        made, path, brought = put(
            draft,
            [*blocks, declaration_text(code, origin, text, guarded, why)],
            file,
            imports(draft, origin, target, text),
        )
        failed = not_replaced(draft, made, [(origin, origin.name)])
        if not failed:
            at = tuple(f"{c.point} {c.order}" for c in attachments(draft.world.behaviour, origin)) if off else ()
            copy = Copy(origin, "replace", origin.name, at, text_of(draft.world, origin))
            return Placed(made, path, (copy,), brought, why, tuple(ties(draft, made, origin, origin.name)))
        tried.append(failed)
    raise _Fails(tried[0])


def is_offered(world: World, origin: Origin) -> bool:
    """Whether a mark says that a function may be declared anew."""
    marked = world.platform.code.marked
    return any(
        meaning.does == "declare" and meaning.replaceable
        for m in origin.function.marks
        for meaning in marked.get(m.name, ())
    )


def _place_by_pattern(draft: Draft, origin: Origin, texts: Texts, file: str, called: str) -> Placed | None:
    """The child's name for a function that the platform finds by a pattern."""
    rules = draft.start.platform.code
    if rules.meaning("summon") is None or rules.pattern == "{name}":
        return None
    base = _base_name(draft.world, origin)
    if base is None:
        return None
    new = rules.function_name(base, draft.child.slug)
    return _renamed_copy(
        draft, origin, texts, file, new, f"the platform finds it by its pattern {rules.pattern}", False
    )


def _base_name(world: World, origin: Origin) -> str | None:
    """The name by which a function is summoned."""
    rules = world.platform.code
    for theme in world.ancestors:
        head, _, tail = rules.function_name("\0", theme.slug).partition("\0")
        name = origin.name
        if name.lower().startswith(head.lower()) and name.lower().endswith(tail.lower()) and head + tail:
            base = name[len(head) : len(name) - len(tail) or None]
            if any(s.meaning.does == "summon" and s.name in (base, None) for s in world.behaviour.said):
                return base
    return None


def _taken_off(draft: Draft, origin: Origin, texts: Texts, file: str, called: str) -> Placed | None:
    """Detached, and a copy under another name attached with the same order numbers."""
    found = attachments(draft.world.behaviour, origin)
    if not found:
        raise _Fails("")
    new = called or new_name(draft.world, origin)
    points = " and ".join(dict.fromkeys(c.point for c in found))
    return _renamed_copy(draft, origin, texts, file, new, f"it has no guard, so it is taken off {points}", True)


def _renamed_copy(
    draft: Draft, origin: Origin, texts: Texts, file: str, new: str, why: str, detaching: bool
) -> Placed | None:
    code, target = coder(draft, file)
    blocks = _detachments(draft, origin, code) if detaching else []
    text = body_of(origin, texts, {origin.name: new}, code, draft)
    manifest = _listed_off(draft, origin) if detaching and not code.has("detach") else draft
    found = attachments(draft.world.behaviour, origin) if detaching else []
    at = tuple(f"{c.point} {c.order}" for c in found)
    copy = Copy(origin, "detach" if detaching else "replace", new, at, text_of(draft.world, origin))
    begun = [*blocks, declaration_text(code, origin, text, False, why)]
    passed: list[Placed] = []
    failures: list[str] = []
    for tail in _tails(code, [c for c in found if not is_mark(c, origin)], new):
        made, path, brought = put(manifest, [*begun, *tail], file, imports(draft, origin, target, text))
        failed = not_replaced(draft, made, [(origin, new)])
        if failed:
            failures.append(failed)
            continue
        passed.append(Placed(made, path, (copy,), brought, why, tuple(ties(draft, made, origin, new))))
        if not passed[-1].notes:
            return passed[-1]
    if not passed:
        raise _Fails(failures[0])
    return passed[0]


def _tails(code: Coder, found: list[Callback], new: str) -> Iterator[list[str]]:
    """What attaches the copy where the original stood: at once, or, so that it stays behind its equals, at a moment of the platform."""
    yield [code.writer.statement(_attachment(code, c, new)) for c in found]
    if found and code.has("attach"):
        for moment in code.rules.moments:
            if all(c.point != moment for c in found):
                yield [code.at_moment(moment, _attachment(code, c, new)) for c in found]


def _detachments(draft: Draft, origin: Origin, code: Coder) -> list[str]:
    """What takes the function off every point where it stands."""
    if not code.has("detach"):
        return []
    return [taken_off(draft, callback, code).text for callback in attachments(draft.world.behaviour, origin)]


def _listed_off(draft: Draft, origin: Origin) -> Draft:
    """Detached by the manifest's list, whatever the number."""
    rows = list(draft.child.values.get("detached", ()))
    new = [f"{c.point}#{origin.name}" for c in attachments(draft.world.behaviour, origin)]
    return draft.with_manifest({"detached": [*rows, *(row for row in dict.fromkeys(new) if row not in rows)]})


def _attachment(code: Coder, callback: Callback, new: str) -> str:
    point, order, takes = callback.point, callback.order, callback.takes
    if not isinstance(order, int):
        raise _Fails(f"the order number at {point} is made at run time")
    target = new if code.rules.declares == "marked" else code.literal(new)
    return code.call(
        "attach", point=code.literal(point), callback=target, order=code.order(order),
        takes=code.literal(takes) if takes is not None else None,
    )  # fmt: skip


def _place_by_chain(draft: Draft, origin: Origin, texts: Texts, file: str, called: str) -> Placed | None:
    """A copy under another name, and copies of those that call it, which call the copy."""
    chain = _chain(draft.world, origin)
    ways = {o.name: _way_of(draft.world, o) for o in chain}
    names = {o.name: _chain_name(draft, o, ways[o.name]) for o in chain if ways[o.name] != "same"}
    callers = ", ".join(o.name for o in chain[1:])
    why = f"only {callers} call it" if len(chain) > 2 else f"only {callers} calls it"
    now, path, copies, brought = draft, file, list[Copy](), list[str]()
    for member in chain:
        reason = f"called by {chain[1].name}" if member is origin else f"it calls {origin.name}"
        now, path, copy, more = _link(draft, now, member, ways[member.name], names, texts, path, reason)
        copies.append(copy)
        brought += more
    failed = not_replaced(draft, now, [(c.origin, c.called) for c in copies])
    if failed:
        raise _Fails(failed)
    return Placed(now, path, tuple(copies), tuple(brought), why)


def _chain_name(draft: Draft, member: Origin, way: str) -> str:
    if way == "pattern":
        return draft.start.platform.code.function_name(_base_name(draft.world, member) or "", draft.child.slug)
    return new_name(draft.world, member)


def _link(
    start: Draft, now: Draft, member: Origin, way: str, names: Mapping[str, str], texts: Texts, file: str, reason: str
) -> tuple[Draft, str, Copy, tuple[str, ...]]:
    """Write one function of a chain behind what was written for those before it."""
    code, target = coder(now, file)
    text = body_of(member, texts, names, code, start)
    found = attachments(start.world.behaviour, member) if way == "detach" else []
    blocks = [declaration_text(code, member, text, way == "same" and _has_guard(start.world, member), reason)]
    called = names.get(member.name, member.name)
    if found:
        now = now if code.has("detach") else _listed_off(now, member)
        off = _detachments(start, member, code)
        blocks = [*off, *blocks, *next(_tails(code, [c for c in found if not is_mark(c, member)], called))]
    made, path, brought = put(now, blocks, file, imports(now, member, file or target, text))
    how = way if way in ("detach", "called") else "replace"
    at = tuple(f"{c.point} {c.order}" for c in found)
    return made, path, Copy(member, how, called, at, text_of(start.world, member)), brought


def _way_of(world: World, member: Origin) -> str:
    """How one function of a chain is replaced."""
    code = world.platform.code
    if (_has_guard(world, member) and code.order == "child-first") or is_offered(world, member):
        return "same"
    if code.pattern != "{name}" and _base_name(world, member) is not None:
        return "pattern"
    return "detach" if attachments(world.behaviour, member) else "called"


def _chain(world: World, origin: Origin) -> list[Origin]:
    """The function, and everything that must be copied so that the copy is called: callers, and callers of those that nothing attaches."""
    chain, waiting = [origin], [origin]
    while waiting:
        member = waiting.pop(0)
        for call in calls_of(world, world.behaviour, member.name):
            if call.template:
                raise _Fails(
                    f"{place_words(call.place)} calls {member.name}: a template, which can only be replaced itself"
                )
            if call.caller is None:
                raise _Fails(
                    f"{place_words(call.place)} calls {member.name} while the file is read, and that can't be replaced"
                )
            if not call.caller.name or "::" in call.caller.name:
                what = f"the method {call.caller.name}" if call.caller.name else "a function without a name"
                raise _Fails(f"{place_words(call.place)}: {what} calls {member.name}")
            if call.caller.theme.slug == world.child.slug or any(c.key == call.caller.key for c in chain):
                continue
            chain.append(call.caller)
            if len(chain) > LONGEST_CHAIN:
                raise _Fails(f"more than {LONGEST_CHAIN} functions would have to be copied")
            if _way_of(world, call.caller) == "called":
                waiting.append(call.caller)
    if len(chain) == 1:
        raise _Fails("")
    return chain


def _has_guard(world: World, origin: Origin) -> bool:
    _, span = span_of(world, origin)
    return span is not None and span.guard is not None


def again(draft: Draft, record: Record, texts: Texts) -> Placed:
    """Write an override anew in the way that works now, under the name that it has."""
    placed = replace_function(draft, record.unit.path, texts, record.written.file, record.written.called)
    return replace(placed, brought=placed.brought or record.written.brought)
