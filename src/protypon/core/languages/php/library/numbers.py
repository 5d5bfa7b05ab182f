"""Functions of numbers and of kinds of value (https://www.php.net/manual/en/ref.math.php, …/ref.var.php, …/ref.json.php)."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable, Mapping

from protypon.core.languages.php.library.formats import (
    PRETTY,
    SLASHES,
    UNICODE,
    dump_text,
    export_text,
    json_shown,
    print_text,
    round_half_away,
    serialize,
    sprintf,
    unserialize,
)
from protypon.core.languages.php.library.taking import (
    Fails,
    NotFollowed,
    flag,
    is_plain,
    octets,
    pure,
    text,
    values,
    whole,
)
from protypon.core.languages.php.library.texts import is_numeric
from protypon.core.languages.php.operations import cast, operate, table
from protypon.core.languages.semantics import Native, Run
from protypon.core.languages.values import ABSENT, Unknown

_MOST = 1 << 63


def _number(value: object) -> int | float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise NotFollowed
    return value


def _fit(value: int | float) -> int | float:
    return value if isinstance(value, float) or -_MOST <= value < _MOST else float(value)


def _intdiv(one: object, other: object) -> object:
    a, b = whole(one), whole(other)
    if not b:
        raise Fails("DivisionByZeroError", "Division by zero")
    if a == -_MOST and b == -1:
        raise Fails("ArithmeticError")
    return abs(a) // abs(b) * (1 if (a < 0) == (b < 0) else -1)


def _fmod(one: object, other: object) -> object:
    a, b = float(_number(one)), float(_number(other))
    if not b or math.isinf(a) or math.isnan(a) or math.isnan(b):
        raise NotFollowed
    return math.fmod(a, b)


def _round(value: object, places: object = 0) -> object:
    found, behind = _number(value), whole(places)
    if isinstance(found, int):
        if behind < 0 or abs(found) >= 1 << 53:
            raise NotFollowed
        return float(found)
    return round_half_away(found, behind)


def _to(turn: Callable[[float], int]) -> Callable[[object], object]:
    def native(value: object) -> object:
        found = float(_number(value))
        if math.isnan(found) or math.isinf(found) or abs(found) >= 1 << 53:
            raise NotFollowed
        made = float(turn(found))
        return made or math.copysign(made, found)

    return native


def _sqrt(value: object) -> object:
    found = float(_number(value))
    if found < 0:
        raise NotFollowed
    return math.sqrt(found)


def _pow(one: object, other: object) -> object:
    _number(one), _number(other)
    return operate("**", [one, other])


def _test(test: Callable[[object], bool]) -> Callable[[object], object]:
    return test


def _is(*kinds: type) -> Native:
    """Whether a value is of a kind: of one that is known only so far that it is a text, too."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if len(given) != 1 or named or isinstance(given[0], Unknown):
            return Unknown("of what kind a value is")
        value = given[0]
        return type(value) in kinds or (
            type(value) not in (str, int, float, bool, type(None)) and isinstance(value, kinds)
        )

    return native


def _is_object(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) != 1 or named or isinstance(given[0], Unknown):
        return Unknown("of what kind a value is")
    return not isinstance(given[0], str | int | float | list | dict | None)


def _kind(names: Mapping[type, str], of_object: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if len(given) != 1 or named or isinstance(given[0], Unknown):
            return Unknown("of what kind a value is")
        value = given[0]
        if isinstance(value, list | dict):
            return "array"
        return names.get(type(value), of_object) or Unknown("the class of a value")

    return native


GETTYPE = {str: "string", int: "integer", float: "double", bool: "boolean", type(None): "NULL"}
DEBUG_TYPE = {str: "string", int: "int", float: "float", bool: "bool", type(None): "null"}


def _cast(kind: str) -> Callable[..., object]:
    def native(value: object) -> object:
        if not isinstance(value, str | int | float | bool | None) and not (
            isinstance(value, list | dict) and kind != "string"
        ):
            raise NotFollowed
        found = cast(kind, value)
        if isinstance(found, Unknown):
            raise NotFollowed
        return found

    return native


def _intval(value: object, base: object = 10) -> object:
    if base == 10:
        return _cast("int")(value)
    digits = octets(value).decode("latin-1").lower()
    size = whole(base)
    if not isinstance(value, str) or size not in (2, 8, 16) or not re.fullmatch("[0-9a-f]{1,12}", digits):
        raise NotFollowed
    allowed = "0123456789abcdef"[:size]
    return int(re.match(f"[{allowed}]*", digits)[0] or "0", size)  # type: ignore[index]


def _var_export(value: object, back: object = False) -> object:
    if not flag(back):
        raise NotFollowed
    return export_text(value)


def _print_r(value: object, back: object = False) -> object:
    if not flag(back):
        raise NotFollowed
    return print_text(value)


def _json_encode(value: object, flags: object = 0) -> object:
    found = whole(flags)
    if found & ~(PRETTY | SLASHES | UNICODE):
        raise NotFollowed
    return json_shown(value, found)


def _as_json(run: Run, given: list[object], named: dict[str, object]) -> object:
    """An object says itself what is written for it (PHP manual, JsonSerializable)."""
    found = run.ask(given[0], "jsonSerialize") if given else ABSENT
    return pure(_json_encode, 1, 2)(run, given if found is ABSENT else [found, *given[1:]], named)


def _json_decode(value: object, tables: object = None) -> object:
    data = octets(value)
    if tables is not True or len(data) > 10_000:
        raise NotFollowed
    try:
        return _from_json(json.loads(data, parse_constant=_refuse, parse_float=_refuse))
    except (ValueError, RecursionError) as error:
        if isinstance(error, NotFollowed):
            raise
        raise NotFollowed from error


def _refuse(found: str) -> object:
    raise NotFollowed


def _from_json(value: object) -> object:
    if isinstance(value, list):
        return [_from_json(item) for item in value]
    if isinstance(value, dict):
        made = {int(k) if re.fullmatch(r"0|-?[1-9]\d{0,17}", k) else k: _from_json(v) for k, v in value.items()}
        numbers = [key + 1 for key in made if isinstance(key, int)]
        if any(n <= 0 for n in numbers):
            raise NotFollowed
        return table(made, max(numbers, default=0))
    if isinstance(value, int) and not isinstance(value, bool) and not -_MOST <= value < _MOST:
        raise NotFollowed
    return value


def _printing(form: Callable[..., tuple[object, object]]) -> Native:
    """A function that prints what it makes."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        back = len(given) == 2 and given[1] is True
        try:
            if named or not all(map(is_plain, given)):
                raise NotFollowed
            made, result = form(*given)
        except (NotFollowed, TypeError):
            if not back:
                run.print(Unknown("what a function of the language prints"))
            return Unknown("what a function of the language gives")
        except Fails as error:
            return run.fail(error.cls)
        if made is not None:
            run.print(made)
        return result

    return native


def _printf(form: object, *given: object) -> tuple[object, object]:
    made = sprintf(text(octets(form)), list(given))
    return made, len(octets(made))


def _vprintf(form: object, given: object) -> tuple[object, object]:
    made = sprintf(text(octets(form)), values(given), "ValueError")
    return made, len(octets(made))


def _shown_by(show: Callable[[object], str], result: object) -> Callable[..., tuple[object, object]]:
    def form(value: object, back: object = False) -> tuple[object, object]:
        made = show(value)
        return (None, made) if flag(back) else (made, result)

    return form


def _var_dump(*given: object) -> tuple[object, object]:
    return "".join(map(dump_text, given)), None


NUMBERS: Mapping[str, Native] = {
    "abs": pure(lambda v: _fit(abs(_number(v))), 1, 1), "floor": pure(_to(math.floor), 1, 1), "ceil": pure(_to(math.ceil), 1, 1),
    "round": pure(_round, 1, 2), "sqrt": pure(_sqrt, 1, 1), "pow": pure(_pow, 2, 2), "intdiv": pure(_intdiv, 2, 2), "fmod": pure(_fmod, 2, 2),
    "pi": pure(lambda: math.pi, 0, 0), "is_nan": pure(lambda v: math.isnan(_number(v)), 1, 1), "is_finite": pure(lambda v: math.isfinite(_number(v)), 1, 1),
    "is_infinite": pure(lambda v: math.isinf(_number(v)), 1, 1), "is_int": _is(int), "is_integer": _is(int), "is_long": _is(int), "is_string": _is(str),
    "is_bool": _is(bool), "is_float": _is(float), "is_double": _is(float), "is_array": _is(list, dict), "is_null": _is(type(None)),
    "is_numeric": pure(is_numeric, 1, 1), "is_scalar": _is(int, float, str, bool), "is_object": _is_object,
    "gettype": _kind(GETTYPE, "object"), "get_debug_type": _kind(DEBUG_TYPE, ""), "intval": pure(_intval, 1, 2), "floatval": pure(_cast("float"), 1, 1),
    "doubleval": pure(_cast("float"), 1, 1), "strval": pure(_cast("string"), 1, 1), "boolval": pure(_cast("bool"), 1, 1),
    "var_export": _printing(_shown_by(export_text, None)), "print_r": _printing(_shown_by(print_text, True)), "var_dump": _printing(_var_dump),
    "printf": _printing(_printf), "vprintf": _printing(_vprintf), "json_encode": _as_json, "json_decode": pure(_json_decode, 2, 2),
    "serialize": pure(serialize, 1, 1), "unserialize": pure(unserialize, 1, 1),
}  # fmt: skip
"""By name, in small letters."""
