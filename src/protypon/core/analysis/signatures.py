"""Whether a function can stand where another one is expected: its arguments, and the types that it names.

PHP manual, Variance: what is taken may be wider than above, what is given narrower.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from protypon.core.languages.code import Function, Lit, Param
from protypon.core.languages.values import Unknown

PLAIN = frozenset({"int", "float", "string", "array", "true", "false", "null", "void", "never"})
"""Types of which none is a part of another one."""
WIDER = {"bool": {"true", "false"}, "iterable": {"array", "traversable"}}
ANY_OBJECT, UNCLEAR = "object", frozenset({"callable", "static", "parent"})
NOT_SURE = "whether the types fit is not known"
Below = Callable[[str, str], "bool | Unknown"]
"""Whether objects of one class are objects of another one."""


class Side(NamedTuple):
    """One of two methods, and the class that it stands in."""

    function: Function
    cls: str


def name(type_: str) -> str:
    """A type as it is compared: in small letters, without space, ``?T`` as ``T|null``."""
    text = "".join(type_.lower().split()).replace("\\", "\\")
    parts = {*text[1:].split("|"), "null"} if text.startswith("?") else set(text.split("|"))
    return "|".join(sorted(part.lstrip("\\") for part in parts))


def _parts(text: str, cls: str) -> set[str]:
    parts = (cls.lower() if part == "self" else part for part in name(text).split("|"))
    return {plain for part in parts for plain in WIDER.get(part, {part})}


def _fits(narrow: set[str], wide: set[str], below: Below) -> bool | Unknown:
    """Whether all that is of one type is of another one."""
    found = [_is_part(part, wide, below) for part in narrow]
    return False if False in found else next((each for each in found if isinstance(each, Unknown)), True)


def _is_part(part: str, wide: set[str], below: Below) -> bool | Unknown:
    if part in wide or (part not in PLAIN and ANY_OBJECT in wide):
        return True
    if part in PLAIN:
        return Unknown(NOT_SURE) if "callable" in wide and part in ("string", "array") else False
    others = wide - PLAIN
    if part in UNCLEAR or others & UNCLEAR or "&" in part or any("&" in each for each in others):
        return Unknown(NOT_SURE)
    found = [below(part, each) for each in others]
    return True if True in found else next((each for each in found if isinstance(each, Unknown)), False)


def against(one: Side, other: Side, below: Below) -> Iterator[tuple[str, str]]:
    """Why a method does not fit the one that it takes the place of, and why that is not sure (empty: it is)."""
    mine, theirs = one.function.params, other.function.params
    if _required_count(mine) > _required_count(theirs):
        yield (
            f"it needs {_required_count(mine)} argument{'s' * (_required_count(mine) != 1)}, and that one {_required_count(theirs)}",
            "",
        )
        return
    rest = mine[-1] if mine and mine[-1].way.endswith("*") else None
    if (theirs and theirs[-1].way.endswith("*")) and rest is None:
        yield "it does not take any number of arguments", ""
        return
    for number, above in enumerate(theirs):
        own = mine[number] if number < len(mine) else rest
        if own is None:
            yield f"it takes {len(mine)} argument{'s' * (len(mine) != 1)}, and that one {len(theirs)}", ""
            return
        if own.way.startswith("&") != above.way.startswith("&"):
            yield f"only one of them takes {above.name} by reference", ""
        takes, taken = _type(own), _type(above)
        if taken and name(taken) != "mixed":
            fits = not takes or name(takes) == "mixed" or _fits(_parts(taken, other.cls), _parts(takes, one.cls), below)
        else:
            fits = not takes or name(takes) == "mixed"
        if fits is not True:
            doubt = fits.why if isinstance(fits, Unknown) else ""
            yield f"it takes {takes} for {own.name}, and that one {taken or 'anything'}", doubt
    if "&" in other.function.modifiers and "&" not in one.function.modifiers:
        yield "it does not give a reference", ""
    yield from _result(one, other, below)


def _required_count(params: tuple[Param, ...]) -> int:
    """Up to the last one that must be given."""
    return max((n for n, p in enumerate(params, 1) if p.default is None and not p.way.endswith("*")), default=0)


def _type(param: Param) -> str:
    """The type of a parameter; one whose default is null takes null too."""
    nullable = isinstance(param.default, Lit) and param.default.value is None
    return f"{param.type}|null" if param.type and nullable and not param.type.startswith("?") else param.type


def _result(one: Side, other: Side, below: Below) -> Iterator[tuple[str, str]]:
    own, above = one.function.returns, other.function.returns
    if not above or name(own) == "never":
        return
    if not own:
        yield f"it does not say that it gives {above}", ""
        return
    fits = _fits(_parts(own, one.cls), _parts(above, other.cls), below)
    if name(above) == "mixed":
        fits = name(own) != "void"
    if fits is not True:
        yield f"it gives {own}, and that one {above}", fits.why if isinstance(fits, Unknown) else ""
