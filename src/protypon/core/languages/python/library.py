"""Functions and methods that come with Python, asked of the interpreter that this runs on: with plain values, or with what calls are followed.

Plain values go in as they are in Python (https://docs.python.org/3/library/stdtypes.html) and come back as values that are followed. A list that
is in the arguments is never in the result: what is one object has to stay one.
"""

from __future__ import annotations

import builtins
import re
from collections.abc import Callable, Iterator, Mapping
from functools import cmp_to_key

from protypon.core.languages.python import operations
from protypon.core.languages.semantics import Native, Run
from protypon.core.languages.values import MOST_VALUES, Box, Failure, Unknown, box, is_known

SCALARS = (str, int, float, bool, type(None))
LONGEST = 1 << 16
WIDEST, MOST_LETTERS = 5000, 1 << 22
UNEXPECTED = (TypeError, ValueError, LookupError, ArithmeticError, AttributeError)


class NoPlainValue(Exception):
    """A value that is not known, or has objects in it."""


def thaw(value: object, depth: int = 0) -> object:
    """A known value as it is in Python."""
    if isinstance(value, SCALARS):
        return value
    inside = value.value if isinstance(value, Box) else value
    if depth > 6 or not isinstance(inside, list | tuple | dict) or operations.is_lazy(value):
        raise NoPlainValue
    if isinstance(inside, dict):
        if isinstance(value, Box) and value.kind == "set":
            return {thaw(key, depth + 1) for key in inside}
        return {thaw(key, depth + 1): thaw(item, depth + 1) for key, item in inside.items()}
    items = [thaw(item, depth + 1) for item in inside]
    return tuple(items) if isinstance(inside, tuple) else items


def frozen(value: object, depth: int = 0) -> object:
    """The inverse."""
    if (isinstance(value, str) and len(value) > LONGEST) or (isinstance(value, int) and value.bit_length() > 62):
        raise NoPlainValue
    if isinstance(value, SCALARS):
        return value
    if depth > 6 or not isinstance(value, list | tuple | dict | set) or len(value) > MOST_VALUES:
        raise NoPlainValue
    if isinstance(value, dict):
        return box("dict", {frozen(key, depth + 1): frozen(item, depth + 1) for key, item in value.items()})
    if isinstance(value, set):
        return box("set", {frozen(item, depth + 1): frozen(item, depth + 1) for item in value})
    items = [frozen(item, depth + 1) for item in value]
    return tuple(items) if isinstance(value, tuple) else box("list", items)


def plain(function: Callable[..., object], most: int = 9, nested: bool = False) -> Native:
    """A function of plain values; ``nested``: of lists in lists too, none of which is in what it gives."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        try:
            if len(given) > most or (not nested and _has_nested_lists(given)) or _is_large(given, named):
                raise NoPlainValue
            return frozen(function(*map(thaw, given), **{key: thaw(value) for key, value in named.items()}))
        except NoPlainValue:
            return Unknown("what a function of the language gives")
        except UNEXPECTED as error:
            return Failure(type(error).__name__)

    return native


def _is_large(given: list[object], named: dict[str, object]) -> bool:
    """Whether what comes out may be very large, or take very long: a width, a number of times, a text put in for each letter."""
    values = [*given, *named.values()]
    texts = [value for value in values if isinstance(value, str)]
    if any(isinstance(value, int) and abs(value) > WIDEST for value in (values if texts else named.values())):
        return True
    if any(re.search(r"\d{4}|\{.*\{.*\}.*\}", text) for text in texts if "{" in text or ">" in text):
        return True
    longest = sorted((len(text) for text in texts), reverse=True)
    return len(longest) > 1 and longest[0] * (longest[1] + 1) > MOST_LETTERS


def _has_nested_lists(given: list[object]) -> bool:
    """Whether lists stand in lists: what comes out may be one of them."""
    return any(isinstance(item, Box) for value in given for item in _items(value))


def _items(value: object) -> list[object]:
    inside = value.value if isinstance(value, Box) else value
    return (
        list(inside.values()) if isinstance(inside, dict) else list(inside) if isinstance(inside, list | tuple) else []
    )


def entries(run: Run, value: object) -> list[object] | None:
    """The items that are gone through; None where they are not known."""
    found = run.items(value)
    return None if found is None else [item for _, item in found]


def _sort_keys(run: Run, key: object, items: list[object]) -> list[object] | None:
    """What each item is compared by; None where that is not known."""
    if key is None:
        keys = items
    elif run.is_callable(key) is True:
        keys = [run.call(key, [item], {}) for item in items]
    else:
        return None
    return keys if all(map(is_known, keys)) else None


def _holds(run: Run, sign: str, one: object, other: object) -> bool:
    found = run.truth(run.operate(sign, [one, other]))
    if not isinstance(found, bool):
        raise NoPlainValue
    return found


def _order(run: Run, keys: list[object], back: bool) -> list[int]:
    """Places in the order of their keys; of equals, as they stand."""
    if not all(map(run.compares_purely, keys)):
        raise NoPlainValue  # who is compared with whom, and how often, hangs on how they are sorted

    def order(one: int, other: int) -> int:
        return -1 if _holds(run, "<", keys[one], keys[other]) else int(_holds(run, "<", keys[other], keys[one]))

    return sorted(range(len(keys)), key=cmp_to_key(order), reverse=back)


def _sort_native(run: Run, given: list[object], named: dict[str, object]) -> object:
    items = entries(run, given[0]) if len(given) == 1 and not set(named) - {"key", "reverse"} else None
    back = named.get("reverse", False)
    found = _sort_items(run, items, named.get("key"), back) if items is not None and isinstance(back, bool) else None
    return box("list", found) if found is not None else unfollowed(run, named.get("key"))


def _sort_items(run: Run, items: list[object], key: object, back: bool) -> list[object] | None:
    keys = _sort_keys(run, key, items)
    try:
        return [items[n] for n in _order(run, keys, back)] if keys is not None else None
    except NoPlainValue:
        return None


def unfollowed(run: Run, *functions: object) -> Unknown:
    """What is not followed: it may call what it is given, any number of times."""
    why = "what a function of the language gives"
    for function in functions:
        if function is not None:
            run.call_perhaps(function, why)
    return Unknown(why)


def _sort(run: Run, given: list[object], named: dict[str, object]) -> object:
    holder, back = given[0], named.get("reverse", False)
    items = holder.value if isinstance(holder, Box) else None
    if isinstance(items, list) and len(given) == 1 and not set(named) - {"key", "reverse"} and isinstance(back, bool):
        found = _sort_items(run, items, named.get("key"), back)
        if found is not None:
            run.change(holder, found)
            return None
    run.change(holder, Unknown("a list is sorted in a way that can't be followed"))
    return unfollowed(run, named.get("key"))


def _most(sign: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        items = entries(run, given[0]) if len(given) == 1 else list(given)
        if items == [] and not set(named) - {"key"}:
            return Failure("ValueError")
        if items is None or set(named) - {"key", "default"} or (not items and "default" not in named):
            return unfollowed(run, named.get("key"))
        if not items:
            return named["default"]
        keys = _sort_keys(run, named.get("key"), items)
        if keys is None:
            return unfollowed(run, named.get("key"))
        best = 0
        try:
            for place in range(1, len(items)):
                best = place if _holds(run, sign, keys[place], keys[best]) else best
        except NoPlainValue:
            return Unknown("what a function of the language gives")
        return items[best]

    return native


def _map(run: Run, given: list[object], named: dict[str, object]) -> object:
    """Each call is made when its value is asked for."""
    if named or len(given) < 2:
        return unfollowed(run, *given[:1])
    rows = zip(*map(run.steps, given[1:]), strict=False)
    return run.stream((run.call(given[0], list(row), {}) for row in rows), given[1:], given[0])


def _filter(run: Run, given: list[object], named: dict[str, object]) -> object:
    if named or len(given) != 2:
        return unfollowed(run, *given[:1])
    items = run.steps(given[1])
    return run.stream((item for item in items if _lets(run, given[0], item)), given[1:], given[0])


def _lets(run: Run, test: object, item: object) -> bool:
    found = run.truth(item if test is None else run.call(test, [item], {}))
    return found if isinstance(found, bool) else run.stop_uncountable("what is let through is not known")


def _all(wanted: bool) -> Native:
    """``any``, ``all``: nothing is asked for behind the item that decides."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if len(given) != 1 or named:
            return Unknown("what a function of the language gives")
        for item in run.steps(given[0]):
            hit = run.truth(item)
            if hit is wanted or isinstance(hit, Unknown):
                return wanted if hit is wanted else Unknown("what a function of the language gives")
        return not wanted

    return native


def _sum(run: Run, given: list[object], named: dict[str, object]) -> object:
    items = entries(run, given[0]) if given and len(given) <= 2 and not set(named) - {"start"} else None
    if items is None or not all(isinstance(item, int | float) for item in items):
        return Unknown("what a function of the language gives")
    return plain(builtins.sum)(run, [tuple(items), *given[1:]], named)


def _stepping(make: Callable[[Run, list[object], dict[str, object]], Iterator[object] | None]) -> Native:
    """A function whose items are asked for one by one, and once."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        found = make(run, given, named)
        return Unknown("what a function of the language gives") if found is None else run.stream(found, given)

    return native


def _enumerate_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    start = given[1] if len(given) > 1 else named.get("start", 0)
    fits = given and len(given) <= 2 and not set(named) - {"start"} and isinstance(start, int)
    return enumerate(run.steps(given[0]), start) if fits and isinstance(start, int) else None


def _zip_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    return None if named or not given else zip(*map(run.steps, given), strict=False)


def _reverse_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    value = given[0] if len(given) == 1 and not named else None
    if not isinstance(value, Box | tuple | str) or (isinstance(value, Box) and value.kind == "set"):
        return None
    items = entries(run, value)
    if items is None:
        return None
    return _from_behind(value) if isinstance(value, Box) and value.kind == "list" else iter(items[::-1])


def _from_behind(shared: Box) -> Iterator[object]:
    """A list from its end, as it is whenever an item is asked for."""
    inside = shared.value
    number = len(inside) - 1 if isinstance(inside, list) else -1
    while number >= 0:
        inside = shared.value
        if isinstance(inside, list) and number >= len(inside):
            return
        yield inside[number] if isinstance(inside, list) else Unknown("an item of a list that is not known")
        number -= 1


def _iter(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.iterate(given[0]) if len(given) == 1 and not named else unfollowed(run, *given[:1])


def _power(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.operate("**", given) if len(given) == 2 and not named else plain(pow, 3)(run, given, named)


def _round(run: Run, given: list[object], named: dict[str, object]) -> object:
    places = given[1] if len(given) > 1 else named.get("ndigits", 0)
    if isinstance(places, int) and abs(places) > 400:
        return Unknown("a number that is rounded at a far place")
    return plain(round, 2)(run, given, named)


_PURE = ("abs", "divmod", "int", "float", "ord", "chr", "hex", "oct", "bin", "format", "ascii")
BUILTINS: Mapping[str, Native] = {
    **{name: plain(getattr(builtins, name), 3) for name in _PURE}, "pow": _power, "round": _round,
    "sorted": _sort_native, "max": _most(">"), "min": _most("<"), "sum": _sum,
    "any": _all(True), "all": _all(False), "map": _map, "filter": _filter, "enumerate": _stepping(_enumerate_items), "zip": _stepping(_zip_items),
    "reversed": _stepping(_reverse_items), "iter": _iter,
}  # fmt: skip
"""By name."""


def _method_of(kind: type, name: str) -> Native:
    return plain(getattr(kind, name))


TEXTS = (
    "capitalize", "casefold", "center", "count", "endswith", "expandtabs", "find", "format", "index", "isalnum", "isalpha", "isascii", "isdecimal",
    "isdigit", "isidentifier", "islower", "isnumeric", "isprintable", "isspace", "istitle", "isupper", "join", "ljust", "lower", "lstrip",
    "partition", "removeprefix", "removesuffix", "replace", "rfind", "rindex", "rjust", "rpartition", "rsplit", "rstrip", "split", "splitlines",
    "startswith", "strip", "swapcase", "title", "upper", "zfill",
)  # fmt: skip
LISTS = ("count", "index")
SETS = ("union", "intersection", "difference", "symmetric_difference", "issubset", "issuperset", "isdisjoint")


def _changing(kind: type, name: str) -> Native:
    """A method that changes what it is called on, with plain values in all that it is about."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        holder = given[0]
        assert isinstance(holder, Box)
        try:
            if _has_nested_lists([holder]):
                raise NoPlainValue
            inside = thaw(holder)
            result = frozen(
                getattr(kind, name)(inside, *map(thaw, given[1:]), **{k: thaw(v) for k, v in named.items()})
            )
            now = frozen(inside)
        except UNEXPECTED as error:
            return Failure(type(error).__name__, tuple(given[1:2]) if isinstance(error, KeyError) else None)
        except NoPlainValue:
            run.change(holder, Unknown("it is changed in a way that can't be followed"))
            return Unknown("what a function of the language gives")
        run.change(holder, now.value if isinstance(now, Box) else now)
        return result

    return native


METHODS: Mapping[str, Native] = {
    **{f"str.{name}": _method_of(str, name) for name in TEXTS}, **{f"list.{name}": _method_of(list, name) for name in LISTS},
    **{f"set.{name}": _method_of(set, name) for name in SETS}, "list.sort": _sort, "list.remove": _changing(list, "remove"),
    "dict.pop": _changing(dict, "pop"), "dict.popitem": _changing(dict, "popitem"), "set.discard": _changing(set, "discard"),
    "set.remove": _changing(set, "remove"), "set.update": _changing(set, "update"),
}  # fmt: skip
"""By the kind of what they are called on, and their name."""
