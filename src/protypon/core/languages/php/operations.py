"""What operations on values give in PHP 8 (https://www.php.net/manual/en/language.operators.php, …/language.types.php)."""

from __future__ import annotations

import math
import re
from collections.abc import Callable

from protypon.core.languages.values import (
    ABSENT,
    LONGEST_TEXT,
    MOST_VALUES,
    Failure,
    NumberedTable,
    Unknown,
    is_known,
    join_texts,
)

_NUMERIC = re.compile(r"[ \t\n\r\v\f]*([+-]?(?:\d+(\.\d*)?|(\.)\d+)([eE][+-]?\d+)?)[ \t\n\r\v\f]*")
_LARGEST = (1 << 63) - 1
Number = int | float


def truth(value: object) -> bool | Unknown:
    """Whether a value counts as true."""
    if isinstance(value, Unknown):
        return value
    if isinstance(value, str):
        return value not in ("", "0")
    return bool(value) if isinstance(value, int | float | list | dict | None) else True


def text(value: object) -> str | Unknown:
    """A value as it is printed."""
    if isinstance(value, str):
        return value
    if isinstance(value, Unknown):
        return value
    if value is None or isinstance(value, bool):
        return "1" if value else ""
    if isinstance(value, int):
        return str(value)
    if isinstance(value, list | dict):
        return "Array"
    return _float_text(value) if isinstance(value, float) else Unknown("a value that is no text")


def _float_text(value: float) -> str:
    """With 14 digits, as ``precision`` is by default (Runtime Configuration)."""
    if math.isnan(value) or math.isinf(value):
        return "NAN" if math.isnan(value) else ("INF" if value > 0 else "-INF")
    shown = f"{value:.14G}"
    head, mark, tail = shown.partition("E")
    if not mark:
        return shown
    return f"{head if '.' in head else head + '.0'}E{tail[0]}{int(tail[1:])}"


def number(value: object) -> Number | None:
    """A value as a number, where it is one or a text that is one; None for all else."""
    if value is None or isinstance(value, bool):
        return int(bool(value))
    if isinstance(value, int | float):
        return value
    found = _NUMERIC.fullmatch(value) if isinstance(value, str) else None
    if found is None:
        return None
    if found[2] is not None or found[3] or found[4]:
        return float(found[1])
    whole = int(found[1])
    return whole if -_LARGEST - 1 <= whole <= _LARGEST else float(whole)


def _fit(value: Number) -> Number:
    """A whole number that is too large becomes a float (Integers, overflow)."""
    return float(value) if isinstance(value, int) and not -_LARGEST - 1 <= value <= _LARGEST else value


def operate(op: str, values: list[object]) -> object:
    """What an operation on all its values gives."""
    if op == ".":
        return join_texts([text(value) for value in values])
    if op == "not":
        found = truth(values[0])
        return found if isinstance(found, Unknown) else not found
    if op == "xor":
        one, other = truth(values[0]), truth(values[1])
        return Unknown() if isinstance(one, Unknown) or isinstance(other, Unknown) else one != other
    if op.startswith("("):
        return cast(op[1:-1], values[0])
    if op in _COMPARED:
        return _COMPARED[op](*values)
    if op in ("neg", "pos"):
        return _arithmetic("*", [values[0], -1 if op == "neg" else 1])
    if op in ("++", "--"):
        return _step(op, values[0])
    if op in ("&", "|", "^") and all(isinstance(value, str) for value in values):
        return _letters(op, *map(str, values))
    if op == "~":
        if isinstance(values[0], list | dict | bool | None):
            return Failure("TypeError")
        return ~values[0] if isinstance(values[0], int) else Unknown()
    return _arithmetic(op, values)


def _letters(op: str, a: str, b: str) -> object:
    """Bit operations on two texts, letter by letter (Bitwise Operators)."""
    if not (a.isascii() and b.isascii()):
        return Unknown("letters are put together bit by bit")
    longer = max(len(a), len(b))
    if op == "|":
        return "".join(chr(ord(x) | ord(y)) for x, y in zip(a.ljust(longer, "\0"), b.ljust(longer, "\0"), strict=True))
    return "".join(chr(ord(x) & ord(y) if op == "&" else ord(x) ^ ord(y)) for x, y in zip(a, b, strict=False))


def _arithmetic(op: str, values: list[object]) -> object:
    if op == "+" and all(isinstance(v, list | dict) for v in values):
        return _union(values)
    result: object = values[0]
    for value in values[1:]:
        one, other = _operand(result), _operand(value)
        if isinstance(one, Unknown) or isinstance(other, Unknown):
            return Unknown()
        if isinstance(one, Failure) or isinstance(other, Failure):
            return Failure("TypeError")
        result = _calculate(op, one, other)
        if not isinstance(result, int | float):
            return result
    return result


_NO_NUMBER = re.compile(r"[ \t\n\r\v\f]*[+-]?\.?\d")


def _operand(value: object) -> Number | Unknown | Failure:
    """A value that is calculated with: of a text, the number that it begins with (Numeric strings)."""
    found = number(value)
    if found is not None:
        return found
    if isinstance(value, str) and _NO_NUMBER.match(value):
        leading = _LEADING.match(value)
        found = number(leading[0]) if leading else None
        return Unknown() if found is None else found
    return Failure("TypeError") if isinstance(value, str | list | dict) else Unknown()


def _calculate(op: str, a: Number, b: Number) -> object:
    try:
        if op in ("+", "-", "*"):
            return _fit(a + b if op == "+" else a - b if op == "-" else a * b)
        if op == "/" and b == 0:
            return Failure("DivisionByZeroError", ("Division by zero",))
        if op == "/":
            exact = isinstance(a, int) and isinstance(b, int) and a % b == 0
            return _fit(a // b) if exact else a / b
        if op == "**":
            return _power(a, b)
        if op in ("%", "<<", ">>", "&", "|", "^") and abs(a) < 1 << 63 and abs(b) < 1 << 63:
            return _whole(op, int(a), int(b))
    except (OverflowError, ZeroDivisionError, ValueError):
        pass
    return Unknown()


def _power(a: Number, b: Number) -> object:
    if isinstance(a, int) and isinstance(b, int) and 0 <= b < 64:
        return _fit(a**b)
    if a < 0 and isinstance(b, float) and not b.is_integer():
        return float("nan")
    found = float(a) ** b
    return found if isinstance(found, float) else Unknown()


def _whole(op: str, a: int, b: int) -> object:
    if op == "%":
        if not b:
            return Failure("DivisionByZeroError", ("Modulo by zero",))
        return abs(a) % abs(b) * (-1 if a < 0 else 1)
    if op in ("<<", ">>"):
        if b < 0:
            return Failure("ArithmeticError", ("Bit shift by negative number",))
        if b >= 64:
            return -1 if op == ">>" and a < 0 else 0
        shifted = (a << b) & ((1 << 64) - 1) if op == "<<" else a >> b
        return shifted - (1 << 64) if shifted > _LARGEST else shifted
    return a & b if op == "&" else a | b if op == "|" else a ^ b


def _union(values: list[object]) -> object:
    made: dict[object, object] = {}
    for value in values:
        for key, item in dict(_pairs(value)).items():
            made.setdefault(key, item)
    return table(made, next_number(made))


def _step(op: str, value: object) -> object:
    if value is None:
        return 1 if op == "++" else None
    if isinstance(value, bool):
        return value
    if isinstance(value, list | dict):
        return Failure("TypeError")
    if isinstance(value, str) and number(value) is None:
        if op == "--":
            return value if value else -1
        return _counted_up(value)
    return _arithmetic("+" if op == "++" else "-", [value, 1])


def _counted_up(value: str) -> object:
    """``$s++`` of a text that is no number: letters and digits go on to the next one (Incrementing/Decrementing Operators)."""
    if not value:
        return "1"
    if not (value.isascii() and value.isalnum()):
        return Unknown("a text is counted up")
    made, carry = "", ""
    for letter in reversed(value):
        if carry or not made:
            first, last = ("0", "9") if letter.isdigit() else ("a", "z") if letter.islower() else ("A", "Z")
            carry = ("1" if first == "0" else first) if letter == last else ""
            letter = first if letter == last else chr(ord(letter) + 1)
        made = letter + made
    return carry + made


# Comparison


def identical(a: object, b: object) -> bool | Unknown:
    """``===``: the same type and value; of arrays also the same order."""
    if not (is_known(a) and is_known(b)):
        return _settled_apart(a, b)
    if isinstance(a, list | dict) and isinstance(b, list | dict):
        one, other = _pairs(a), _pairs(b)
        if len(one) != len(other):
            return False
        same: bool | Unknown = True
        for (key, value), (key2, value2) in zip(one, other, strict=True):
            found = identical(value, value2) if key == key2 and type(key) is type(key2) else False
            if found is False:
                return False
            same = found if isinstance(found, Unknown) else same
        return same
    if isinstance(a, float) and isinstance(b, float):
        return a == b
    if not isinstance(a, _PLAIN) and not isinstance(b, _PLAIN):
        return (
            True if a is b else (a == b) or (False if type(a) is not type(b) else Unknown("two objects are compared"))
        )
    return type(a) is type(b) and a == b


_PLAIN = str | int | float | bool | list | dict | None  # type: ignore[type-arg]


def _settled_apart(a: object, b: object) -> bool | Unknown:
    """Two values of which one is not known: a text whose shape rules the other out is another one."""
    for one, other in ((a, b), (b, a)):
        if (
            isinstance(one, Unknown)
            and one.shape
            and not isinstance(other, Unknown)
            and (not isinstance(other, str) or not one.may_be(other))
        ):
            return False
    return Unknown()


def equal(a: object, b: object) -> bool | Unknown:
    """``==`` (Comparison Operators)."""
    found = compare_values(a, b)
    return found if isinstance(found, Unknown) else found == 0


def compare_values(a: object, b: object) -> Number | Unknown:
    """``<=>``: below nothing, nothing, above nothing; NaN where neither."""
    if isinstance(a, str) and isinstance(b, str):
        one, other = number(a), number(b)
        if one is None or other is None:
            return (a.encode("utf-8", "surrogateescape") > b.encode("utf-8", "surrogateescape")) - (
                a.encode("utf-8", "surrogateescape") < b.encode("utf-8", "surrogateescape")
            )
        if isinstance(one, float) and isinstance(other, float) and (math.isinf(one) or math.isinf(other)):
            return Unknown()
        return _order(one, other)
    if not (is_known(a) and is_known(b)) or not isinstance(a, _PLAIN) or not isinstance(b, _PLAIN):
        return Unknown()
    if a is None and isinstance(b, str):
        return -bool(b)
    if isinstance(a, str) and b is None:
        return int(bool(a))
    if a is None or b is None or isinstance(a, bool) or isinstance(b, bool):
        one_true, other_true = truth(a), truth(b)
        assert not isinstance(one_true, Unknown) and not isinstance(other_true, Unknown)
        return int(one_true) - int(other_true)
    if isinstance(a, list | dict) or isinstance(b, list | dict):
        return _arrays(a, b)
    return _with_number(a, b)


def _with_number(a: object, b: object) -> Number | Unknown:
    """A number and a number, or a text: one that is no number is compared as a text."""
    one, other = number(a), number(b)
    if one is None or other is None:
        left, right = text(a), text(b)
        return compared_texts(str(left), str(right))
    return _order(one, other)


def compared_texts(a: str, b: str) -> int:
    """-1, 0 or 1, as two texts stand to each other byte by byte.

    >>> compared_texts("ebb", "flood")
    -1
    """
    return (a > b) - (a < b)


def _order(a: Number, b: Number) -> Number:
    if math.isnan(a) or math.isnan(b):
        return float("nan")
    return (a > b) - (a < b)


def _arrays(a: object, b: object) -> Number | Unknown:
    if not (isinstance(a, list | dict) and isinstance(b, list | dict)):
        return 1 if isinstance(a, list | dict) else -1
    one, other = dict(_pairs(a)), dict(_pairs(b))
    if len(one) != len(other):
        return len(one) - len(other)
    for key, value in one.items():
        if key not in other:
            return float("nan")
        found = compare_values(value, other[key])
        if isinstance(found, Unknown) or found != 0:
            return found
    return 0


def _order_test(test: Callable[[Number], bool]) -> Callable[[object, object], object]:
    def compare(a: object, b: object) -> object:
        found = compare_values(a, b)
        return found if isinstance(found, Unknown) else test(found)

    return compare


def _not(same: Callable[[object, object], object]) -> Callable[[object, object], object]:
    def compare(a: object, b: object) -> object:
        found = same(a, b)
        return found if isinstance(found, Unknown) else not found

    return compare


def _spaceship(a: object, b: object) -> object:
    found = compare_values(a, b)
    return found if isinstance(found, Unknown) else (1 if math.isnan(found) else (found > 0) - (found < 0))


_COMPARED: dict[str, Callable[[object, object], object]] = {
    "==": equal, "!=": _not(equal), "===": identical, "!==": _not(identical), "<=>": _spaceship,
    "<": _order_test(lambda n: n < 0), ">": _order_test(lambda n: n > 0), "<=": _order_test(lambda n: n <= 0), ">=": _order_test(lambda n: n >= 0),
}  # fmt: skip


# Conversion


def cast(kind: str, value: object) -> object:
    """``(int) $x`` and its kind (Type juggling)."""
    if isinstance(value, Unknown):
        return value if kind == "string" else Unknown(value.why)
    if kind == "bool":
        return truth(value)
    if kind == "string":
        return text(value)
    if kind == "array":
        return (
            value
            if isinstance(value, list | dict)
            else []
            if value is None
            else [value]
            if isinstance(value, _PLAIN)
            else Unknown()
        )
    if kind in ("int", "float"):
        return _cast_number(kind, value)
    return Unknown()


_LEADING = re.compile(r"[ \t\n\r\v\f]*[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?")


def _cast_number(kind: str, value: object) -> object:
    if isinstance(value, list | dict):
        return int(bool(value)) if kind == "int" else float(bool(value))
    if isinstance(value, str):
        found = _LEADING.match(value)
        value = number(found[0]) if found else 0
    if value is None or isinstance(value, bool):
        value = int(bool(value))
    if not isinstance(value, int | float):
        return Unknown()
    if kind == "float":
        return float(value)
    if isinstance(value, float) and (math.isnan(value) or math.isinf(value) or abs(value) >= 1 << 63):
        return Unknown()
    return int(value)


# Arrays


def key_of(key: object) -> int | str | Unknown:
    """What a key becomes (Arrays, key casts)."""
    if isinstance(key, bool) or key is None:
        return int(key) if isinstance(key, bool) else ""
    if isinstance(key, int):
        return key
    if isinstance(key, str):
        whole = re.fullmatch(r"0|-?[1-9]\d{0,18}", key) and key != "-0"
        return int(key) if whole and -_LARGEST - 1 <= int(key) <= _LARGEST else key
    if isinstance(key, float) and not math.isnan(key) and abs(key) < 1 << 62:
        return int(key)
    return Unknown("a key made at run time")


def _pairs(value: object) -> list[tuple[object, object]]:
    if isinstance(value, list):
        return list(enumerate(value))
    return list(value.items()) if isinstance(value, dict) else []


def next_number(items: object) -> int:
    """The number that the next item gets."""
    if isinstance(items, list):
        return len(items)
    if isinstance(items, NumberedTable):
        return items.next
    assert isinstance(items, dict)
    return max([key + 1 for key in items if isinstance(key, int) and key >= 0], default=0)


def table(items: dict[object, object], number: int) -> list[object] | dict[object, object]:
    """A table as it is held: one whose keys count from nought is a list."""
    if len(items) == number and all(key == n for n, key in enumerate(items)):
        return list(items.values())
    return items if next_number(dict(items)) == number else NumberedTable(items, number)


def item(holder: object, key: object) -> object:
    """An item of a list, table or text; ABSENT where there is none."""
    if isinstance(holder, Unknown) or isinstance(key, Unknown):
        return Unknown()
    if isinstance(holder, str):
        place = key if isinstance(key, int) and not isinstance(key, bool) else None
        if isinstance(key, str) and holder.isascii() and number(key) is None and not _NO_NUMBER.match(key):
            return Failure("TypeError")
        if place is None or not holder.isascii():
            return Unknown()
        return holder[place] if -len(holder) <= place < len(holder) else ABSENT
    if isinstance(holder, list | dict):
        found = key_of(key)
        if isinstance(found, Unknown):
            return found
        if isinstance(holder, list):
            return holder[found] if isinstance(found, int) and 0 <= found < len(holder) else ABSENT
        return holder.get(found, ABSENT)
    return ABSENT if holder is None or isinstance(holder, int | float) else Unknown()


def entries(value: object) -> list[tuple[object, object]] | Unknown:
    """Keys and items in the order in which a loop goes through them."""
    if isinstance(value, list | dict):
        return _pairs(value)
    if value is None or isinstance(value, str | int | float):
        return []
    return Unknown("what is gone through is not known")


def literal_value(pairs: list[tuple[object, object]], kind: str) -> object:
    """A list or table that is written out; the key ABSENT stands for the next number."""
    made: dict[object, object] = {}
    number = 0
    for key, value in pairs:
        found = number if key is ABSENT else key_of(key)
        if isinstance(found, Unknown):
            return found
        made[found] = value
        if isinstance(found, int) and (found >= number):
            number = found + 1
        elif isinstance(found, int) and found < 0 and number == 0:
            return Unknown("a negative key") if any(k is ABSENT for k, _ in pairs) else _loose(pairs)
    if len(made) > MOST_VALUES:
        return Unknown("a very large table")
    return table(made, number)


def _loose(pairs: list[tuple[object, object]]) -> object:
    return (
        {key_of(key): value for key, value in pairs}
        if all(not isinstance(key_of(k), Unknown) for k, _ in pairs)
        else Unknown()
    )


def with_item(holder: object, key: object, value: object) -> object:
    """What the inside of a list or table becomes when an item is set; the key ABSENT adds one."""
    if holder is None:
        holder = []
    if isinstance(holder, str):
        return _with_letter(holder, key, value)
    if not isinstance(holder, list | dict):
        return Unknown("an item of what is no table is set")
    if key is ABSENT and any(isinstance(k, int) and k < 0 for k in (holder if isinstance(holder, dict) else ())):
        return Unknown("a negative key")
    items, number = dict(_pairs(holder)), next_number(holder)
    found = number if key is ABSENT else key_of(key)
    if isinstance(found, Unknown):
        return Unknown("a key made at run time is set")
    items[found] = value
    if len(items) > MOST_VALUES:
        return Unknown("a very large table")
    return table(items, max(number, found + 1) if isinstance(found, int) else number)


def _with_letter(holder: str, key: object, value: object) -> object:
    """``$s[0] = 'a'``: one letter of a text (Strings, String access and modification by character)."""
    if key is ABSENT:
        return Failure("Error")
    first = text(value)
    fits = isinstance(key, int) and not isinstance(key, bool) and holder.isascii() and isinstance(first, str)
    if not fits or not isinstance(key, int) or not isinstance(first, str) or not first.isascii() or not first:
        return Unknown("a letter of a text is set")
    if key < -len(holder) or key > LONGEST_TEXT:
        return Unknown("a letter of a text is set")
    place = key + len(holder) if key < 0 else key
    padded = holder.ljust(place)
    return padded[:place] + first[0] + padded[place + 1 :]


def without_item(holder: object, key: object) -> object:
    """What it becomes when an item is taken out."""
    if holder is None:
        return None
    if not isinstance(holder, list | dict):
        return Unknown()
    found = key_of(key)
    if isinstance(found, Unknown):
        return Unknown("a key made at run time is taken out")
    items = dict(_pairs(holder))
    items.pop(found, None)
    return table(items, next_number(holder))
