"""What operations on values give in Python (https://docs.python.org/3/reference/expressions.html, …/datamodel.html)."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable

from protypon.core.languages.values import (
    ABSENT,
    LONGEST_TEXT,
    MOST_VALUES,
    Box,
    Failure,
    Single,
    Unknown,
    box,
    is_known,
    join_texts,
)

_PLAIN = str | int | float | bool | tuple | None  # type: ignore[type-arg]


def truth(value: object) -> bool | Unknown:
    """Whether a value counts as true."""
    if isinstance(value, Box) and value.kind == "view":
        found = entries(value)
        return found if isinstance(found, Unknown) else bool(found)
    if isinstance(value, Box):
        value = value.value
    if isinstance(value, Unknown):
        return value
    if isinstance(value, Single):
        return True
    plain = isinstance(value, str | int | float | tuple | list | dict | None)
    return bool(value) if plain else Unknown("whether an object counts as true")


def is_lazy(value: object) -> bool:
    """Whether a value shows items that stand elsewhere: a range, a view of a table."""
    return isinstance(value, Box) and value.kind == "view"


def text(value: object) -> str | Unknown:
    """A value as it is printed."""
    return value if isinstance(value, str) else repr_text(value)


def repr_text(value: object, depth: int = 0) -> str | Unknown:
    """A value as ``repr`` writes it."""
    if isinstance(value, Unknown) or is_lazy(value):
        return Unknown(value.why if isinstance(value, Unknown) else "a view as a text")
    if isinstance(value, str | int | float | bool | None):
        return repr(value)
    if isinstance(value, Single):
        return value.name
    inside = value.value if isinstance(value, Box) else value
    if depth > 20 or not isinstance(inside, list | tuple | dict):
        return Unknown("an object as a text")
    if isinstance(inside, dict) and isinstance(value, Box) and value.kind == "set":
        return (
            Unknown("the order of a set")
            if len(inside) > 1
            else _join_in_brackets(list(inside), "{", "}", depth, "set()")
        )
    if isinstance(inside, dict):
        pairs = [(repr_text(k, depth + 1), repr_text(v, depth + 1)) for k, v in inside.items()]
        if any(isinstance(t, Unknown) for pair in pairs for t in pair):
            return Unknown()
        return "{" + ", ".join(f"{k}: {v}" for k, v in pairs) + "}"
    if isinstance(inside, list):
        return _join_in_brackets(inside, "[", "]", depth, "[]")
    return _join_in_brackets(list(inside), "(", ",)" if len(inside) == 1 else ")", depth, "()")


def _join_in_brackets(items: list[object], begin: str, end: str, depth: int, empty: str) -> str | Unknown:
    texts = [repr_text(item, depth + 1) for item in items]
    if any(isinstance(each, Unknown) for each in texts):
        return Unknown()
    return begin + ", ".join(map(str, texts)) + end if texts else empty


def operate(op: str, values: list[object]) -> object:
    """What an operation on all its values gives."""
    if op == ".":
        return join_texts([text(value) for value in values])
    if op == "not":
        found = truth(values[0])
        return found if isinstance(found, Unknown) else not found
    if op in ("is", "is not"):
        return _is(op, *values)
    if op in ("==", "!="):
        same = equal(*values)
        return same if isinstance(same, Unknown) or op == "==" else not same
    if op in ("in", "not in"):
        within = _within(*values)
        return within if not isinstance(within, bool) or op == "in" else not within
    if op in _ORDERED:
        return _order(op, *values)
    if op in _SINGLE:
        value = values[0]
        fits = isinstance(value, int) or (isinstance(value, float) and op != "~")
        return _SINGLE[op](value) if fits else _type_error(value)
    if op in ("format", "!r", "!s", "!a"):
        return _format_value(op, *values)
    result = values[0]
    for value in values[1:]:
        result = _calculate(op, result, value)
        if isinstance(result, Failure):
            break
    return result


def _type_error(*values: object) -> object:
    """An operation that none of its values has: an error, where all are Python's own."""
    return Failure("TypeError") if all(_kind(value) for value in values) else Unknown()


def _kind(value: object) -> str:
    """The class of one of Python's own values, as far as operations tell them apart; empty where it is not known."""
    if isinstance(value, Box):
        return value.kind if value.kind in ("list", "dict", "set") and not isinstance(value.value, Unknown) else ""
    return type(value).__name__ if isinstance(value, _PLAIN) else ""


def _format_value(op: str, value: object, form: object = "") -> object:
    """A value in a form (https://docs.python.org/3/library/string.html#formatspec)."""
    if op != "format":
        found = text(value) if op == "!s" else repr_text(value)
        return found if op != "!a" or isinstance(found, Unknown) else found.encode("ascii", "backslashreplace").decode()
    if form == "":
        return text(value)
    if (
        not isinstance(value, _PLAIN)
        or isinstance(value, tuple)
        or not isinstance(form, str)
        or re.search(r"\d{4}", form)
    ):
        return Unknown("a value in a form")
    try:
        return format(value, form)
    except ValueError:
        return Failure("ValueError")
    except (TypeError, OverflowError):
        return Unknown("a form that does not fit")


def _is(op: str, a: object, b: object) -> object:
    """The same object: sure only for what there is one of, and for objects of the lineage."""
    if isinstance(a, Unknown) or isinstance(b, Unknown):
        return Unknown()
    single = None, True, False
    if any(x is s for s in single for x in (a, b)) or isinstance(a, Single) or isinstance(b, Single):
        return (a is b) == (op == "is")
    if isinstance(a, _PLAIN) and isinstance(b, _PLAIN):
        return Unknown("whether two values are one") if type(a) is type(b) and a == b else op == "is not"
    return (a is b) == (op == "is")


def equal(a: object, b: object) -> bool | Unknown:
    """Whether two values are equal (Python reference, 6.10.1); Unknown where that can't be told."""
    if not (is_known(a) and is_known(b)):
        for one, other in ((a, b), (b, a)):
            if isinstance(one, Unknown) and one.shape and isinstance(other, str) and not one.may_be(other):
                return False
        return Unknown()
    if is_lazy(a) or is_lazy(b):
        return Unknown("two objects are compared")
    if isinstance(a, Box) and isinstance(b, Box):
        if a.kind != b.kind:
            return False
        return equal(_inside(a), _inside(b)) if a.kind != "set" else set(_keys(a)) == set(_keys(b))
    if isinstance(a, list | tuple) and isinstance(b, list | tuple):
        if type(a) is not type(b) or len(a) != len(b):
            return False
        return _all(equal(x, y) for x, y in zip(a, b, strict=True))
    if isinstance(a, dict) and isinstance(b, dict):
        return _all(equal(v, b[k]) for k, v in a.items()) if a.keys() == b.keys() else False
    if isinstance(a, _PLAIN) and isinstance(b, _PLAIN):
        return bool(a == b)
    if isinstance(a, _PLAIN | Box | list | dict) or isinstance(b, _PLAIN | Box | list | dict):
        return (
            Unknown("an object is compared")
            if not isinstance(a, _PLAIN | Box) or not isinstance(b, _PLAIN | Box)
            else False
        )
    return True if a is b or a == b else Unknown("two objects are compared")


def _all(found: object) -> bool | Unknown:
    unknown: Unknown | None = None
    for same in found:  # type: ignore[attr-defined]
        if same is False:
            return False
        if isinstance(same, Unknown):
            unknown = same
    return unknown if unknown is not None else True


def _inside(value: object) -> object:
    return value.value if isinstance(value, Box) else value


def _keys(value: object) -> list[object]:
    inside = value.value if isinstance(value, Box) else value
    return list(inside) if isinstance(inside, list | dict | tuple) else []


def _within(item_: object, holder: object) -> object:
    if is_lazy(holder):
        found = entries(holder)
        if isinstance(found, Unknown):
            return found
        holder = tuple(each for _, each in found)
    inside = holder.value if isinstance(holder, Box) else holder
    if isinstance(inside, str):
        return item_ in inside if isinstance(item_, str) else _type_error(item_)
    if not isinstance(inside, list | tuple | dict):
        return _type_error(holder)
    unknown: Unknown | None = None
    for each in inside:
        same = equal(item_, each)
        if same is True:
            return True
        unknown = same if isinstance(same, Unknown) else unknown
    return unknown if unknown is not None else False


_ORDERED: dict[str, Callable[..., bool]] = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge}
_SINGLE: dict[str, Callable[..., object]] = {"neg": operator.neg, "pos": operator.pos, "~": operator.invert}


def _order(op: str, a: object, b: object) -> object:
    numbers = isinstance(a, int | float) and isinstance(b, int | float)
    if numbers or (isinstance(a, str) and isinstance(b, str)):
        return _ORDERED[op](a, b)
    one, other = _inside(a), _inside(b)
    if _kind(a) == _kind(b) == "set" and isinstance(one, dict) and isinstance(other, dict):
        return _ORDERED[op](set(one), set(other))
    if _kind(a) == _kind(b) and isinstance(one, list | tuple) and isinstance(other, list | tuple):
        return _in_turn(op, one, other)
    return _type_error(a, b)


def _in_turn(op: str, a: list[object] | tuple[object, ...], b: list[object] | tuple[object, ...]) -> object:
    """Two lists: the first items that differ decide (https://docs.python.org/3/reference/expressions.html#comparisons)."""
    for one, other in zip(a, b, strict=False):
        same = equal(one, other)
        if isinstance(same, Unknown):
            return same
        if not same:
            return _order(op, one, other)
    return _ORDERED[op](len(a), len(b))


_NUMBERS: dict[str, Callable[..., object]] = {
    "+": operator.add, "-": operator.sub, "*": operator.mul, "/": operator.truediv, "//": operator.floordiv, "%": operator.mod,
    "&": operator.and_, "|": operator.or_, "^": operator.xor, "<<": operator.lshift, ">>": operator.rshift, "**": operator.pow,
}  # fmt: skip


def _calculate(op: str, a: object, b: object) -> object:
    if isinstance(a, int | float) and isinstance(b, int | float):
        return _number(op, a, b)
    if op == "%" and isinstance(a, str):
        return _put_in(a, b)
    if op == "+" and isinstance(a, str | Unknown) and isinstance(b, str | Unknown):
        return join_texts([a, b]) if isinstance(a, str) or isinstance(b, str) else Unknown()
    if op == "+" and isinstance(a, tuple) and isinstance(b, tuple):
        return a + b if len(a) + len(b) <= MOST_VALUES else Unknown("a very large table")
    one = a.value if isinstance(a, Box) and a.kind == "list" else None
    if op == "+" and isinstance(one, list) and isinstance(b, Box) and b.kind == "list" and isinstance(b.value, list):
        return (
            box("list", [*one, *b.value]) if len(one) + len(b.value) <= MOST_VALUES else Unknown("a very large table")
        )
    if op == "*":
        return _repeat(a, b)
    one, other = _inside(a), _inside(b)
    if op in _SETS and _kind(a) == _kind(b) == "set" and isinstance(one, dict) and isinstance(other, dict):
        return box("set", {key: key for key in _SETS[op](one, other)})
    if op == "|" and _kind(a) == _kind(b) == "dict" and isinstance(one, dict) and isinstance(other, dict):
        return box("dict", {**one, **other})
    return _type_error(a, b)


_SETS: dict[str, Callable[[dict[object, object], dict[object, object]], list[object]]] = {
    "|": lambda a, b: [*a, *b], "&": lambda a, b: [key for key in a if key in b], "-": lambda a, b: [key for key in a if key not in b],
    "^": lambda a, b: [*(key for key in a if key not in b), *(key for key in b if key not in a)],
}  # fmt: skip


def _put_in(form: str, value: object) -> object:
    """``'%s' % x`` (https://docs.python.org/3/library/stdtypes.html#old-string-formatting)."""
    if isinstance(value, Box) and value.kind == "dict" and isinstance(value.value, dict):
        table = value.value
        if re.search(r"\d{4}", form) or not all(isinstance(each, str | int | float | None) for each in table.values()):
            return Unknown("a text that is put together")
        try:
            return form % table
        except KeyError as error:
            return Failure("KeyError", error.args)
        except (ValueError, TypeError, OverflowError):
            return Unknown("a text that is put together")
    items = value if isinstance(value, tuple) else (value,)
    shown_ = re.fullmatch(r"(?:[^%]|%%|%s|%r)*", form) is not None
    if shown_ and not isinstance(value, tuple) and isinstance(value, Box):
        items = (text(value),)
        value = items
    if shown_ and isinstance(value, tuple) and all(is_known(each) for each in items) and form.count("%r") == 0:
        items = tuple(text(each) for each in items)
        value = items
    plain = all(isinstance(each, str | int | float | None) for each in items)
    if not plain or re.search(r"\d{4}|\*", form):
        return Unknown("a text that is put together")
    try:
        return form % (items if isinstance(value, tuple) else value)
    except (ValueError, TypeError, OverflowError):
        return Unknown("a text that is put together")


def _repeat(a: object, b: object) -> object:
    times, value = (a, b) if isinstance(a, int) else (b, a)
    if not isinstance(times, int):
        return _type_error(a, b)
    if isinstance(value, str):
        return value * times if len(value) * times <= LONGEST_TEXT else Unknown("a very long text")
    inside = value.value if isinstance(value, Box) and value.kind == "list" else value
    if isinstance(inside, list | tuple) and len(inside) * times <= MOST_VALUES:
        return box("list", inside * times) if isinstance(inside, list) else inside * times
    return Unknown("a very large table") if isinstance(inside, list | tuple) else _type_error(a, b)


def _number(op: str, a: int | float, b: int | float) -> object:
    made = _NUMBERS.get(op)
    large = op in ("**", "<<") and (abs(b) > 64 or abs(a) > 1 << 32)
    if made is None or large:
        return Unknown("a very large number" if large else "made at run time")
    try:
        result = made(a, b)
    except ZeroDivisionError:
        return Failure("ZeroDivisionError")
    except (ValueError, TypeError) as error:
        return Failure(type(error).__name__)
    except ArithmeticError:
        return Failure("OverflowError")
    if isinstance(result, complex):
        return Unknown()
    return Unknown("a very large number") if isinstance(result, int) and result.bit_length() > 62 else result


def item(holder: object, key: object) -> object:
    """An item of a list, table or text; ABSENT where there is none."""
    if is_lazy(holder):
        return Unknown("an item of what has none")
    inside = holder.value if isinstance(holder, Box) else holder
    if isinstance(inside, Unknown) or not is_known(key):
        return Unknown()
    if isinstance(inside, dict) and isinstance(key, str | int | float | bool | tuple | None):
        found = inside.get(key, ABSENT)
        return (
            found
            if found is not ABSENT or all(isinstance(k, str | int | float | bool | None) for k in inside)
            else Unknown()
        )
    if isinstance(key, slice) and isinstance(inside, str | list | tuple):
        try:
            cut = inside[key]
        except (ValueError, TypeError) as error:
            return Failure(type(error).__name__)
        return box("list", cut) if isinstance(cut, list) else cut
    if isinstance(inside, str | list | tuple) and isinstance(key, int):
        return inside[key] if -len(inside) <= key < len(inside) else ABSENT
    if isinstance(holder, Box) and holder.kind == "dict":
        return Unknown()
    return _type_error(holder, key)


def entries(value: object) -> list[tuple[object, object]] | Unknown:
    """Keys and items in the order in which a loop goes through them."""
    lists = value.slots.get("from", ()) if isinstance(value, Box) else ()
    if isinstance(lists, tuple) and any(slots.get(key, ABSENT) is not then for slots, key, then in lists):
        return Unknown("a list is changed while it is gone through")
    kind = value.kind if isinstance(value, Box) else ""
    inside = value.value if isinstance(value, Box) else value
    if kind == "set" and isinstance(inside, dict) and len(inside) > 1:
        return Unknown("the order of a set")
    if isinstance(inside, str | list | tuple):
        return list(enumerate(inside))
    if isinstance(inside, dict):
        return list(enumerate(inside))
    return Unknown("what is gone through is not known")


def literal_value(pairs: list[tuple[object, object]], kind: str) -> object:
    """A list or table that is written out; the key ABSENT stands for the next number."""
    if kind == "tuple":
        return tuple(value for _, value in pairs)
    if kind in ("list", "table") and all(key is ABSENT for key, _ in pairs):
        return box("list", [value for _, value in pairs])
    made: dict[object, object] = {}
    for key, value in pairs:
        found = value if kind == "set" else key
        if not isinstance(found, str | int | float | bool | tuple | None) or not is_known(found):
            return Unknown("a key made at run time")
        made[found] = value
    return box("set" if kind == "set" else "dict", made)


def with_item(holder: object, key: object, value: object) -> object:
    """What the inside of a list or table becomes when an item is set; the key ABSENT adds one."""
    if not is_known(key):
        return Unknown("a key made at run time is set")
    if isinstance(holder, dict) and isinstance(key, str | int | float | bool | tuple | None):
        return {**holder, key: value} if len(holder) < MOST_VALUES else Unknown("a very large table")
    if isinstance(holder, list) and isinstance(key, int):
        if not -len(holder) <= key < len(holder):
            return Failure("IndexError")
        made = list(holder)
        made[key] = value
        return made
    if isinstance(holder, list) and isinstance(key, slice):
        return _cut_in(holder, key, value)
    if isinstance(holder, list) and _kind(key):
        return Failure("TypeError")
    return Unknown("an item is set that can't be followed")


def _cut_in(holder: list[object], key: slice, value: object) -> object:
    """``a[1:3] = b``"""
    found = entries(value)
    if isinstance(found, Unknown):
        return (
            Unknown("an item is set that can't be followed") if not isinstance(value, _PLAIN) else Failure("TypeError")
        )
    made = list(holder)
    try:
        made[key] = [item for _, item in found]
    except (ValueError, TypeError) as error:
        return Failure(type(error).__name__)
    return made


def without_item(holder: object, key: object) -> object:
    """What it becomes when an item is taken out."""
    if isinstance(holder, dict) and is_known(key) and isinstance(key, str | int | float | bool | tuple | None):
        if key in holder:
            return {k: v for k, v in holder.items() if k != key}
        plain = all(isinstance(k, str | int | float | bool | None) for k in holder)
        return Failure("KeyError", (key,)) if plain else Unknown("an item is taken out that can't be followed")
    if isinstance(holder, list) and isinstance(key, int | slice):
        made = list(holder)
        try:
            del made[key]
        except (LookupError, ValueError, TypeError) as error:
            return Failure(type(error).__name__)
        return made
    return Unknown("an item is taken out that can't be followed")
