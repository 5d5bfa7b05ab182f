"""A class declared in the place of an ancestor's, and a method put into a class that extends one."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from protypon.core.languages.code import Class
from protypon.core.languages.text_edits import indent_lines
from protypon.core.model.actions import Adopt, Check, Explain, Points, Survey, Words
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Unit
from protypon.core.platform.schema import nearest
from protypon.core.units import run_differences
from protypon.core.units.class_.reading import (
    ClassDeclaration,
    above,
    bare,
    classes_in,
    extends_parents,
    in_force,
    method_in,
    methods_of,
    origin_of,
    own_class,
    parents_method,
)
from protypon.core.units.coder import BROKEN, Coder, coder, put
from protypon.core.units.declarations import span_of, text_of, writer_at
from protypon.core.units.draft import Draft
from protypon.core.units.parent_functions import Origin
from protypon.core.units.places import place_words
from protypon.core.units.world import World


class PlacedClass(NamedTuple):
    """What was written, checked by following it."""

    draft: Draft
    origin: ClassDeclaration
    text: bytes
    """The parent's text."""
    file: str
    brought: tuple[str, ...]
    why: str


# A class in the place of another one


def replace_class(draft: Draft, name: str, text: bytes | None = None, file: str = "") -> PlacedClass:
    """Declare a class of a parent again, where the parent's gives way; ``text`` is one's own in the place of a mere copy.

    Raises ProtyponError with what stands in the way.
    """
    world = draft.world
    origin = _origin(world, name)
    _refuse(world, origin)
    assert isinstance(origin.node, Class)
    code, _ = coder(draft, file)
    _, span = span_of(world, origin)
    theirs = text_of(world, origin)
    if span is None or span.guard is None:
        raise ProtyponError(
            f"class:{origin.name}: {_why_not_redeclared(world, origin)}",
            Explain(f"class:{origin.name}", world.child.slug),
        )
    why = "it is guarded, so the first one declared counts"
    made, path, brought = put(draft, [_declare_class(code, origin, origin.node.kind, text or theirs, why)], file)
    failed = _not_replaced(draft, made, origin)
    if failed:
        raise ProtyponError(
            f"class:{origin.name} can't be replaced: {failed}", Explain(f"class:{origin.name}", world.child.slug)
        )
    return PlacedClass(made, origin, theirs, path, brought, why)


def _origin(world: World, name: str) -> ClassDeclaration:
    origin = origin_of(world, name)
    if origin is not None:
        return origin
    names = tuple(sorted({c.name for c in classes_in(world.behaviour, world.ancestors)}))
    near = nearest(name, names)
    raise ProtyponError(
        f"no ancestor of {world.child.slug} has a class {name}",
        f"did you mean class:{near}?" if near else Points(child=world.child.slug),
    )


def _refuse(world: World, origin: ClassDeclaration) -> None:
    address = f"class:{origin.name}"
    if world.behaviour.uncertain:
        raise ProtyponError(f"{address}: {world.behaviour.uncertain}", Check(world.child.slug))
    if "\\" in origin.name:
        raise ProtyponError(
            f"{address}: it stands in a namespace, and a copy elsewhere would see other names",
            Explain(address, world.child.slug),
        )
    own = own_class(world, origin.name)
    if own is not None:
        raise ProtyponError(
            f"{address}: {place_words(own.place)} declares it already; nothing was changed",
            ("write it down as yours with: ", Adopt(world.child.slug)),
        )


def _why_not_redeclared(world: World, origin: ClassDeclaration) -> str:
    """Why a class can't be declared again, and what can be done."""
    attached = dict.fromkeys(
        f"hook:{c.point}#{c.label}"
        for c in world.behaviour.state.callbacks
        if c.gone is None and c.label.lower().startswith(f"{origin.name.lower()}::")
    )
    what = f"{place_words(origin.place)} declares it without a guard, and a second class of that name stops the site"
    return f"{what}; its methods can be taken off their points ({', '.join(list(attached)[:3])})" if attached else what


def _declare_class(code: Coder, origin: ClassDeclaration, kind: str, text: bytes, why: str) -> str:
    words = code.writer.comment(f"In place of {origin.name} ({origin.theme.label}): {why}.") + "\n"
    inner = indent_lines(text, code.style.indent, code.writer).decode("utf-8", "surrogateescape")
    return words + code.writer.guard_declaration(kind, origin.name, inner, code.style.indent, code.style.quote)


def _not_replaced(before: Draft, after: Draft, origin: ClassDeclaration) -> str:
    """Why a draft does not do what was asked, or more; empty where it does just that."""
    problem = after.problem()
    if problem is not None:
        return f"the copy would not parse ({problem})"
    was, now = before.world.behaviour, after.world.behaviour
    if now.uncertain:
        return now.uncertain
    own, standing = own_class(after.world, origin.name), in_force(now, origin.name)
    if own is None or standing is None or standing.key != own.key:
        return f"{place_words(origin.place)} declares it first, and its declaration counts"
    names = {
        method.key: (method.name, Origin(method.theme, method.path, method.node))  # type: ignore[arg-type]
        for behaviour, cls in ((was, origin), (now, own))
        for method in methods_of(behaviour, cls)
    }
    moments = set(now.platform.code.moments)
    changed = run_differences.difference(
        run_differences.rows(was, names, moments), run_differences.rows(now, names, moments)
    )
    if changed:
        return f"other callbacks would run otherwise than now: {changed}"
    changed = run_differences.registered_otherwise(was, now)
    return f"{changed} would be otherwise than now" if changed else ""


# A method of a class that extends another one


def extend_class(draft: Draft, unit: Unit) -> PlacedClass:
    """Put a copy of a parent's method into the child's class that inherits it. Raises ProtyponError with what stands in the way."""
    world = draft.world
    cls = own_class(world, unit.path)
    if cls is None:
        raise ProtyponError(
            f"{unit.address}: {world.child.slug} has no class {unit.path}; a method is overridden in a class of yours that extends the parent's",
            _what_to_type(world, unit),
        )
    if method_in(world, cls, unit.name or "") is not None:
        raise ProtyponError(
            f"{unit.address}: {place_words(cls.place)} has it already; nothing was changed",
            ("write it down as yours with: ", Adopt(world.child.slug)),
        )
    origin = parents_method(world, cls, unit.name or "")
    if origin is None:
        raise ProtyponError(
            f"{unit.address}: nothing of a parent that {unit.path} inherits has a method {unit.name}",
            _meant_of(world, unit, (cls,)) or Explain(f"class:{unit.path}", world.child.slug),
        )
    text = text_of(world, origin)
    made, brought = _with_method(draft, cls, origin, text)
    if made.problem() is not None or (made.world.behaviour.uncertain and not world.behaviour.uncertain):
        why = made.problem() or made.world.behaviour.uncertain
        raise ProtyponError(
            f"{unit.address} can't be overridden: {why}", Explain(f"class:{unit.path}", world.child.slug)
        )
    return PlacedClass(
        made, origin, text, cls.path, brought, f"{cls.name} inherits it from {origin.name.partition('::')[0]}"
    )


def _what_to_type(world: World, unit: Unit) -> Words:
    """What to type where the child has no class of that name."""
    own = [c for c in classes_in(world.behaviour, (world.child,)) if extends_parents(world, c)]
    near = nearest(unit.path, tuple(c.name for c in own))
    own.sort(key=lambda c: c.name != near)
    shows = Explain(f"class:{unit.path}", world.child.slug) if origin_of(world, unit.path) else Survey(units=True)
    return _meant_of(world, unit, own) or ("see the parent's with: ", shows)


def _meant_of(world: World, unit: Unit, classes: Iterable[ClassDeclaration]) -> str:
    """The method most like the one asked for that one of such classes inherits from a parent; empty where none does."""
    for cls in classes:
        inherited = {
            bare(m): None
            for each in above(world, cls)
            if each.theme != world.child
            for m in methods_of(world.behaviour, each)
        }
        near = nearest(unit.name or "", tuple(inherited))
        if near:
            return f"did you mean class:{cls.name}#{near}?"
    return ""


def _with_method(
    draft: Draft, cls: ClassDeclaration, origin: ClassDeclaration, text: bytes
) -> tuple[Draft, tuple[str, ...]]:
    """The child's class with a copy of a method behind all that is in it, and the line that had to be broken for it."""
    data, span = span_of(draft.world, cls)
    code, made = coder(draft, cls.path)[0], writer_at(draft.start, cls.path)
    assert span is not None
    lead = data[span.start - span.column : span.start].decode("utf-8", "replace") + code.style.indent
    words = made.comment(f"In place of {origin.name} ({origin.theme.label}): {cls.name} inherits it.").encode()
    end = code.style.newline.encode()
    block = indent_lines(words + b"\n" + text, lead, made).replace(b"\n", end)
    last = made.end_of_body(data, span)
    at = len(data[:last].rstrip())
    gap = b"" if data[:at].endswith(b"{") else end
    closed = b"\n" in data[at:last]
    tail = data[at:] if closed else end + lead[: -len(code.style.indent)].encode() + data[last:]
    line = data[data.rfind(b"\n", 0, at) + 1 : last + 1].decode("utf-8", "replace")
    after = draft.with_file(cls.path, data[:at] + end + gap + block + tail)
    return after, () if closed else (BROKEN + line,)


def plain_name(origin: ClassDeclaration, unit: Unit) -> str:
    """What a person calls it."""
    return origin.name if unit.name is None else f"{origin.name}, as {unit.path}::{bare(origin)}"
