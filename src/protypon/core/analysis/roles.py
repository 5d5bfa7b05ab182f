"""What a call that means something is given for each role, and what it then does."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.analysis.machine import Frame, Machine, Roles
from protypon.core.languages.values import Alias, Box, Unknown
from protypon.core.platform.arguments import Argument
from protypon.core.platform.meanings import Meaning


def apply(
    m: Machine, meanings: Iterable[Meaning], given: list[object], named: dict[str, object], frame: Frame
) -> object:
    """Do all that a call means, one meaning after the other; what the last one gives is what it gives."""
    result: object = None
    for meaning in meanings:
        rest = list(given)
        for roles in by_role(meaning.arguments, rest, dict(named)):
            result = m.follow.effects[meaning.does](m, meaning, roles, rest, frame)
    return result


def apply_mark(
    m: Machine, meanings: Iterable[Meaning], given: list[object], named: dict[str, object], frame: Frame, known: Roles
) -> None:
    """Do all that a mark means; ``known`` is what the place where it stands says."""
    for meaning in meanings:
        rest = list(given)
        arguments = tuple(argument for argument in meaning.arguments if argument.role != "callback")
        for roles in by_role(arguments, rest, dict(named)):
            m.follow.effects[meaning.does](m, meaning, {**known, **roles, "callback": known["callback"]}, rest, frame)


def by_role(arguments: tuple[Argument, ...], given: list[object], named: dict[str, object]) -> list[Roles]:
    """What a call gives for each role of its meaning: one table, or one for each array of a list. It is taken out of both."""
    tables: list[Roles] = [{}]
    for argument in arguments:
        if argument.keyword in named:
            found: list[object] = [named.pop(argument.keyword)]
        else:
            found = [given.pop(0)] if given else []
        if not argument.entries:
            role = {argument.role: found[0]} if found else _default(argument)
            tables = [table | role for table in tables]
        else:
            arrays = _arrays(argument, found)
            tables = [table | _of_array(argument, array) for table in tables for array in arrays]
    return tables


def _default(argument: Argument) -> Roles:
    return {} if argument.default is None else {argument.role: argument.default}


def _arrays(argument: Argument, found: list[object]) -> list[object]:
    if not argument.each:
        return found or [{}]
    rows = _pairs(found[0]) if found else {}
    return [rows] if isinstance(rows, Unknown) else list(rows.values())


def _of_array(argument: Argument, array: object) -> Roles:
    """The roles of an array's entries; of one that is not known, none is."""
    roles: Roles = {}
    for entry in argument.entries:
        here: object = array
        there = True
        for key in entry.keyword.split("."):
            pairs = _pairs(here)
            if isinstance(pairs, Unknown):
                here = pairs
                break
            there = key in pairs
            here = pairs.get(key, {})
        roles |= {entry.role: here} if there else _default(entry)
    return roles


def _pairs(value: object) -> dict[str, object] | Unknown:
    """A list or table by key, each written as a text."""
    inside = value.value if isinstance(value, Box | Alias) else value
    inside = inside.value if isinstance(inside, Box | Alias) else inside
    if isinstance(inside, dict):
        return {str(key): item for key, item in inside.items()}
    if isinstance(inside, list | tuple):
        return {str(key): item for key, item in enumerate(inside)}
    return inside if isinstance(inside, Unknown) else {}
