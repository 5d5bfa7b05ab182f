"""Numbers and texts put into a form (https://www.php.net/manual/en/function.sprintf.php, …/function.number-format.php, …/function.var-export.php)."""

from __future__ import annotations

import math
import re
from decimal import ROUND_HALF_UP, Decimal

from protypon.core.languages.php.library.taking import Fails, NotFollowed, octets, pairs, text
from protypon.core.languages.php.operations import cast, literal_value
from protypon.core.languages.php.operations import text as shown
from protypon.core.languages.values import MOST_VALUES, Unknown

_SPEC = re.compile(r"%(?:(\d+)\$)?((?:[-+ 0]|'.)*)(\d+)?(?:\.(\d+))?(.)?", re.DOTALL)


def round_half_away(value: float, places: int) -> float:
    """A number rounded away from nought where it lies in the middle, as written with 15 digits (``round``)."""
    if math.isnan(value) or math.isinf(value) or abs(places) > 12:
        raise NotFollowed
    if not 1e-9 < abs(value) < 1e14 and value:
        raise NotFollowed
    exact = Decimal(repr(value))
    found = exact.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)
    return float(found)


def format_fixed(value: float, places: int) -> str:
    """With so many digits behind the point."""
    found = round_half_away(value, places)
    return f"{Decimal(repr(found)).quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP):f}"


def number_format(value: object, places: int, point: str, thousands: str) -> str:
    """A number with its thousands and places (PHP manual, number_format). Raises NotFollowed for what is not followed."""
    if isinstance(value, bool) or not isinstance(value, int | float) or places < 0 or places > 12:
        raise NotFollowed
    if isinstance(value, int) and abs(value) >= 1 << 53:
        raise NotFollowed
    found = format_fixed(float(value), places)
    sign, digits = ("-", found[1:]) if found.startswith("-") else ("", found)
    before, _, behind = digits.partition(".")
    groups = f"{int(before):,}".replace(",", thousands)
    if not any(sign_ in "123456789" for sign_ in digits):
        sign = ""
    return sign + groups + (point + behind if places else "")


def sprintf(form: str, given: list[object], too_few: str = "ArgumentCountError") -> str:
    """A text with values put in; ``too_few`` is the error where there are not enough."""
    made, at, used = list[str](), 0, 0
    while True:
        start = form.find("%", at)
        if start < 0:
            return text(octets("".join([*made, form[at:]])))
        made.append(form[at:start])
        found = _SPEC.match(form, start)
        if found is None or found[5] is None:
            raise Fails("ValueError")
        at = found.end()
        if found[5] == "%":
            if found[0] != "%%":
                raise NotFollowed
            made.append("%")
            continue
        if found[1] == "0":
            raise Fails("ValueError")
        number = int(found[1]) - 1 if found[1] else used
        used += not found[1]
        if number >= len(given):
            raise Fails(too_few)
        made.append(_format_value(found, given[number]))


def _format_value(found: re.Match[str], value: object) -> str:
    flags, width, places, kind = found[2], int(found[3] or 0), found[4], found[5]
    left, plus = "-" in re.sub("'.", "", flags), "+" in re.sub("'.", "", flags)
    fill = " "
    for flag in re.findall("'.|[ 0]", flags, re.DOTALL):
        fill = flag[-1]
    if width > 1000 or (places and int(places) > 12):
        raise NotFollowed
    body, numeric = _body(kind, value, places, plus)
    if not body.isascii() and width:
        raise NotFollowed
    if len(body) >= width:
        return body
    if left:
        if fill == "0" and numeric:
            raise NotFollowed
        return body.ljust(width, fill)
    if fill == "0" and numeric and body[:1] in "+-":
        return body[0] + body[1:].rjust(width - 1, "0")
    return body.rjust(width, fill)


def _body(kind: str, value: object, places: str | None, plus: bool) -> tuple[str, bool]:
    """What stands for a value, without what fills it up, and whether it is a number."""
    if isinstance(value, list | dict):
        raise NotFollowed
    if kind == "s":
        found = shown(value)
        if isinstance(found, Unknown):
            raise NotFollowed
        return (found if places is None else text(octets(found)[: int(places)])), False
    if kind in "dubxXoc":
        whole = cast("int", value)
        if not isinstance(whole, int):
            raise NotFollowed
        if kind == "d":
            return f"{whole:+d}" if plus else str(whole), True
        if kind == "c":
            return text(bytes([whole % 256])), False
        unsigned = whole & ((1 << 64) - 1)
        return format(unsigned, {"u": "d"}.get(kind, kind)), kind == "u"
    if kind in "fF":
        number = cast("float", value)
        if not isinstance(number, float):
            raise NotFollowed
        found = format_fixed(number, 6 if places is None else int(places))
        if found.startswith("-") and not re.search("[1-9]", found):
            found = f"-{found[1:]}"
        return f"+{found}" if plus and not found.startswith("-") else found, True
    raise NotFollowed


def float_shown(value: float) -> str:
    """With as many digits as it takes (``serialize_precision`` is -1)."""
    if math.isnan(value) or math.isinf(value):
        raise NotFollowed
    if value == 0:
        return "-0" if math.copysign(1, value) < 0 else "0"
    digits = f"{value:.17e}"
    for size in range(17):
        digits = f"{value:.{size}e}"
        if float(digits) == value:
            break
    head, _, tail = digits.partition("e")
    exponent = int(tail)
    if -5 < exponent < 15:
        found = repr(value) if "e" not in repr(value) else f"{Decimal(repr(value)):f}"
        return found.removesuffix(".0")
    return f"{head if '.' in head else head + '.0'}E{'+' if exponent >= 0 else '-'}{abs(exponent)}"


def export_text(value: object, depth: int = 0) -> str:
    """``var_export``"""
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value) if value != -(1 << 63) else "-9223372036854775807-1"
    if isinstance(value, float):
        found = float_shown(value)
        return found if re.search("[.E]", found) else found + ".0"
    if isinstance(value, str):
        octets(value)
        if "\0" in value:
            raise NotFollowed
        return "'" + value.replace("\\", "\\\\").replace("'", "\\'") + "'"
    lead = "  " * depth
    rows = [
        f"{lead}  {export_text(key)} => "
        + ("\n" + lead + "  " if isinstance(item, list | dict) else "")
        + export_text(item, depth + 1)
        + ",\n"
        for key, item in pairs(value)
    ]
    return f"array (\n{''.join(rows)}{lead})"


def print_text(value: object, depth: int = 0) -> str:
    """``print_r``"""
    if not isinstance(value, list | dict):
        found = shown(value)
        if isinstance(found, Unknown):
            raise NotFollowed
        return found
    lead = " " * depth
    rows = "".join(f"{lead}    [{key}] => {print_text(item, depth + 8)}\n" for key, item in pairs(value))
    return f"Array\n{lead}(\n{rows}{lead})\n"


def dump_text(value: object, depth: int = 0) -> str:
    """``var_dump``"""
    lead = "  " * depth
    if value is None:
        return f"{lead}NULL\n"
    if isinstance(value, bool):
        return f"{lead}bool({'true' if value else 'false'})\n"
    if isinstance(value, int):
        return f"{lead}int({value})\n"
    if isinstance(value, float):
        return f"{lead}float({float_shown(value)})\n"
    if isinstance(value, str):
        return f'{lead}string({len(octets(value))}) "{value}"\n'
    rows = "".join(
        f"{lead}  [{key if isinstance(key, int) else chr(34) + str(key) + chr(34)}]=>\n{dump_text(item, depth + 1)}"
        for key, item in pairs(value)
    )
    return f"{lead}array({len(pairs(value))}) {{\n{rows}{lead}}}\n"


_ESCAPES = {'"': '\\"', "\\": "\\\\", "/": "\\/", "\b": "\\b", "\f": "\\f", "\n": "\\n", "\r": "\\r", "\t": "\\t"}


PRETTY, SLASHES, UNICODE = 128, 64, 256


def json_shown(value: object, flags: int = 0, depth: int = 1) -> str:
    """``json_encode``; of its flags only those for slashes, Unicode signs and lines."""
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return float_shown(value).replace("E", "e")
    if isinstance(value, str):
        octets(value)
        return '"' + "".join(_json_sign(sign, flags) for sign in value) + '"'
    items = pairs(value)
    if all(key == number for number, (key, _) in enumerate(items)):
        return _json_rows("[", [json_shown(item, flags, depth + 1) for _, item in items], "]", flags, depth)
    colon = ": " if flags & PRETTY else ":"
    rows = [f"{json_shown(str(key), flags)}{colon}{json_shown(item, flags, depth + 1)}" for key, item in items]
    return _json_rows("{", rows, "}", flags, depth)


def _json_rows(first: str, rows: list[str], last: str, flags: int, depth: int) -> str:
    if not flags & PRETTY or not rows:
        return first + ",".join(rows) + last
    between = "\n" + "    " * depth
    return first + between + f",{between}".join(rows) + "\n" + "    " * (depth - 1) + last


def _json_sign(sign: str, flags: int) -> str:
    if sign == "/" and flags & SLASHES:
        return sign
    if sign in _ESCAPES:
        return _ESCAPES[sign]
    code = ord(sign)
    if code < 32 or (code > 127 and not flags & UNICODE):
        if code > 0xFFFF:
            high, low = divmod(code - 0x10000, 0x400)
            return f"\\u{0xD800 + high:04x}\\u{0xDC00 + low:04x}"
        return f"\\u{code:04x}"
    if code in (0x2028, 0x2029):
        return f"\\u{code:04x}"
    return sign


def serialize(value: object) -> str:
    """``serialize``, without objects."""
    if value is None:
        return "N;"
    if isinstance(value, bool):
        return f"b:{int(value)};"
    if isinstance(value, int):
        return f"i:{value};"
    if isinstance(value, float):
        return f"d:{float_shown(value)};"
    if isinstance(value, str):
        return f's:{len(octets(value))}:"{value}";'
    rows = "".join(serialize(key) + serialize(item) for key, item in pairs(value))
    return f"a:{len(pairs(value))}:{{{rows}}}"


def unserialize(source: object) -> object:
    """The inverse, of texts that it made (PHP manual, unserialize)."""
    value, rest = _unserialize_one(octets(source))
    if rest:
        raise NotFollowed
    return value


_SERIAL = re.compile(rb"N;|b:([01]);|i:(-?\d{1,18});|d:(-?\d+(?:\.\d+)?(?:E[+-]?\d+)?);|s:(\d+):\"|a:(\d+):\{")


def _unserialize_one(data: bytes) -> tuple[object, bytes]:
    found = _SERIAL.match(data)
    if found is None:
        raise NotFollowed
    rest = data[found.end() :]
    if found[4] is not None:
        size = int(found[4])
        if rest[size : size + 2] != b'";':
            raise NotFollowed
        return rest[:size].decode("utf-8", "surrogateescape"), rest[size + 2 :]
    if found[5] is not None:
        return _unserialized_rows(int(found[5]), rest)
    if found[1] is not None:
        return found[1] == b"1", rest
    return (int(found[2]) if found[2] is not None else float(found[3]) if found[3] is not None else None), rest


def _unserialized_rows(count: int, rest: bytes) -> tuple[object, bytes]:
    rows = []
    for _ in range(min(count, MOST_VALUES)):
        key, rest = _unserialize_one(rest)
        value, rest = _unserialize_one(rest)
        rows.append((key, value))
    made = literal_value(rows, "table")
    if rest[:1] != b"}" or isinstance(made, Unknown) or not all(isinstance(key, int | str) for key, _ in rows):
        raise NotFollowed
    return made, rest[1:]
