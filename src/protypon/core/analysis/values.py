"""Values that belong to one run: files, functions, classes and objects of the lineage, variables."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import Any, Protocol

from protypon.core.languages.code import Class, Code, Function
from protypon.core.languages.semantics import Semantics
from protypon.core.languages.values import FOLDER, Descriptor, Unknown, in_theme


@dataclass(frozen=True, slots=True)
class File:
    """One code file or template of one theme."""

    theme: str
    path: str
    code: Code = field(repr=False, compare=False)
    semantics: Semantics = field(repr=False, compare=False)

    @property
    def hoists(self) -> bool:
        """Whether its functions are there before the first statement runs."""
        return self.semantics.HOISTS

    @property
    def folds(self) -> bool:
        """Whether names of functions and classes are the same in any letter case."""
        return self.semantics.FOLDS_CASE

    @property
    def folder(self) -> Unknown:
        """The folder in which it lies, as a value."""
        return in_theme(FOLDER, self.theme, self.path.rpartition("/")[0])


@dataclass(frozen=True, eq=False, slots=True)
class Closure:
    """A function as a value: which one, the variables that it sees, and its object or class."""

    function: Function
    file: File
    env: Env | None = None
    this: object = None
    cls: str = ""
    """The class in which it stands."""
    static: str = ""
    """The class that ``static`` means."""
    kept: dict[object, object] = field(default_factory=dict)
    """Its static variables, where it is a value of its own."""
    defaults: dict[str, object] | None = None
    """What its parameters are if they are not given, in languages that work that out where it is declared."""
    attributes: dict[object, object] = field(default_factory=dict)
    """What it was given as an object, in languages where it is one."""

    @property
    def name(self) -> str:
        """The name that the function was declared with."""
        return self.function.name

    @property
    def key(self) -> tuple[str, str, int]:
        """Theme, path and offset: which function it is."""
        return self.file.theme, self.file.path, self.function.start


@dataclass(frozen=True, eq=False, slots=True)
class Thing:
    """An object of a class, and those of its attributes that were set."""

    cls: str
    values: dict[object, object] = field(default_factory=dict)
    lost: dict[object, object] = field(default_factory=dict)
    """Under ``""``, why its attributes can't be known any more."""


HELD = "\0items"
"""Under this an object of the language that stands for a list keeps it."""


def held_items(on: Thing) -> object | None:
    """The list that an object stands for; None where it is none of those, or nobody knows."""
    return None if "" in on.lost else on.values.get(HELD)


class Source(Protocol):
    """Where the values of a :class:`Stream` come from."""

    result: object
    """What it returns at its end."""

    def resume(self, sent: Any) -> tuple[object, object] | None:
        """The next key and value; nothing at the end."""

    def spare(self) -> None:
        """Follow all that it may still do."""


@dataclass(frozen=True, eq=False, slots=True)
class Stream:
    """What gives its values one by one, each worked out when it is asked for."""

    kind: str
    """``generator``, ``coroutine``, or ``iterator`` (made by a function of the language)."""
    name: str
    source: Source
    born: tuple[object, ...]
    """In what doubt it was begun."""
    slots: dict[object, object]
    """How far it has come: ``row`` (the last key and value), ``count``, ``over``, ``result``; ``guarded``: something is to be done in any
    case; ``lost``: why nobody knows."""


@dataclass(frozen=True, slots=True)
class PlatformCall:
    """A call of the platform as a value."""

    name: str


@dataclass(frozen=True, slots=True)
class OwnCall:
    """A function of the language's own as a value."""

    name: str


@dataclass(frozen=True, eq=False, slots=True)
class Partial:
    """What can be called, with some arguments given already."""

    target: object
    given: tuple[object, ...]
    named: tuple[tuple[str, object], ...]


@dataclass(frozen=True, slots=True)
class OwnClass:
    """A class of the language's own as a value; there is one of each name (:func:`own_class`)."""

    name: str


@cache
def own_class(name: str) -> OwnClass:
    """The one of a name."""
    return OwnClass(name)


@dataclass(frozen=True, slots=True)
class Above:
    """``super()``: the classes behind one of an object's line."""

    on: object
    """The object, or the class that a class method was called on."""
    after: str


@dataclass(frozen=True, slots=True)
class AccessorOf:
    """``prop.setter``: what makes another property of one and a function."""

    prop: Descriptor
    kind: str


@dataclass(frozen=True, slots=True)
class Bound:
    """A method of an object."""

    thing: Thing
    name: str


@dataclass(frozen=True, eq=False, slots=True)
class ClassValue:
    """A class of the lineage, declared."""

    node: Class
    file: File
    statics: dict[object, object]
    """Its properties, and where a language keeps all in one place, its methods too."""
    env: Env | None = None
    doubt: str = ""

    @property
    def name(self) -> str:
        """Under what it is known; where several are called the same, each has a name of its own."""
        return self.node.name

    @property
    def written(self) -> str:
        """How it is written."""
        return written_name(self.node.name)


def written_name(name: str) -> str:
    """The name of a class as it is written, of the one under which it is known."""
    return name.partition("#")[0]


@dataclass(slots=True)
class Env:
    """Variables, and those around them."""

    values: dict[object, object]
    outer: Env | None = None
    own: tuple[str, ...] = ()
    """Names that are its own though nothing may be kept under them yet."""

    def holder(self, name: str) -> dict[object, object] | None:
        """Where a variable is kept; None where it is not there."""
        env: Env | None = self
        while env is not None:
            if name in env.values or name in env.own:
                return env.values if name in env.values else None
            env = env.outer
        return None
