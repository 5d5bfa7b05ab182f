"""What differs between languages in what their operations give, and what their own functions do: one module each, behind these Protocols."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple, NoReturn, Protocol

from protypon.core.languages.code import Code, Expression
from protypon.core.languages.values import Alias, Unknown


class OwnFunction(NamedTuple):
    """What is known of a function that comes with a language."""

    changes: tuple[int, ...] = ()
    """Arguments that it changes, by their places."""
    changes_from: int | None = None
    """From which place on it changes all that are left."""
    calls: bool = False
    """It calls what it is given."""
    prints: bool = False

    def changed(self, place: int) -> bool:
        """Whether it changes an argument."""
        return place in self.changes or (self.changes_from is not None and place >= self.changes_from)


class Run(Protocol):
    """What a function of a language may ask of the run that it is called in."""

    def read(self, name: str) -> object:
        """A variable where it is called; ABSENT where there is none."""

    def bind(self, name: str, value: object) -> None:
        """Give such a variable a value."""

    def lose_names(self, why: str) -> None:
        """From here on, any variable there may have any value."""

    def anything(self, why: str) -> None:
        """Whatever can be done may be done here."""

    def arguments(self) -> list[object]:
        """What the function was given that calls it."""

    def call(self, target: object, given: list[object], named: dict[str, object]) -> object:
        """Follow a call of a value."""

    def is_callable(self, target: object) -> bool | Unknown:
        """Whether a value can be called."""

    def is_guarded(self, name: str) -> bool:
        """Whether code sets a constant only if it is not set yet: as long as nobody has, it is not there."""

    def finds_classes(self) -> None:
        """Note that code says how classes are found that are not there yet."""

    def has_file(self, path: object, what: str) -> bool | Unknown:
        """Whether there is a ``file``, a ``folder``, or ``any`` of them, at a path."""

    def function_exists(self, name: object) -> bool | Unknown:
        """Whether there is a function of a name."""

    def class_of(self, value: object) -> object:
        """The name of an object's class, or of the class in whose code it is (for nothing)."""

    def class_exists(self, name: object) -> bool | Unknown:
        """Whether there is a class of a name."""

    def base_of(self, value: object) -> object:
        """The name of the class above that of an object, or a class."""

    def has(self, value: object, name: object, what: str) -> bool | Unknown:
        """Whether an object or class has a ``method`` or an ``attribute``."""

    def is_a(self, value: object, name: object) -> bool | Unknown:
        """Whether an object is one of a class, or of one below it."""

    def constant(self, name: object) -> object:
        """What a constant is; ABSENT where it is not known."""

    def attribute(self, on: object, name: object) -> object:
        """An attribute of a value."""

    def set_attribute(self, on: object, name: object, value: object) -> None:
        """Set an attribute of a value."""

    def change(self, holder: object, value: object) -> None:
        """Put other contents into a list or table that is shared."""

    def buffer(self, how: str) -> object:
        """``begin`` to hold back what is printed; ``get``, ``drop`` or ``print`` it."""

    def fail(self, name: str, *said: object) -> object:
        """Raise an error of one of the language's own classes."""

    def print(self, text: object) -> None:
        """Print a text, or one that is not known."""

    def steps(self, value: object) -> Iterator[object]:
        """The items of a value, each worked out when it is asked for; the call is over where nobody knows how it goes on."""

    def items(self, value: object, keyed: bool = False) -> list[tuple[object, object]] | None:
        """All keys and items of a value (``keyed``: the keys count); None where they are not known."""

    def stop_uncountable(self, why: str) -> NoReturn:
        """Nobody knows how it goes on: the call is over."""

    def truth(self, value: object) -> bool | Unknown:
        """Whether a value counts as true; an object says that itself."""

    def stream(self, rows: Iterator[object], sources: list[object], *calls: object) -> object:
        """What gives values one after the other, each worked out of some sources when it is asked for; it may call something."""

    def iterate(self, value: object) -> object:
        """What gives the items of a value one by one."""

    def following(self, value: object, otherwise: object) -> object:
        """The next item; at the end ``otherwise`` (ABSENT: an error)."""

    def result_of(self, value: object) -> object:
        """What a coroutine returns, all of which is run."""

    def only_gives(self, target: object) -> bool:
        """Whether calling something does nothing but give a value, so that nobody sees how often it is called."""

    def view(self, items: list[object], sources: list[object]) -> object:
        """Items that stand elsewhere: any number of times, as long as the lists that they come from stay as they are."""

    def ask(self, value: object, name: str) -> object:
        """What a method of an object gives; ABSENT where it is none, or has none of that name."""

    def reference(self, value: object) -> Alias:
        """A variable that can have several names."""

    def class_value(self, value: object) -> object:
        """The class of a value, as a value."""

    def is_subclass(self, cls: object, other: object) -> bool | Unknown:
        """Whether a class is another one (or one of several), or below it."""

    def own_function(self, name: str) -> object:
        """A function of the language's own as a value."""

    def partial(self, target: object, given: list[object], named: dict[str, object]) -> object:
        """What can be called, with some arguments given already."""

    def bare_object(self, cls: object) -> object:
        """A new object that nothing was done with."""

    def made_class(self, given: list[object]) -> object:
        """What ``type.__new__`` makes in a metaclass, of a name, the classes above, and a table."""

    def operate(self, op: str, values: list[object]) -> object:
        """What an operation gives, also on objects."""

    def compares_purely(self, value: object) -> bool:
        """Whether nobody sees how often a value is compared with others."""

    def call_perhaps(self, target: object, why: str) -> None:
        """Something may be called, with anything and any number of times."""

    def above(self) -> object:
        """What ``super()`` gives."""

    def text(self, value: object) -> str | Unknown:
        """A value as it is printed; an object says itself how."""

    def static_class(self) -> object:
        """The class that a method was called on."""


class Changes(NamedTuple):
    """What a function gives, and what arguments that it was given by reference are from here on, by their numbers."""

    given: object
    now: dict[int, object]


LEFT = Unknown("what a function of the language gives")
"""What a function gives that is followed, but not with these arguments: it may do all that is said of it."""
Native = Callable[[Run, list[object], dict[str, object]], object]
"""A function of a language itself: from arguments by place and by name, what it gives."""


class Contract(NamedTuple):
    """What a class that comes with a language asks of one that extends or implements it; names in small letters."""

    asked: frozenset[str] = frozenset()
    """Methods that it must have."""
    sealed: frozenset[str] = frozenset()
    """Methods that it can't have of its own."""
    closed: bool = False
    """It can't be extended or implemented at all."""


class Default(NamedTuple):
    """A name that code sets only if it is not set yet."""

    name: str
    """Of a variable with the sign before it."""
    value: Expression
    line: int
    local: bool = False
    """It is a variable of the place where it stands, and no global one by its name."""
    top: bool = False
    """It stands in no function."""


class Pull(NamedTuple):
    """How a language runs another file."""

    once: bool
    """One that has run does not run again."""
    needed: bool
    """Without it the program ends."""


class Semantics(Protocol):
    """What a language makes of values. Where a value can't be known, or an operation fails, the answer is :class:`Unknown`."""

    LANGUAGE: str
    """Its name."""
    HOISTS: bool
    """Functions at the top of a file are there before its first statement runs."""
    FOLDS_CASE: bool
    """Letter case makes no difference in the names of functions and classes."""
    COPIES: bool
    """A list that is given to another variable is another list."""
    SIGN: str
    """What names of variables begin with."""
    NATIVES: Mapping[str, Native]
    """Functions of the language that are followed, by name."""
    PULLS: Mapping[str, Pull]
    """What of the language itself runs another file, by name."""
    METHODS: Mapping[str, Native]
    """Methods of its lists, tables and texts, likewise; what they are called on comes first."""

    @staticmethod
    def defaults_in(code: Code) -> tuple[Default, ...]:
        """What a file sets only if it is not set yet, by the language's own means."""

    @staticmethod
    def constant(name: str) -> object:
        """What a constant of the language is; ABSENT where it has none of that name, or it is not the same everywhere."""

    @staticmethod
    def is_own(name: str) -> bool:
        """Whether a function of that name may come with the language itself."""

    @staticmethod
    def own(name: str) -> OwnFunction | None:
        """What a function of the language does to its arguments; None where none is called so."""

    @staticmethod
    def takes_texts(name: str) -> bool:
        """Whether what a function of the language is given counts as a text; an object says itself as which."""

    @staticmethod
    def bases(name: str) -> tuple[str, ...] | None:
        """All that a class of the language's own inherits; None where it has no class of that name."""

    @staticmethod
    def contract(name: str) -> Contract:
        """What a class of the language's own asks of those that extend or implement it."""

    @staticmethod
    def truth(value: object) -> bool | Unknown:
        """Whether a value counts as true."""

    @staticmethod
    def text(value: object) -> str | Unknown:
        """A value as it is printed."""

    @staticmethod
    def operate(op: str, values: list[object]) -> object:
        """What an operation on all its values gives."""

    @staticmethod
    def fit_value(value: object, parts: list[str], strict: bool) -> object:
        """A plain value as one of some types, by name; or the error of one that does not fit."""

    @staticmethod
    def item(holder: object, key: object) -> object:
        """An item of a list, table or text; ABSENT where there is none."""

    @staticmethod
    def entries(value: object) -> list[tuple[object, object]] | Unknown:
        """Keys and items in the order in which a loop goes through them."""

    @staticmethod
    def literal_value(pairs: list[tuple[object, object]], kind: str) -> object:
        """A list or table that is written out; the key ABSENT stands for the next number."""

    @staticmethod
    def with_item(holder: object, key: object, value: object) -> object:
        """What the inside of a list or table becomes when an item is set; the key ABSENT adds one."""

    @staticmethod
    def without_item(holder: object, key: object) -> object:
        """What it becomes when an item is taken out."""
