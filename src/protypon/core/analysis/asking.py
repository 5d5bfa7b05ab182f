"""What a language's own functions may ask of the run that they are called in."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NoReturn

from protypon.core.analysis import classes, going, objects, operators, outside, purity, raising, records, streams
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import bind_name, read_name
from protypon.core.analysis.values import (
    Above,
    Bound,
    ClassValue,
    Closure,
    OwnCall,
    OwnClass,
    Partial,
    PlatformCall,
    Stream,
    Thing,
    held_items,
    own_class,
)
from protypon.core.languages.values import ABSENT, Alias, Box, Unknown


class Asking:
    """One call of such a function (:class:`protypon.core.languages.semantics.Run`)."""

    def __init__(self, m: Machine, frame: Frame) -> None:
        self.m, self.frame = m, frame

    def read(self, name: str) -> object:
        """A variable where it is called; ABSENT where there is none."""
        return read_name(self.m, name, self.frame)

    def bind(self, name: str, value: object) -> None:
        """Give such a variable a value."""
        bind_name(self.m, name, value, self.frame)

    def lose_names(self, why: str) -> None:
        """From here on, any variable there may have any value."""
        outside.lose_names(self.m, why, self.frame)

    def anything(self, why: str) -> None:
        """Whatever can be done may be done here."""
        self.m.give_up(why)
        outside.any_function(self.m, Unknown(why), why)
        self.lose_names(why)

    def fail(self, name: str, *said: object) -> object:
        """Raise an error of one of the language's own classes."""
        raising.raise_error(self.m, name, said or None)

    def print(self, text: object) -> None:
        """Print a text, or one that is not known."""
        self.m.print(text if isinstance(text, str | Unknown) else Unknown("what is printed"))

    def steps(self, value: object) -> Iterator[object]:
        """The items of a value, each worked out when it is asked for; the call is over where nobody knows how it goes on."""
        return (item for _, item in going.steps(self.m, value, self.frame))

    def items(self, value: object, keyed: bool = False) -> list[tuple[object, object]] | None:
        """All keys and items of a value (``keyed``: the keys count); None where they are not known."""
        found = going.items(self.m, value, self.frame, keyed)
        return None if isinstance(found, Unknown) else found

    def stop_uncountable(self, why: str) -> NoReturn:
        """Nobody knows how it goes on: the call is over."""
        raise streams.Uncounted(why)

    def truth(self, value: object) -> bool | Unknown:
        """Whether a value counts as true."""
        return self.m.truth(value, self.frame)

    def stream(self, rows: Iterator[object], sources: list[object], *calls: object) -> object:
        """What gives values one after the other, each worked out of some sources when it is asked for; it may call something."""

        def may() -> None:
            for each in sources:
                self.m.use_up(each)
            self.m.hand_out(calls, "an iterator", False)

        return streams.made_of(self.m, rows, may)

    def iterate(self, value: object) -> object:
        """What gives the items of a value one by one."""
        if isinstance(value, Stream):
            return value
        if isinstance(value, Thing) and isinstance(classes.method(self.m, value.cls, "__iter__"), Closure):
            return objects.call_method(self.m, value, "__iter__", [])
        return self.stream(self.steps(value), [value])

    def following(self, value: object, otherwise: object) -> object:
        """The next item; at the end ``otherwise`` (ABSENT: an error)."""
        if isinstance(value, Stream):
            return streams.following(self.m, value, otherwise)
        if isinstance(value, Thing) and isinstance(classes.method(self.m, value.cls, "__next__"), Closure):
            if otherwise is ABSENT:
                return objects.call_method(self.m, value, "__next__", [])
            found = next(going.until_it_stops(self.m, value), None)
            return otherwise if found is None else found[1]
        return Unknown("what comes next is not known")

    def result_of(self, value: object) -> object:
        """What a coroutine returns, all of which is run."""
        return streams.await_value(self.m, value)

    def view(self, items: list[object], sources: list[object]) -> object:
        """Items that stand elsewhere: any number of times, as long as the lists that they come from stay as they are."""
        lists = tuple((s.slots, "value", s.value) for s in sources if isinstance(s, Box))
        return self.m.note_box(Box("view", {"value": tuple(items), "from": lists}))

    def ask(self, value: object, name: str) -> object:
        """What a method of an object gives; ABSENT where it is none, or has none of that name."""
        members = classes.members_of(value) if isinstance(value, ClassValue) else None
        if members is not None and name == "__len__":
            return len(members)
        held = held_items(value) if isinstance(value, Thing) else None
        if isinstance(held, Box) and name == "__len__" and isinstance(held.value, list | dict):
            own = classes.method(self.m, value.cls, name) if isinstance(value, Thing) else None
            return self.m.call(own, [], {}) if isinstance(own, Closure) else len(held.value)
        found = classes.method(self.m, value.cls, name) if isinstance(value, Thing) else None
        if isinstance(found, Closure) and isinstance(value, Thing):
            return objects.call_method(self.m, value, name, [])
        return ABSENT

    def reference(self, value: object) -> Alias:
        """A variable that can have several names."""
        return self.m.reference(value)

    def class_value(self, value: object) -> object:
        """The class of a value, as a value."""
        if isinstance(value, Thing):
            return classes.find(self.m, value.cls) or own_class(value.cls)
        if isinstance(value, ClassValue):
            maker = classes.maker_of(self.m, value)
            return own_class("type") if maker is None else maker
        if isinstance(value, Box):
            return own_class(value.kind) if value.kind in ("list", "dict", "set") else Unknown("the class of a value")
        plain = isinstance(value, str | int | float | tuple | None)
        return own_class(type(value).__name__) if plain else Unknown("the class of a value")

    def is_subclass(self, cls: object, other: object) -> bool | Unknown:
        """Whether a class is another one (or one of several), or below it."""
        if isinstance(other, tuple):
            found = [self.is_subclass(cls, each) for each in other]
            return True if True in found else next((each for each in found if isinstance(each, Unknown)), False)
        if isinstance(cls, ClassValue) and isinstance(other, ClassValue | OwnClass):
            return classes.is_a(self.m, self.m.thing(cls.name), other)
        if isinstance(cls, OwnClass) and isinstance(other, OwnClass):
            return classes.is_below(self.m, cls.name, other.name)
        return False if isinstance(cls, OwnClass) and isinstance(other, ClassValue) else Unknown()

    def own_function(self, name: str) -> object:
        """A function of the language's own as a value."""
        return OwnCall(name)

    def partial(self, target: object, given: list[object], named: dict[str, object]) -> object:
        """What can be called, with some arguments given already."""
        return Partial(target, tuple(given), tuple(named.items()))

    def bare_object(self, cls: object) -> object:
        """A new object that nothing was done with."""
        return self.m.thing(cls.name) if isinstance(cls, ClassValue) else Unknown("an object of what can't be known")

    def made_class(self, given: list[object]) -> object:
        """What ``type.__new__`` makes in a metaclass, of a name, the classes above, and a table."""
        made = self.m.making[-1] if self.m.making else None
        table = given[3].value if len(given) == 4 and isinstance(given[3], Box) else None
        if made is None or not isinstance(table, dict) or given[1] != made.written:
            return Unknown("a class made at run time")
        for key in [*made.statics, *table]:
            self.m.write(made.statics, key, table.get(key, ABSENT))
        return made

    def operate(self, op: str, values: list[object]) -> object:
        """What an operation on all its values gives."""
        if any(isinstance(value, Thing) for value in values):
            return operators.operate(self.m, op, values, self.frame)
        return self.m.apply_operator(op, values, self.frame)

    def compares_purely(self, value: object) -> bool:
        """Whether nobody sees how often a value is compared with others."""
        cls = classes.find(self.m, value.cls) if isinstance(value, Thing) else None
        if not isinstance(value, Thing):
            return True
        if cls is not None and records.record_of(self.m, cls, "__lt__") is not None:
            return True
        found = classes.method(self.m, value.cls, "__lt__")
        return isinstance(found, Closure) and purity.only_gives(self.m, found.function, found.file.semantics)

    def call_perhaps(self, target: object, why: str) -> None:
        """Something may be called, with anything and any number of times."""
        self.m.hand_out([target], why, False)

    def above(self) -> object:
        """What ``super()`` gives."""
        frame = self.frame
        on = frame.this if isinstance(frame.this, Thing | ClassValue) else None
        if on is None and frame.given and isinstance(frame.given[0], ClassValue):
            on = frame.given[0]
        return Above(on, frame.cls) if on is not None and frame.cls else Unknown("what stands above a class")

    def text(self, value: object) -> str | Unknown:
        """A value as it is printed."""
        return self.m.text(value, self.frame)

    def only_gives(self, target: object) -> bool:
        """Whether calling something does nothing but give a value, so that nobody sees how often it is called."""
        closure, _ = self.m.closure_of(target)
        return closure is not None and purity.only_gives(self.m, closure.function, closure.file.semantics)

    def arguments(self) -> list[object]:
        """What the function was given that calls it."""
        return self.frame.given

    def call(self, target: object, given: list[object], named: dict[str, object]) -> object:
        """Follow a call of a value."""
        return self.m.call(target, given, named)

    def is_callable(self, target: object) -> bool | Unknown:
        """Whether a value can be called."""
        if isinstance(target, Unknown):
            return Unknown()
        if self.m.closure_of(target)[0] is not None or isinstance(
            target, Closure | Bound | ClassValue | PlatformCall | OwnCall | OwnClass | Partial
        ):
            return True
        if isinstance(target, str) and "::" not in target:
            return self.function_exists(target)
        pair = list(target.split("::", 1)) if isinstance(target, str) else target
        if isinstance(pair, list) and len(pair) == 2 and isinstance(pair[1], str):
            return self._has_for_all_names(pair[0])
        return False if isinstance(target, int | float | None) else Unknown()

    def _has_for_all_names(self, on: object) -> bool | Unknown:
        """Whether a class has a method for all names that it does not have."""
        cls = classes.find(self.m, on.cls if isinstance(on, Thing) else on if isinstance(on, str) else "")
        magic = "__call" if isinstance(on, Thing) else "__callStatic"
        if cls is None or not cls.file.folds:
            return Unknown()
        return True if isinstance(classes.method(self.m, cls, magic), Closure) else Unknown()

    def is_guarded(self, name: str) -> bool:
        """Whether code sets a constant only if it is not set yet: as long as nobody has, it is not there."""
        return name in self.m.guarded and not self.m.state.blind_about("points")

    def finds_classes(self) -> None:
        """Note that code says how classes are found that are not there yet."""
        self.m.state.autoloads = True

    def has_file(self, path: object, what: str) -> bool | Unknown:
        """Whether there is a ``file``, a ``folder``, or ``any`` of them, at a path."""
        if "has" not in self.m.finds:
            return Unknown("whether there is a file")
        found = self.m.finds["has"](path, what)
        assert isinstance(found, bool | Unknown)
        return found

    def function_exists(self, name: object) -> bool | Unknown:
        """Whether there is a function of a name."""
        if not isinstance(name, str):
            return Unknown("whether a function exists whose name is made at run time")
        found = self.m.state.functions.get(name.lstrip("\\").lower()) or self.m.state.functions.get(name)
        if found is not None:
            return Unknown(found.doubt) if found.doubt else True
        if any(each.lower() == name.lower().lstrip("\\") for each in (*self.m.rules.functions, *self.m.rules.calls)):
            return True
        return self._elsewhere("function", name, self.m.is_own(name))

    def class_of(self, value: object) -> object:
        """The name of an object's class, or of the class in whose code it is (for nothing)."""
        if value is None:
            return self.frame.cls or Unknown("the class that it stands in")
        return value.cls if isinstance(value, Thing) else Unknown("the class of a value")

    def static_class(self) -> object:
        """The class that a method was called on."""
        return self.frame.static or Unknown("the class that it was called on")

    def class_exists(self, name: object) -> bool | Unknown:
        """Whether there is a class of a name."""
        found = classes.find(self.m, name) if isinstance(name, str) else None
        if found is not None:
            return Unknown(found.doubt) if found.doubt else True
        if not isinstance(name, str):
            return Unknown("whether a class exists whose name is made at run time")
        if any(each.lower() == name.lower().lstrip("\\") for each in self.m.rules.classes):
            return True
        return self._elsewhere("class", name, classes.own_bases(self.m, name) is not None)

    def _elsewhere(self, kind: str, name: str, own: bool) -> bool | Unknown:
        """Whether something is there that nothing of the lineage has declared so far: what no theme ever declares may come from outside."""
        known = name.lstrip("\\").lower()
        if own or self.m.state.blind_about("points") or not self.m.may_declare(kind, known):
            self.m.state.checked.add(known)
            return Unknown(f"whether {name} comes {'with the language' if own else 'from elsewhere'}")
        return False

    def base_of(self, value: object) -> object:
        """The name of the class above that of an object, or a class."""
        cls = classes.find(self.m, value.cls if isinstance(value, Thing) else value if isinstance(value, str) else "")
        if cls is None:
            return Unknown("the class above that")
        return cls.node.bases[0] if cls.node.bases else False

    def has(self, value: object, name: object, what: str) -> bool | Unknown:
        """Whether an object or class has a ``method`` or an ``attribute``."""
        cls = value.cls if isinstance(value, Thing) else value
        if not isinstance(cls, str) or not isinstance(name, str) or classes.find(self.m, cls) is None:
            return Unknown()
        found = classes.method(self.m, cls, name)
        return True if isinstance(found, Closure) else False if found is None else Unknown()

    def is_a(self, value: object, name: object) -> bool | Unknown:
        """Whether an object is one of a class, or of one below it."""
        if isinstance(name, str):
            return classes.is_a(self.m, value, classes.find(self.m, name) or name)
        if isinstance(name, tuple):
            found = [self.is_a(value, each) for each in name]
            return True if True in found else next((each for each in found if isinstance(each, Unknown)), False)
        return classes.is_a(self.m, value, name) if isinstance(name, ClassValue | OwnClass) else Unknown()

    def constant(self, name: object) -> object:
        """What a constant is, also one of a class; ABSENT where it is not known."""
        if not isinstance(name, str):
            return Unknown("a constant whose name is made at run time")
        owner, colons, bare = name.lstrip("\\").partition("::")
        if colons:
            return objects.constant(self.m, classes.find(self.m, owner) or owner, bare, self.frame)
        found = self.m.state.constants.get(name.lstrip("\\"), ABSENT)
        if found is ABSENT:
            self.m.state.checked.add(name.lstrip("\\").lower())
        return found

    def attribute(self, on: object, name: object) -> object:
        """An attribute of a value."""
        try:
            found, error = going.value_or_error(self.m, lambda: objects.attribute(self.m, on, name, self.frame))
        except streams.Uncounted as uncounted:
            return Unknown(uncounted.why)
        if error is None:
            return found
        missing = classes.is_a(self.m, error, "AttributeError")
        return ABSENT if missing is True else raising.raise_value(self.m, [error])

    def set_attribute(self, on: object, name: object, value: object) -> None:
        """Set an attribute of a value."""
        objects.set_attribute(self.m, on, name, value, self.frame)

    def change(self, holder: object, value: object) -> None:
        """Put other contents into a list or table that is shared."""
        if isinstance(holder, Box):
            self.m.write(holder.slots, "value", value)

    def buffer(self, how: str) -> object:
        """What is printed meanwhile is kept back (PHP manual, Output Control)."""
        m = self.m
        if m.doubt and how != "look":
            m.out_of_order = m.out_of_order or f"{m.place} holds back what is printed, or not"
        if m.out_of_order or how == "lose":
            m.out_of_order = m.out_of_order or f"{m.place} holds back what is printed"
            m.out[:] = [Unknown(m.out_of_order)]
            return Unknown(m.out_of_order)
        if how == "begin":
            m.buffers.append(m.out)
            m.out = []
            return True
        if not m.buffers:
            return Unknown("what was printed before")
        kept = m.out
        if how != "look":
            m.out = m.buffers.pop()
        if how == "print":
            m.out += kept
        if how in ("print", "drop"):
            return True
        texts = [text for text in kept if isinstance(text, str)]
        return "".join(texts) if len(texts) == len(kept) else Unknown("what was printed is not known")


def is_callable(m: Machine, target: object) -> bool | Unknown:
    """Whether a value can be called, where the run is."""
    return Asking(m, m.frames[-1]).is_callable(target)
