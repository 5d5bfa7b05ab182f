"""Functions and methods that come with Python (https://docs.python.org/3/library/functions.html), as far as they are followed."""

from __future__ import annotations

import builtins
from collections.abc import Callable, Mapping

from protypon.core.languages.python import operations
from protypon.core.languages.semantics import Contract, Native, OwnFunction, Run
from protypon.core.languages.values import ABSENT, MOST_VALUES, Box, Descriptor, Unknown, box, known

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
_ANYTHING = ("globals", "locals", "vars", "setattr", "delattr", "compile", "breakpoint", "__import__")


def is_own(name: str) -> bool:
    """No name stands for a function of Python's own: callbacks given by name are functions that themes declare."""
    return False


def own(name: str) -> OwnFunction | None:
    if name not in _FREE and name not in _CALLING:
        return None
    return OwnFunction(calls=name in _CALLING)


def contract(name: str) -> Contract:
    """Nothing: what a class of Python lacks is missed only where it is used."""
    return Contract()


def bases(name: str) -> tuple[str, ...] | None:
    """The interpreter that this runs on knows its own classes."""
    found = getattr(builtins, name, None)
    return tuple(c.__name__ for c in found.__mro__[1:]) if isinstance(found, type) else None


def _inside(value: object) -> object:
    return value.value if isinstance(value, Box) else value


def _len(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside = _inside(given[0]) if len(given) == 1 else None
    return len(inside) if isinstance(inside, str | list | tuple | dict) else Unknown("a length that is not known")


def _str(run: Run, given: list[object], named: dict[str, object]) -> object:
    return (
        operations.text(given[0]) if len(given) == 1 and not named else ("" if not given and not named else Unknown())
    )


def _repr(run: Run, given: list[object], named: dict[str, object]) -> object:
    return operations.shown(given[0]) if len(given) == 1 else Unknown()


def _bool(run: Run, given: list[object], named: dict[str, object]) -> object:
    return operations.truth(given[0]) if given else False


def _pure(function: Callable[..., object], types: tuple[type, ...]) -> Native:
    """A function of plain values: asked of the interpreter that this runs on."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if named or not all(isinstance(value, types) and known(value) for value in given):
            return Unknown()
        try:
            result = function(*given)
        except Exception:
            return Unknown("a call that fails")
        fits = isinstance(result, str | int | float | bool | None) and not (
            isinstance(result, int) and result.bit_length() > 62
        )
        return result if fits else Unknown()

    return native


def _entries(value: object) -> list[object] | None:
    found = operations.entries(value)
    return None if isinstance(found, Unknown) else [item for _, item in found]


def _made(kind: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        items = _entries(given[0]) if len(given) == 1 and not named else ([] if not given and not named else None)
        if items is None:
            return Unknown(f"what a {kind} is made of")
        if kind == "tuple":
            return tuple(items)
        return operations.written([(ABSENT, item) for item in items], kind)

    return native


def _dict(run: Run, given: list[object], named: dict[str, object]) -> object:
    inside = _inside(given[0]) if len(given) == 1 else {}
    if len(given) > 1 or not isinstance(inside, dict):
        return Unknown("what a table is made of")
    return box("dict", {**inside, **named})


def _range(run: Run, given: list[object], named: dict[str, object]) -> object:
    numbers = [value for value in given if isinstance(value, int)]
    if len(numbers) != len(given) or not 1 <= len(given) <= 3 or (len(given) == 3 and not numbers[2]):
        return Unknown("a range that is not known")
    found = range(*numbers)
    return tuple(found) if len(found) <= MOST_VALUES else Unknown("a very large range")


def _enumerate(run: Run, given: list[object], named: dict[str, object]) -> object:
    items = _entries(given[0]) if given else None
    start = given[1] if len(given) > 1 else named.get("start", 0)
    return (
        tuple(enumerate(items, start)) if items is not None and isinstance(start, int) else Unknown("what is counted")
    )


def _zip(run: Run, given: list[object], named: dict[str, object]) -> object:
    lists = [_entries(value) for value in given]
    if named or any(each is None for each in lists):
        return Unknown("what is put together")
    return tuple(zip(*(each for each in lists if each is not None), strict=False))


def _sorted(run: Run, given: list[object], named: dict[str, object]) -> object:
    items = _entries(given[0]) if len(given) == 1 and not named else None
    if items is None or not known(items) or len({type(item) for item in items}) > 1:
        return _handing(run, named, "the order of a list")
    try:
        return box("list", sorted(items))  # type: ignore[type-var]
    except TypeError:
        return Unknown("a list that can't be sorted")


def _handing(run: Run, named: dict[str, object], why: str) -> Unknown:
    """A key may be asked for: it is called any number of times."""
    if "key" in named and named["key"] is not None:
        run.call(named["key"], [Unknown(why)], {})
    return Unknown(why)


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


def _nothing(run: Run, given: list[object], named: dict[str, object]) -> object:
    return None


_PLAIN = (str, int, float, bool, type(None))
NATIVES: Mapping[str, Native] = {
    "len": _len, "str": _str, "repr": _repr, "bool": _bool, "int": _pure(int, (str, int, float, bool)), "float": _pure(float, (str, int, float)),
    "abs": _pure(abs, (int, float)), "round": _pure(round, (int, float)), "ord": _pure(ord, (str,)), "chr": _pure(chr, (int,)),
    "hex": _pure(hex, (int,)), "oct": _pure(oct, (int,)), "bin": _pure(bin, (int,)), "format": _pure(format, (str, int, float)),
    "list": _made("list"), "tuple": _made("tuple"), "set": _made("set"), "frozenset": _made("set"), "dict": _dict, "range": _range,
    "enumerate": _enumerate, "zip": _zip, "sorted": _sorted, "isinstance": _isinstance, "callable": _callable, "getattr": _getattr,
    "hasattr": _hasattr, "print": _nothing,
    "property": _descriptor("property"), "staticmethod": _descriptor("static"), "classmethod": _descriptor("class"), **dict.fromkeys(_ANYTHING, _anything),
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
        except (LookupError, TypeError, ValueError):
            return Unknown("a call that fails")
        run.change(holder, items if len(items) <= MOST_VALUES else Unknown("a very large list"))
        return result

    return native


def _extend(items: list[object], rest: list[object]) -> object:
    found = _entries(rest[0])
    if found is None:
        raise _NotKnown
    items.extend(found)
    return None


class _NotKnown(Exception):
    """What a list is extended by is not known."""


def _extending(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) == 2 and _entries(given[1]) is None and isinstance(given[0], Box):
        run.change(given[0], Unknown("a list is extended by what is not known"))
        return None
    return _changing(_extend, 1)(run, given, named)


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


def _of_table(make: Callable[[dict[object, object]], tuple[object, ...]]) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        inside = _inside(given[0])
        return make(inside) if isinstance(inside, dict) and len(given) == 1 else Unknown()

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
    items = _entries(given[1]) if len(given) == 2 else None
    if not isinstance(given[0], str) or items is None or not all(isinstance(i, str) for i in items):
        return Unknown("a text that is put together")
    return given[0].join(map(str, items))


def _texts(name: str) -> Native:
    return _pure(lambda text, *rest: getattr(text, name)(*rest), (str, int, type(None)))


_OF_TEXTS = (
    "upper", "lower", "strip", "lstrip", "rstrip", "replace", "title", "capitalize", "startswith", "endswith", "find", "rfind", "count",
    "isdigit", "isalpha", "isalnum", "isspace", "swapcase", "casefold", "zfill", "ljust", "rjust", "center", "removeprefix", "removesuffix",
)  # fmt: skip


def _split(run: Run, given: list[object], named: dict[str, object]) -> object:
    if named or not all(isinstance(value, str | int | None) for value in given) or not isinstance(given[0], str):
        return Unknown("pieces of a text")
    try:
        return box("list", list(given[0].split(*given[1:])))  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return Unknown()


METHODS: Mapping[str, Native] = {
    "list.append": _changing(lambda items, rest: items.append(rest[0]), 1), "list.extend": _extending,
    "list.insert": _changing(_insert, 2), "list.pop": _changing(_pop, 1), "list.reverse": _changing(lambda items, rest: items.reverse(), 0),
    "list.clear": _clear, "list.copy": _copy, "dict.get": _dict_get, "dict.setdefault": _setdefault, "dict.update": _update,
    "dict.clear": _clear, "dict.copy": _copy, "dict.keys": _of_table(lambda t: tuple(t)), "dict.values": _of_table(lambda t: tuple(t.values())),
    "dict.items": _of_table(lambda t: tuple(t.items())), "set.add": _add, "set.copy": _copy, "str.join": _join, "str.split": _split,
    **{f"str.{name}": _texts(name) for name in _OF_TEXTS},
}  # fmt: skip
"""By the kind of what they are called on, and their name."""
