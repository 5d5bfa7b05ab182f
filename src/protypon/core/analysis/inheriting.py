"""What stops a site where a class is declared: it does not fit what it extends or implements.

PHP manual, Classes and Objects: Object Inheritance (signature compatibility rules), Class Abstraction, Interfaces, Final Keyword,
Visibility, Readonly classes, Variance.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

from protypon.core.analysis import signatures
from protypon.core.analysis.classes import ancestry, faces, find, is_below, own_bases, own_member
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.state import Halted
from protypon.core.analysis.values import ClassValue
from protypon.core.languages.code import Function, Member
from protypon.core.languages.values import Failure, Unknown
from protypon.core.themes.reach import Location

FINAL = "is-final"
SEEN = {"private": 0, "protected": 1}
"""How far a member can be seen; 2 for one without a word, or a public one."""


class Misfit(NamedTuple):
    """One thing that does not fit, where it stands, and what it does not fit; ``doubt``: why that is not sure."""

    because: str
    line: int
    other: ClassValue
    other_line: int
    doubt: str = ""
    code: str = "does-not-fit"


class Has(NamedTuple):
    """A member of a class as it is inherited: whose it is, and what."""

    cls: ClassValue
    member: Function | Member

    @property
    def name(self) -> str:
        """Class and member, as errors name them."""
        return f"{self.cls.name}::{self.member.name.rpartition('::')[2]}"


def check(m: Machine, cls: ClassValue) -> None:
    """Stop the site where a class does not fit what it inherits; where that can't be told, note it."""
    for name in (*cls.node.bases, *cls.node.interfaces, *cls.node.traits):
        if find(m, name) is None and own_bases(m, name) is None:
            if cls.file.folds and m.is_to_come("class", name):
                m.value_or_raise(Failure("Error"))
            m.note_unsupplied("class", name)
    for misfit in _misfits(m, cls):
        site = Location(cls.file.theme, cls.file.path, misfit.line)
        other = Location(misfit.other.file.theme, misfit.other.file.path, misfit.other_line)
        doubt = misfit.doubt or misfit.other.doubt
        halted = Halted("may-not-fit" if misfit.doubt else misfit.code, cls.name, misfit.because, site, other, doubt)
        if doubt:
            m.state.doubtful.append(halted)
        else:
            m.halt(halted)


def _misfits(m: Machine, cls: ClassValue) -> Iterator[Misfit]:
    yield from _kinds(m, cls)
    base = next((found for name in cls.node.bases if (found := find(m, name)) is not None), None)
    if base is not None:
        yield from _against(m, cls, base)
    yield from _contracts(m, cls)
    adapted = cls.node.adapted
    traits = [] if adapted else [found for name in cls.node.traits if (found := find(m, name)) is not None]
    for other in (*traits, *_interfaces(m, [cls])):
        yield from _asked_for(m, cls, other)
    yield from _left_abstract(m, cls)


def _contracts(m: Machine, cls: ClassValue) -> Iterator[Misfit]:
    """What classes and interfaces of the language's own ask for."""
    line = ancestry(m, cls).classes
    above = [*line, *_interfaces(m, line)]
    outside = dict.fromkeys(
        name for each in above for name in (*each.node.bases, *each.node.interfaces) if find(m, name) is None
    )
    all_above = {each.lower() for name in outside for each in (name, *(own_bases(m, name) or ()))}
    if {"iterator", "iteratoraggregate"} <= all_above:
        yield Misfit(f"{cls.name} is both Iterator and IteratorAggregate", cls.node.line, cls, cls.node.line)
    methods = {_bare(has.member).lower() for has in _line_methods(m, cls)}
    made = cls.node.kind == "class" and "abstract" not in cls.node.modifiers
    strange = any(find(m, name) is None and own_bases(m, name) is None for each in line for name in each.node.bases)
    for name in outside:
        asks = cls.file.semantics.contract(name)
        named = name in (*cls.node.bases, *cls.node.interfaces) and cls.node.kind != "interface"
        inherited = any(name in (own_bases(m, other) or ()) for other in outside)
        if asks.closed and named and not inherited:
            yield Misfit(f"{cls.name} can't stand below {name}", cls.node.line, cls, cls.node.line)
        sealed = sorted({_bare(has.member).lower() for has in _own_methods(m, cls)} & asks.sealed)
        yield from (
            Misfit(f"{cls.name}::{each} takes the place of one that is final", cls.node.line, cls, cls.node.line)
            for each in sealed
        )
        missing = sorted(asks.asked - methods) if made and not (strange or inherited) else []
        yield from (
            Misfit(f"{cls.name} has no {each}(), which {name} asks for", cls.node.line, cls, cls.node.line)
            for each in missing
        )


def _interfaces(m: Machine, classes: list[ClassValue]) -> list[ClassValue]:
    return [face for face in faces(m, classes) if face.node.kind == "interface"]


def _kinds(m: Machine, cls: ClassValue) -> Iterator[Misfit]:
    """A class extends a class that is not final, implements interfaces, and uses traits."""
    node = cls.node
    wanted = "interface" if node.kind == "interface" else "class"
    for names, kind, verb in (
        (node.bases, wanted, "extends"),
        (node.interfaces, "interface", "implements"),
        (node.traits, "trait", "uses"),
    ):
        for other in (found for name in names if (found := find(m, name)) is not None):
            words = other.node.modifiers
            if other.node.kind != kind and not (node.kind == "interface" and other.node.kind == "interface"):
                yield Misfit(f"{node.name} {verb} {other.name}, which is no {kind}", node.line, other, other.node.line)
            elif kind == "class" and "final" in words:
                yield Misfit(
                    f"{node.name} extends {other.name}, which is final", node.line, other, other.node.line, "", FINAL
                )
            elif kind == "class" and ("readonly" in words) != ("readonly" in node.modifiers):
                yield Misfit(f"only one of {node.name} and {other.name} is readonly", node.line, other, other.node.line)


def _against(m: Machine, cls: ClassValue, base: ClassValue) -> Iterator[Misfit]:
    """What a class has of its own, or by its traits, against what the class above it has."""
    above = ancestry(m, base).classes

    def inherited_member(name: str, kinds: tuple[str, ...]) -> Has | None:
        for each in above:
            member = own_member(each, name, kinds)
            if isinstance(member, Function | Member):
                return Has(each, member)
        return None

    yield from _methods(m, cls, lambda method: inherited_member(_bare(method), ("method",)))
    for member in cls.node.members:
        kinds = ("constant",) if member.kind == "constant" else ("property", "static")
        found = inherited_member(member.name, kinds) if member.kind != "case" else None
        if found is not None and isinstance(found.member, Member) and "private" not in found.member.modifiers:
            yield from _member(Has(cls, member), found, member, found.member)


def _bare(member: Function | Member) -> str:
    return member.name.rpartition("::")[2]


def _own_methods(m: Machine, cls: ClassValue) -> Iterator[Has]:
    """The methods of a class and its traits; its own go before those. What a trait only names is none."""
    seen = set[str]()
    traits = [] if cls.node.adapted else [t for name in cls.node.traits if (t := find(m, name)) is not None]
    for each in (cls, *traits):
        for number in each.node.methods:
            function = each.file.code.functions[number]
            named = each.node.kind == "trait" and "abstract" in function.modifiers
            if not named and _bare(function).lower() not in seen:
                seen.add(_bare(function).lower())
                yield Has(each, function)


def _methods(m: Machine, cls: ClassValue, above: Callable[[Function], Has | None]) -> Iterator[Misfit]:
    """The methods of a class and its traits against those of the class above."""
    for mine in _own_methods(m, cls):
        theirs = above(mine.member) if isinstance(mine.member, Function) else None
        if theirs is not None and theirs.member is not mine.member:
            yield from _method(m, cls, mine, theirs)


def _asked_for(m: Machine, cls: ClassValue, other: ClassValue) -> Iterator[Misfit]:
    """What a class has against what an interface, or a trait of its own, only names."""
    own = {_bare(has.member).lower(): has for has in _line_methods(m, cls)}
    for number in other.node.methods:
        function = other.file.code.functions[number]
        mine = own.get(_bare(function).lower())
        named = other.node.kind == "interface" or "abstract" in function.modifiers
        if named and mine is not None and mine.member is not function:
            yield from _method(m, cls, mine, Has(other, function))


def _line_methods(m: Machine, cls: ClassValue) -> Iterator[Has]:
    """Every method that a class comes to have, under its name in small letters."""
    seen = set[str]()
    for each in ancestry(m, cls).classes:
        for has in _own_methods(m, each):
            name = _bare(has.member).lower()
            if name not in seen:
                seen.add(name)
                yield has


def _method(m: Machine, cls: ClassValue, mine: Has, theirs: Has) -> Iterator[Misfit]:
    own, other = mine.member, theirs.member
    assert isinstance(own, Function) and isinstance(other, Function)
    kind, words, above = theirs.cls.node.kind, own.modifiers, other.modifiers
    line = own.line if mine.cls.file == cls.file else cls.node.line
    abstract = kind == "interface" or "abstract" in above
    makes = _bare(own).lower() == "__construct" and not abstract
    if "private" in above and not abstract and not makes:
        return

    def misfit(because: str, doubt: str = "") -> Misfit:
        return Misfit(f"{mine.name} does not fit {theirs.name}: {because}", line, theirs.cls, other.line, doubt)

    if "final" in above:
        yield Misfit(
            f"{mine.name} takes the place of {theirs.name}, which is final", line, theirs.cls, other.line, "", FINAL
        )
    elif ("static" in words) != ("static" in above):
        yield misfit("only one of them is static")
    elif "abstract" in words and not abstract:
        yield misfit("it has no body")
    elif not makes and kind != "trait" and _visibility_rank(words) < _visibility_rank(above):
        yield misfit("it can be seen by less code")
    elif not makes:
        sides = signatures.Side(own, _self_name(mine, cls)), signatures.Side(other, _self_name(theirs, cls))
        for because, doubt in signatures.against(*sides, partial(_below, m)):
            yield misfit(because, doubt)


def _self_name(has: Has, cls: ClassValue) -> str:
    """What ``self`` means there: in a trait, the class that uses it."""
    return cls.name if has.cls.node.kind == "trait" else has.cls.name


def _below(m: Machine, name: str, wanted: str) -> bool | Unknown:
    """Whether objects of one class are objects of another one."""
    cls = find(m, name)
    if cls is None:
        return is_below(m, name, wanted)
    line = ancestry(m, cls)
    names = [
        n
        for each in (*line.classes, *faces(m, line.classes))
        for n in (each.name, *each.node.bases, *each.node.interfaces)
    ]
    if any(n.lower() == wanted for n in names):
        return True
    outside = [found for n in names if find(m, n) is None if (found := is_below(m, n, wanted)) is not False]
    return True if True in outside else next(iter(outside), False)


def _visibility_rank(words: tuple[str, ...]) -> int:
    return min((SEEN[word] for word in words if word in SEEN), default=2)


def _member(mine: Has, theirs: Has, own: Member, other: Member) -> Iterator[Misfit]:
    def misfit(because: str) -> Misfit:
        return Misfit(f"{mine.name} does not fit {theirs.name}: {because}", own.line, theirs.cls, other.line)

    if own.kind != other.kind:
        yield misfit("only one of them is static")
    elif _visibility_rank(own.modifiers) < _visibility_rank(other.modifiers):
        yield misfit("it can be seen by less code")
    elif own.kind == "constant" and "final" in other.modifiers:
        yield Misfit(
            f"{mine.name} takes the place of {theirs.name}, which is final", own.line, theirs.cls, other.line, "", FINAL
        )
    elif own.kind != "constant" and ("readonly" in own.modifiers) != ("readonly" in other.modifiers):
        yield misfit("only one of them is readonly")
    elif own.kind != "constant" and signatures.name(own.type) != signatures.name(other.type):
        yield misfit(f"its type is {own.type or 'none'}, and not {other.type or 'none'}")


def _left_abstract(m: Machine, cls: ClassValue) -> Iterator[Misfit]:
    """A class of which objects can be made has a body for each method that something above it only names."""
    line = ancestry(m, cls)
    if cls.node.kind not in ("class", "enum") or "abstract" in cls.node.modifiers or line.strange or line.open:
        return
    found = {_bare(h.member).lower(): h for h in _line_methods(m, cls)}
    wanted = [h for h in found.values() if "abstract" in h.member.modifiers]
    for other in (*_interfaces(m, line.classes), *(each for each in line.classes if each.node.kind == "trait")):
        functions = [other.file.code.functions[n] for n in other.node.methods]
        wanted += [Has(other, f) for f in functions if _bare(f).lower() not in found]
    for has in wanted:
        because = f"{cls.name} has no {has.member.name.rpartition('::')[2]}(), which {has.cls.name} asks for"
        yield Misfit(because, cls.node.line, has.cls, has.member.line)
