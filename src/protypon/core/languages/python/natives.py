"""Functions and methods that come with Python (https://docs.python.org/3/library/functions.html), as far as they are followed."""

from __future__ import annotations

import builtins
import math
import string
from collections.abc import Callable, Mapping

from protypon.core.languages.python import library, modules, operations
from protypon.core.languages.semantics import Contract, Native, OwnFunction, Run
from protypon.core.languages.values import ABSENT, MOST_VALUES, Box, Descriptor, Failure, Single, Unknown, box, foreign

_FREE = frozenset(
    (
        "abs", "all", "any", "ascii", "bin", "bool", "bytes", "callable", "chr", "complex", "dict", "divmod", "enumerate", "float", "format",
        "frozenset", "hasattr", "hash", "hex", "id", "int", "isinstance", "issubclass", "iter", "len", "list", "max", "min", "object", "oct",
        "ord", "pow", "print", "property", "range", "repr", "reversed", "round", "set", "slice", "sorted", "staticmethod", "classmethod", "str",
        "sum", "tuple", "type", "zip", "super", "getattr", "open", "input", "bytearray", "memoryview", "next",
    )
)  # fmt: skip
_CALLING = frozenset(
    (
        "filter",
        "map",
        "max",
        "min",
        "sorted",
        "property",
        "staticmethod",
        "classmethod",
        "iter",
        "next",
        "aiter",
        "anext",
    )
)
_ANYTHING = ("globals", "locals", "vars", "delattr", "compile", "breakpoint")


def is_own(name: str) -> bool:
    """No name stands for a function of Python's own: callbacks given by name are functions that themes declare."""
    return False


def own(name: str) -> OwnFunction | None:
    """What a function of the language does to its arguments; None where none is called so."""
    if name not in _FREE and name not in _CALLING:
        return None
    return OwnFunction(calls=name in _CALLING)


def contract(name: str) -> Contract:
    """Nothing: what a class of Python lacks is missed only where it is used."""
    return Contract()


def bases(name: str) -> tuple[str, ...] | None:
    """The interpreter that this runs on knows its own classes."""
    if name in _ELSEWHERE:
        return _ELSEWHERE[name]
    found = getattr(builtins, name, None)
    return tuple(c.__name__ for c in found.__mro__[1:]) if isinstance(found, type) else None


_ELSEWHERE: Mapping[str, tuple[str, ...]] = {
    "enum.Enum": ("object",), "abc.ABC": ("object",), "abc.ABCMeta": ("type", "object"),
    "dataclasses.FrozenInstanceError": ("AttributeError", "Exception", "BaseException", "object"),
}  # fmt: skip
"""Classes of Python's own library that are followed."""


def _inside(value: object) -> object:
    return value.value if isinstance(value, Box) else value


def _len(run: Run, given: list[object], named: dict[str, object]) -> object:
    if given and operations.is_lazy(given[0]):
        found = operations.entries(given[0])
        return len(found) if not isinstance(found, Unknown) else Unknown("a length that is not known")
    asked = run.ask(given[0], "__len__") if len(given) == 1 else ABSENT
    if asked is not ABSENT:
        return asked
    inside = _inside(given[0]) if len(given) == 1 else None
    if isinstance(inside, int | float | None) and len(given) == 1:
        return Failure("TypeError")
    return len(inside) if isinstance(inside, str | list | tuple | dict) else Unknown("a length that is not known")


def _str(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.text(given[0]) if len(given) == 1 and not named else ("" if not given and not named else Unknown())


def _super(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.above() if not given and not named else Unknown("what stands above a class")


def _repr(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.operate("!r", given) if len(given) == 1 else Unknown()


def _bool(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.truth(given[0]) if given else False


def _maker_of(kind: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        items = (
            library.entries(run, given[0])
            if len(given) == 1 and not named
            else ([] if not given and not named else None)
        )
        if items is None:
            return Unknown(f"what a {kind} is made of")
        if kind == "tuple":
            return tuple(items)
        return operations.literal_value([(ABSENT, item) for item in items], kind)

    return native


def _dict(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside = _inside(given[0]) if len(given) == 1 else {}
    if len(given) == 1 and not isinstance(inside, dict):
        inside = _of_pairs(run, given[0])
    if len(given) > 1 or not isinstance(inside, dict):
        return Unknown("what a table is made of")
    return box("dict", {**inside, **named})


def _of_pairs(run: Run, value: object) -> object:
    pairs = []
    for item in run.steps(value):
        pair = run.items(item)
        if pair is None or len(pair) != 2:
            return Unknown("what a table is made of")
        pairs.append((pair[0][1], pair[1][1]))
    return _inside(operations.literal_value(pairs, "dict"))


def _range(run: Run, given: list[object], named: dict[str, object]) -> object:
    numbers = [value for value in given if isinstance(value, int)]
    if len(numbers) != len(given) or not 1 <= len(given) <= 3 or (len(given) == 3 and not numbers[2]):
        return Unknown("a range that is not known")
    found = range(*numbers)
    return run.view(list(found), []) if len(found) <= MOST_VALUES else Unknown("a very large range")


def _isinstance(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.is_a(given[0], given[1]) if len(given) == 2 else Unknown()


def _callable(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.is_callable(given[0]) if len(given) == 1 else Unknown()


def _getattr(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) not in (2, 3):
        return Unknown()
    found = run.attribute(given[0], given[1])
    if isinstance(found, Unknown):
        return Unknown(found.why)
    return (given[2] if len(given) == 3 else Unknown()) if found is ABSENT else found


def _hasattr(run: Run, given: list[object], named: dict[str, object]) -> object:
    found = run.attribute(given[0], given[1]) if len(given) == 2 else Unknown()
    return found if isinstance(found, Unknown) else found is not ABSENT


def _anything(run: Run, given: list[object], named: dict[str, object]) -> object:
    run.anything("a call that can reach any name")
    return Unknown()


def _descriptor(kind: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        return Descriptor(kind, given[0]) if len(given) == 1 and not named else Unknown("a property")

    return native


def _next(run: Run, given: list[object], named: dict[str, object]) -> object:
    if named or len(given) not in (1, 2):
        return Unknown("what next gives is not known")
    return run.following(given[0], given[1] if len(given) == 2 else ABSENT)


def _run_to_its_end(run: Run, given: list[object], named: dict[str, object]) -> object:
    """``asyncio.run`` (https://docs.python.org/3/library/asyncio-runner.html#asyncio.run)."""
    return run.result_of(given[0]) if len(given) == 1 and not named else Unknown("what is waited for")


def _type(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.class_value(given[0]) if len(given) == 1 and not named else Unknown("a class made at run time")


def _issubclass(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.is_subclass(given[0], given[1]) if len(given) == 2 else Unknown()


def _setattr(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) != 3 or named or not isinstance(given[1], str):
        return _anything(run, given, named)
    run.set_attribute(given[0], given[1], given[2])
    return None


def _partial(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.partial(given[0], given[1:], named) if given else Unknown()


def _wraps(run: Run, given: list[object], named: dict[str, object]) -> object:
    """A decorator that leaves a function what it is, and gives it the name of another one."""
    return run.own_function("functools.wraps()")


def _copy_names(run: Run, given: list[object], named: dict[str, object]) -> object:
    for name in ("__name__", "__doc__", "__wrapped__"):
        run.set_attribute(given[0], name, Unknown("what a function got from another one"))
    return given[0]


def _single(name: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        return Single(name)

    return native


def _field(run: Run, given: list[object], named: dict[str, object]) -> object:
    """A field of a data class (https://docs.python.org/3/library/dataclasses.html#dataclasses.field)."""
    return Descriptor("field", dict(named)) if not given else Unknown("a field")


def _bare(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.bare_object(given[0]) if given else Unknown()


def _class_made(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.made_class(given) if not named else Unknown("a class made at run time")


def _elsewhere(run: Run, given: list[object], named: dict[str, object]) -> object:
    """A module is loaded."""
    return foreign("a module")


def _same(run: Run, given: list[object], named: dict[str, object]) -> object:
    """A decorator that changes nothing that anybody sees here."""
    return given[0] if len(given) == 1 and not named else Unknown()


CONSTANTS: Mapping[str, object] = {
    **{f"math.{name}": getattr(math, name) for name in ("pi", "e", "tau", "inf", "nan")},
    **{f"string.{name}": getattr(string, name) for name in ("ascii_letters", "ascii_lowercase", "ascii_uppercase", "digits", "hexdigits", "punctuation")},
}  # fmt: skip
"""What modules of Python's own library hold, the same everywhere."""


def _abstract(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) != 1 or named:
        return Unknown()
    inside = given[0].inside if isinstance(given[0], Descriptor) else given[0]
    run.set_attribute(inside, "__isabstractmethod__", True)
    return given[0]


def _nothing(run: Run, given: list[object], named: dict[str, object]) -> object:
    return None


_PLAIN = (str, int, float, bool, type(None))
NATIVES: Mapping[str, Native] = {
    **library.BUILTINS, **modules.MODULES,
    "super": _super, "len": _len, "str": _str, "repr": _repr, "bool": _bool, "list": _maker_of("list"), "tuple": _maker_of("tuple"),
    "set": _maker_of("set"), "dict": _dict, "range": _range, "isinstance": _isinstance, "callable": _callable, "getattr": _getattr, "hasattr": _hasattr,
    "print": _nothing, "next": _next, "asyncio.run": _run_to_its_end, "property": _descriptor("property"), "staticmethod": _descriptor("static"),
    "classmethod": _descriptor("class"), **dict.fromkeys(_ANYTHING, _anything),
    "type": _type, "issubclass": _issubclass, "setattr": _setattr, "functools.partial": _partial, "functools.wraps": _wraps,
    "functools.wraps()": _copy_names, "enum.auto": _single("auto"), "dataclasses.field": _field, "object.__new__": _bare,
    "type.__new__": _class_made, "__import__": _elsewhere,
    "abc.abstractmethod": _abstract, **dict.fromkeys(("typing.final", "typing.override", "enum.unique"), _same),
}  # fmt: skip


# Methods of lists, tables and texts


def _changing(change: Callable[[list[object], list[object]], object], most: int) -> Native:
    """A method that changes a list: the new contents, and what it gives."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        holder, rest = given[0], given[1:]
        assert isinstance(holder, Box)
        inside = holder.value
        if not isinstance(inside, list) or named or len(rest) > most:
            run.change(holder, Unknown("a list is changed in a way that can't be followed"))
            return Unknown()
        items = list(inside)
        try:
            result = change(items, rest)
        except (LookupError, ValueError) as error:
            return Failure(type(error).__name__)
        except TypeError:
            return Unknown("a call that fails")
        run.change(holder, items if len(items) <= MOST_VALUES else Unknown("a very large list"))
        return result

    return native


def _extending(run: Run, given: list[object], named: dict[str, object]) -> object:
    more = library.entries(run, given[1]) if len(given) == 2 and not named else None
    inside = _inside(given[0])
    fits = more is not None and isinstance(inside, list) and len(inside) + len(more) <= MOST_VALUES
    run.change(given[0], [*inside, *more] if fits else Unknown("a list is extended by what is not known"))  # type: ignore[misc]
    return None


def _pop(items: list[object], rest: list[object]) -> object:
    return items.pop(*[_number(value) for value in rest])


def _insert(items: list[object], rest: list[object]) -> object:
    items.insert(_number(rest[0]), rest[1])
    return None


def _number(value: object) -> int:
    if not isinstance(value, int):
        raise TypeError
    return value


def _dict_get(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside = _inside(given[0])
    if not isinstance(inside, dict) or len(given) not in (2, 3) or named:
        return Unknown()
    found = operations.item(given[0], given[1])
    return (given[2] if len(given) == 3 else None) if found is ABSENT else found


def _setdefault(run: Run, given: list[object], named: dict[str, object]) -> object:
    found = operations.item(given[0], given[1]) if len(given) > 1 else Unknown()
    if found is not ABSENT:
        if isinstance(found, Unknown):
            run.change(given[0], Unknown("a table is changed under a key that is not known"))
        return found
    value = given[2] if len(given) == 3 else None
    run.change(given[0], operations.with_item(_inside(given[0]), given[1], value))
    return value


def _update(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside, other = _inside(given[0]), _inside(given[1]) if len(given) == 2 else {}
    fits = isinstance(inside, dict) and isinstance(other, dict) and len(given) <= 2
    run.change(given[0], {**inside, **other, **named} if fits else Unknown("a table is changed by what is not known"))  # type: ignore[dict-item]
    return None


def _clear(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside = _inside(given[0])
    run.change(given[0], [] if isinstance(inside, list) else {} if isinstance(inside, dict) else Unknown())
    return None


def _of_table(make: Callable[[dict[object, object]], list[object]]) -> Native:
    """A view of a table: it shows the table as it is whenever somebody looks."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        inside = _inside(given[0])
        return run.view(make(inside), [given[0]]) if isinstance(inside, dict) and len(given) == 1 else Unknown()

    return native


def _copy(run: Run, given: list[object], named: dict[str, object]) -> object:
    holder = given[0]
    inside = _inside(holder)
    if isinstance(holder, Box) and isinstance(inside, list | dict):
        return box(holder.kind, inside.copy())
    return Unknown()


def _add(run: Run, given: list[object], named: dict[str, object]) -> object:
    run.change(given[0], operations.with_item(_inside(given[0]), given[1], given[1]) if len(given) == 2 else Unknown())
    return None


def _join(run: Run, given: list[object], named: dict[str, object]) -> object:
    items = library.entries(run, given[1]) if len(given) == 2 else None
    if not isinstance(given[0], str) or items is None or not all(isinstance(i, str) for i in items):
        return Unknown("a text that is put together")
    return given[0].join(map(str, items))


METHODS: Mapping[str, Native] = {
    "list.append": _changing(lambda items, rest: items.append(rest[0]), 1), "list.extend": _extending,
    "list.insert": _changing(_insert, 2), "list.pop": _changing(_pop, 1), "list.reverse": _changing(lambda items, rest: items.reverse(), 0),
    "list.clear": _clear, "list.copy": _copy, "dict.get": _dict_get, "dict.setdefault": _setdefault, "dict.update": _update,
    "dict.clear": _clear, "dict.copy": _copy, "dict.keys": _of_table(list), "dict.values": _of_table(lambda t: list(t.values())),
    "dict.items": _of_table(lambda t: list(t.items())), "set.add": _add, "set.copy": _copy, **library.METHODS, "str.join": _join,
}  # fmt: skip
"""By the kind of what they are called on, and their name."""
