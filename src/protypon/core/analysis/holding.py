"""How code elsewhere can ask for an object that a site has made once: by a global variable, a class, or a function that gives it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.loading import Loading
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import ClassValue, Env, File, Thing
from protypon.core.languages.code import Function, Return, walk
from protypon.core.languages.values import Alias

MOST_CALLS = 200
"""Functions without parameters that are asked what they give."""
DEEPEST = 3
"""Attributes one after the other."""
HIDDEN = {"private", "protected"}


class Way(NamedTuple):
    """An expression that gives an object: what it begins with, and the attributes behind that."""

    root: str
    """``global``, ``attribute`` (of a class) or ``call``."""
    owner: str
    """The class that has it; empty for what belongs to none."""
    name: str
    attributes: tuple[str, ...] = ()


def ways_to(loaded: Loading, target: object) -> Iterator[Way]:
    """Every way to one object once a lineage has loaded, those by name before those by a call, the short ones first."""
    yield from _through(list(_global_holders(loaded.machine)), target)
    yield from _through(list(_function_results(loaded)), target)


def _through(found: list[tuple[Way, object]], target: object) -> Iterator[Way]:
    """The same for some objects, and what they hold."""
    seen = set[int]()
    for _ in range(DEEPEST + 1):
        below: list[tuple[Way, object]] = []
        for way, value in found:
            value = value.value if isinstance(value, Alias) else value
            if value is target:
                yield way
            elif isinstance(value, Thing) and id(value) not in seen:
                seen.add(id(value))
                names = [name for name in value.values if isinstance(name, str) and not name.startswith("\0")]
                below += [(way._replace(attributes=(*way.attributes, n)), value.values[n]) for n in names]
        found = below


def _global_holders(machine: Machine) -> Iterator[tuple[Way, object]]:
    """Global variables, and what classes hold."""
    for name, value in machine.globals.items():
        if isinstance(name, str):
            yield Way("global", "", name), value
    for cls in machine.state.classes.values():
        hidden = {m.name for m in cls.node.members if HIDDEN & set(m.modifiers)}
        for name, value in cls.statics.items():
            if isinstance(name, str) and name not in hidden:
                yield Way("attribute", cls.name, name), value


def _function_results(loaded: Loading) -> Iterator[tuple[Way, object]]:
    """What functions and methods of classes give that need nothing: asked, and what that changes taken back."""
    if not loaded.can_be_copied:
        return
    asked = [*_methods(loaded.machine), *_functions(loaded.machine)][:MOST_CALLS]
    for way, file in asked:
        yield from ((way, value) for value in _answer(loaded, f"{way.owner}::{way.name}".removeprefix("::"), file))


def _answer(loaded: Loading, name: str, file: File) -> list[object]:
    """What a function gives, where it comes back."""
    run = Loading(loaded.site).go_on_from(loaded)
    found: list[object] = []
    with run.machine.memory.watching() as start:
        run.machine.frames.append(Frame(file, Env({})))
        run.follow(lambda: found.append(run.machine.call(name, [])))
        run.machine.frames.pop()
        run.machine.memory.take_back(start)
    return found


def _asks_for_nothing(function: Function) -> bool:
    """Whether a function can be called without arguments, and gives something."""
    return not function.fewest and any(
        isinstance(node, Return) and node.value is not None for part in function.body for node in walk(part)
    )


def _methods(machine: Machine) -> Iterator[tuple[Way, File]]:
    for cls in machine.state.classes.values():
        for function in _own_methods(cls):
            if "static" in function.modifiers and not HIDDEN & set(function.modifiers):
                yield Way("call", cls.name, function.name.rpartition("::")[2]), cls.file


def _own_methods(cls: ClassValue) -> Iterator[Function]:
    return (f for n in cls.node.methods if _asks_for_nothing(f := cls.file.code.functions[n]))


def _functions(machine: Machine) -> Iterator[tuple[Way, File]]:
    for declared in machine.state.functions.values():
        if _asks_for_nothing(declared.closure.function):
            yield Way("call", "", declared.name), declared.closure.file
