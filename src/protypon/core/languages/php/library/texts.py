"""Functions of texts (https://www.php.net/manual/en/ref.strings.php, …/ref.ctype.php, …/ref.url.php): PHP counts bytes and folds ASCII letters only."""

from __future__ import annotations

import base64
import binascii
import hashlib
import re
import zlib
from collections.abc import Callable, Mapping
from urllib.parse import quote, unquote_to_bytes

from protypon.core.languages.php.library.formats import number_format, sprintf
from protypon.core.languages.php.library.taking import (
    Fails,
    NotFollowed,
    flag,
    octets,
    pairs,
    pure,
    text,
    values,
    whole,
)
from protypon.core.languages.php.operations import number, table
from protypon.core.languages.php.operations import text as shown
from protypon.core.languages.semantics import Native
from protypon.core.languages.values import Unknown

SPACE = b" \t\n\r\0\x0b"


def _lower(data: bytes) -> bytes:
    return data.lower()


def _text_in_array(value: object) -> str:
    """A value inside an array as a text."""
    found = shown(value)
    if isinstance(found, Unknown):
        raise NotFollowed
    return found


def _mask(chars: bytes) -> bytes:
    """The letters that a list of letters and ranges (``a..z``) stands for."""
    if b".." in chars and not re.search(rb"(?s)(.)\.\.(.)", chars):
        raise NotFollowed
    found, at = bytearray(), 0
    while at < len(chars):
        if chars[at + 1 : at + 3] == b".." and at + 3 < len(chars):
            first, last = chars[at], chars[at + 3]
            if first > last:
                raise NotFollowed
            found += bytes(range(first, last + 1))
            at += 4
            continue
        if chars[at : at + 2] == b"..":
            raise NotFollowed
        found.append(chars[at])
        at += 1
    return bytes(found)


def _stripper(strip: Callable[[bytes, bytes], bytes]) -> Callable[..., object]:
    return lambda value, chars=None: text(strip(octets(value), SPACE if chars is None else _mask(octets(chars))))


def _first(change: Callable[[bytes], bytes]) -> Callable[[object], object]:
    def native(value: object) -> object:
        data = octets(value)
        return text(change(data[:1]) + data[1:]) if data[:1].isascii() else text(data)

    return native


def _ucwords(value: object, delimiters: object = " \t\r\n\f\v") -> object:
    data, ends, after = octets(value), octets(delimiters), True
    made = bytearray()
    for byte in data:
        made += bytes([byte]).upper() if after else bytes([byte])
        after = made[-1] in ends
    return text(bytes(made))


def _substr(value: object, start: object, length: object = None) -> object:
    return text(_cut_bytes(octets(value), whole(start), None if length is None else whole(length)))


def _cut_bytes(data: bytes, start: int, length: int | None) -> bytes:
    begin = max(len(data) + start, 0) if start < 0 else min(start, len(data))
    end = len(data) if length is None else (len(data) + length if length < 0 else begin + length)
    return data[begin : max(end, begin)]


def _finder(find: Callable[[bytes, bytes, int], int], fold: bool) -> Callable[..., object]:
    def native(value: object, wanted: object, offset: object = 0) -> object:
        data, sought, at = octets(value), octets(wanted), whole(offset)
        if abs(at) > len(data):
            raise Fails("ValueError")
        if fold:
            data, sought = _lower(data), _lower(sought)
        place = find(data, sought, at + len(data) if at < 0 else at)
        return place if place >= 0 else False

    return native


def _last(fold: bool) -> Callable[..., object]:
    def native(value: object, wanted: object) -> object:
        data, sought = octets(value), octets(wanted)
        place = _lower(data).rfind(_lower(sought)) if fold else data.rfind(sought)
        return place if place >= 0 else False

    return native


def _strstr(fold: bool) -> Callable[..., object]:
    def native(value: object, wanted: object, before: object = False) -> object:
        data, sought, head = octets(value), octets(wanted), flag(before)
        place = _lower(data).find(_lower(sought)) if fold else data.find(sought)
        if place < 0:
            return False
        return text(data[:place] if head else data[place:])

    return native


def _strrchr(value: object, wanted: object) -> object:
    data, sought = octets(value), octets(wanted)
    if not sought:
        raise NotFollowed
    place = data.rfind(sought[:1])
    return text(data[place:]) if place >= 0 else False


def _substr_count(value: object, wanted: object) -> object:
    if not octets(wanted):
        raise Fails("ValueError")
    return octets(value).count(octets(wanted))


def _replacer(fold: bool) -> Callable[..., object]:
    """``str_replace``: one after the other, in a text or in each text of an array."""

    def in_one(subject: object, search: object, by: object) -> object:
        data = octets(subject)
        news = values(by) if isinstance(by, list | dict) else None
        if not isinstance(search, list | dict):
            if news is not None:
                raise NotFollowed
            return text(swap(data, octets(search), octets(by)))
        for number_, each in enumerate(values(search)):
            new = octets(by) if news is None else octets(_text_in_array(news[number_])) if number_ < len(news) else b""
            data = swap(data, octets(_text_in_array(each)), new)
        return text(data)

    def swap(data: bytes, old: bytes, new: bytes) -> bytes:
        if not old:
            return data
        if fold:
            return re.sub(re.escape(old), lambda m: new, data, flags=re.IGNORECASE | re.ASCII)
        return data.replace(old, new)

    def native(search: object, by: object, subject: object) -> object:
        in_one("", search, by)
        if not isinstance(subject, list | dict):
            return in_one(subject, search, by)
        made = {
            key: in_one(_text_in_array(each), search, by)
            for key, each in pairs(subject)
            if not isinstance(each, list | dict)
        }
        if len(made) != len(subject):
            raise NotFollowed
        return list(made.values()) if isinstance(subject, list) else made

    return native


def _substr_replace(value: object, by: object, start: object, length: object = None) -> object:
    data, at = octets(value), whole(start)
    begin = max(len(data) + at, 0) if at < 0 else min(at, len(data))
    cut = _cut_bytes(data, begin, None if length is None else whole(length))
    return text(data[:begin] + octets(by) + data[begin + len(cut) :])


def _str_repeat(value: object, times: object) -> object:
    data, count = octets(value), whole(times)
    if count < 0:
        raise Fails("ValueError")
    if len(data) * count > 1 << 16:
        raise NotFollowed
    return text(data * count)


def _str_pad(value: object, length: object, pad: object = " ", kind: object = 1) -> object:
    data, fill, missing = octets(value), octets(pad), whole(length) - len(octets(value))
    if whole(kind) not in (0, 1, 2) or missing > 1 << 14:
        raise NotFollowed
    if not fill:
        raise Fails("ValueError")
    if missing <= 0:
        return value
    left = missing if kind == 0 else missing // 2 if kind == 2 else 0
    right = missing - left
    return text((fill * left)[:left] + data + (fill * right)[:right])


def _str_split(value: object, length: object = 1) -> object:
    data, size = octets(value), whole(length)
    if size < 1:
        raise Fails("ValueError")
    if not data:
        raise NotFollowed  # nothing, or one empty piece, before 8.2
    return [text(data[n : n + size]) for n in range(0, len(data), size)]


def _comparer(fold: bool, most: bool) -> Callable[..., object]:
    def native(one: object, other: object, *length: object) -> object:
        a, b = octets(one), octets(other)
        if fold:
            a, b = _lower(a), _lower(b)
        if most:
            if whole(length[0]) < 0:
                raise Fails("ValueError")
            a, b = a[: whole(length[0])], b[: whole(length[0])]
        if a != b:
            raise NotFollowed  # how much they differ by hangs on the release of PHP
        return 0

    return native


def _explode(separator: object, value: object, limit: object = None) -> object:
    mark, data, most = octets(separator), octets(value), None if limit is None else whole(limit)
    if not mark:
        raise Fails("ValueError")
    parts = data.split(mark)
    if most is not None:
        parts = parts[:most] if most < 0 else data.split(mark, max(most, 1) - 1)
    return [text(part) for part in parts]


def _implode(one: object, other: object = None) -> object:
    if other is None:
        one, other = "", one
    if not isinstance(other, list | dict):
        raise NotFollowed
    return text(octets(one).join(octets(_text_in_array(each)) for each in values(other)))


def _strtr(value: object, *rest: object) -> object:
    data = octets(value)
    if len(rest) == 2:
        old, new = octets(rest[0]), octets(rest[1])
        size = min(len(old), len(new))
        return text(data.translate(bytes.maketrans(old[:size], new[:size])))
    swaps = {octets(_text_in_array(key)): octets(_text_in_array(new)) for key, new in pairs(rest[0])}
    swaps.pop(b"", None)
    if not swaps:
        return value
    pattern = b"|".join(re.escape(old) for old in sorted(swaps, key=len, reverse=True))
    return text(re.sub(pattern, lambda m: swaps[m[0]], data, flags=re.DOTALL))


HTML = (("&", "&amp;"), ('"', "&quot;"), ("'", "&#039;"), ("<", "&lt;"), (">", "&gt;"))


def _htmlspecialchars(value: object) -> object:
    found = text(octets(value))
    for sign, entity in HTML:
        found = found.replace(sign, entity)
    return found


def _htmlspecialchars_decode(value: object) -> object:
    found = text(octets(value))
    if re.search(r"&#|&apos;", found.replace("&#039;", "")):
        raise NotFollowed
    return re.sub("&(?:amp|quot|#039|lt|gt);", lambda m: next(s for s, e in HTML if e == m[0]), found)


def _stripslashes(value: object) -> object:
    found = octets(value)
    return text(re.sub(rb"(?s)\\(.?)", lambda m: b"\0" if m[1] == b"0" else m[1], found))


def _addslashes(value: object) -> object:
    return text(re.sub(rb"['\"\\]", rb"\\\g<0>", octets(value)).replace(b"\0", b"\\0"))


def _nl2br(value: object) -> object:
    return text(re.sub(rb"\r\n|\n\r|\n|\r", rb"<br />\g<0>", octets(value)))


def _wordwrap(value: object, width: object = 75, end: object = "\n", cut: object = False) -> object:
    """The rules of PHP's own: a line is ended at the last space that fits."""
    data, size, mark, hard = octets(value), whole(width), octets(end), flag(cut)
    if not mark or (not size and hard):
        raise Fails("ValueError")
    if not data:
        return ""
    made, start, space, at = bytearray(), 0, 0, 0
    while at < len(data):
        if data[at : at + len(mark)] == mark and at + len(mark) < len(data):
            made += data[start : at + len(mark)]
            at += len(mark) - 1
            start = space = at + 1
        elif data[at : at + 1] == b" ":
            if at - start >= size:
                made += data[start:at] + mark
                start = at + 1
            space = at
        elif at - start >= size and hard and start >= space:
            made += data[start:at] + mark
            start = space = at
        elif at - start >= size and start < space:
            made += data[start:space] + mark
            start = space = space + 1
        at += 1
    return text(bytes(made) + data[start:])


def _chunk_split(value: object, length: object = 76, end: object = "\r\n") -> object:
    data, size, mark = octets(value), whole(length), octets(end)
    if size < 1:
        raise Fails("ValueError")
    return text(b"".join(data[n : n + size] + mark for n in range(0, len(data), size)) or mark)


def _levenshtein(one: object, other: object) -> object:
    a, b = octets(one), octets(other)
    if len(a) * len(b) > 1 << 16:
        raise NotFollowed
    row = list(range(len(b) + 1))
    for number_, left in enumerate(a, 1):
        before, row[0] = row[0], number_
        for place, right in enumerate(b, 1):
            before, row[place] = row[place], min(row[place] + 1, row[place - 1] + 1, before + (left != right))
    return row[-1]


def _similar_text(one: object, other: object) -> object:
    a, b = octets(one), octets(other)
    if len(a) * len(b) > 1 << 12:
        raise NotFollowed

    def same(left: bytes, right: bytes) -> int:
        best, at, place = 0, 0, 0
        for n in range(len(left)):
            for m in range(len(right)):
                size = 0
                while n + size < len(left) and m + size < len(right) and left[n + size] == right[m + size]:
                    size += 1
                if size > best:
                    best, at, place = size, n, m
        return best and best + same(left[:at], right[:place]) + same(left[at + best :], right[place + best :])

    return same(a, b)


def _base64_decode(value: object) -> object:
    data = octets(value)
    if not re.fullmatch(rb"[A-Za-z0-9+/]*={0,2}", data) or len(data) % 4:
        raise NotFollowed
    try:
        return text(base64.b64decode(data, validate=True))
    except binascii.Error as error:
        raise NotFollowed from error


def _hex2bin(value: object) -> object:
    data = octets(value)
    if not re.fullmatch(rb"(?:[0-9a-fA-F]{2})*", data):
        raise NotFollowed
    return text(bytes.fromhex(data.decode()))


def _chr(value: object) -> object:
    return text(bytes([whole(value) % 256]))


def _kind(pattern: str) -> Callable[[object], object]:
    compiled = re.compile(pattern.encode())
    return lambda value: bool(compiled.fullmatch(octets(value)))


def _to_number(base: int, digits: str) -> Callable[[object], object]:
    def native(value: object) -> object:
        found = octets(value).decode("latin-1")
        if not re.fullmatch(f"[{digits}]{{0,14}}", found):
            raise NotFollowed
        return int(found or "0", base)

    return native


def _from_number(form: str) -> Callable[[object], object]:
    return lambda value: format(whole(value) & ((1 << 64) - 1), form)


def _nth(value: object) -> object:
    data = octets(value)
    return data[0] if data else 0


def _strrev(value: object) -> object:
    return text(octets(value)[::-1])


def _ucfirst_of(value: object) -> object:
    return _first(bytes.upper)(value)


def _parts_of_version(value: bytes) -> list[str]:
    found = re.sub(r"[-_+]", ".", value.decode("ascii"))
    found = re.sub(r"(\d)([^\d.])", r"\1.\2", found)
    return re.sub(r"([^\d.])(\d)", r"\1.\2", found).split(".")


FORMS = ("dev", "alpha", "a", "beta", "b", "RC", "rc", "#", "pl", "p")
RANKS = (0, 1, 1, 2, 2, 3, 3, 4, 5, 5)


def _rank(part: str) -> int:
    found = next((rank for form, rank in zip(FORMS, RANKS, strict=True) if part.startswith(form)), None)
    return -1 if found is None else found


def _version_parts(a: str, b: str) -> int:
    if a.isdigit() and b.isdigit():
        return (int(a) > int(b)) - (int(a) < int(b))
    one, other = ("#" if part.isdigit() else part for part in (a, b))
    return (_rank(one) > _rank(other)) - (_rank(one) < _rank(other))


def _version_compare(one: object, other: object, operator: object = None) -> object:
    a, b = octets(one), octets(other)
    if not (re.fullmatch(rb"\d+(?:[.\-]?[0-9a-zA-Z]+)*", a) and re.fullmatch(rb"\d+(?:[.\-]?[0-9a-zA-Z]+)*", b)):
        raise NotFollowed
    left, right = _parts_of_version(a), _parts_of_version(b)
    found = next((c for x, y in zip(left, right, strict=False) if (c := _version_parts(x, y))), 0)
    if not found and len(left) != len(right):
        longer, sign = (left, 1) if len(left) > len(right) else (right, -1)
        part = longer[min(len(left), len(right))]
        found = sign if part.isdigit() else sign * _version_parts(part, "#N#")
    if operator is None:
        return found
    tests = {
        "<": found < 0, "lt": found < 0, "<=": found <= 0, "le": found <= 0, ">": found > 0, "gt": found > 0, ">=": found >= 0, "ge": found >= 0,
        "==": not found, "eq": not found, "!=": bool(found), "<>": bool(found), "ne": bool(found),
    }  # fmt: skip
    if not isinstance(operator, str) or operator not in tests:
        raise NotFollowed
    return tests[operator]


def _basename(value: object, suffix: object = "") -> object:
    found, end = text(octets(value)).rstrip("/").rpartition("/")[2], text(octets(suffix))
    if "\0" in found or "\\" in found:
        raise NotFollowed
    return found[: -len(end)] if end and found.endswith(end) and found != end else found


def _strpbrk(value: object, chars: object) -> object:
    data, wanted = octets(value), octets(chars)
    if not wanted:
        raise Fails("ValueError")
    place = next((n for n, byte in enumerate(data) if byte in wanted), -1)
    return text(data[place:]) if place >= 0 else False


def _span(inside: bool) -> Callable[[object, object], object]:
    def native(value: object, chars: object) -> object:
        data, wanted = octets(value), octets(chars)
        return next((n for n, byte in enumerate(data) if (byte in wanted) is not inside), len(data))

    return native


def _number_format(value: object, decimals: object = 0, point: object = ".", thousands: object = ",") -> object:
    return number_format(value, whole(decimals), text(octets(point)), text(octets(thousands)))


def _sprintf(form: object, *given: object) -> object:
    return sprintf(text(octets(form)), list(given))


def _vsprintf(form: object, given: object) -> object:
    return sprintf(text(octets(form)), values(given), "ValueError")


def _count_chars(value: object, mode: object = 0) -> object:
    data = octets(value)
    if mode != 1:
        raise NotFollowed
    return table({byte: data.count(byte) for byte in sorted(set(data))}, max(data, default=-1) + 1)


def _str_word_count(value: object, form: object = 0) -> object:
    words = re.findall(rb"[A-Za-z'](?:[A-Za-z'-]*[A-Za-z'])?|[A-Za-z']", octets(value))
    if re.search(rb"(?<![A-Za-z'])-|-(?![A-Za-z'])", octets(value)) or form not in (0, 1):
        raise NotFollowed
    return [text(word) for word in words] if form else len(words)


def is_numeric(value: object) -> bool:
    """Whether a value is a number, or a text that is one (PHP manual, Numeric strings).

    >>> is_numeric(" 1e3"), is_numeric("12a"), is_numeric(True)
    (True, False, False)
    """
    return (isinstance(value, int | float) and not isinstance(value, bool)) or (
        isinstance(value, str) and number(value) is not None
    )


TEXTS: Mapping[str, Native] = {
    "strlen": pure(lambda v: len(octets(v)), 1, 1), "strtolower": pure(lambda v: text(octets(v).lower()), 1, 1),
    "strtoupper": pure(lambda v: text(octets(v).upper()), 1, 1), "ucfirst": pure(_first(bytes.upper), 1, 1), "lcfirst": pure(_first(bytes.lower), 1, 1),
    "ucwords": pure(_ucwords, 1, 2), "trim": pure(_stripper(bytes.strip), 1, 2), "ltrim": pure(_stripper(bytes.lstrip), 1, 2),
    "rtrim": pure(_stripper(bytes.rstrip), 1, 2), "chop": pure(_stripper(bytes.rstrip), 1, 2), "substr": pure(_substr, 2, 3),
    "strpos": pure(_finder(bytes.find, False), 2, 3), "stripos": pure(_finder(bytes.find, True), 2, 3), "strrpos": pure(_last(False), 2, 2),
    "strripos": pure(_last(True), 2, 2), "strstr": pure(_strstr(False), 2, 3), "stristr": pure(_strstr(True), 2, 3), "strchr": pure(_strstr(False), 2, 3),
    "strrchr": pure(_strrchr, 2, 2), "substr_count": pure(_substr_count, 2, 2), "str_contains": pure(lambda v, w: octets(w) in octets(v), 2, 2),
    "str_starts_with": pure(lambda v, w: octets(v).startswith(octets(w)), 2, 2), "str_ends_with": pure(lambda v, w: octets(v).endswith(octets(w)), 2, 2),
    "str_replace": pure(_replacer(False), 3, 3), "str_ireplace": pure(_replacer(True), 3, 3), "substr_replace": pure(_substr_replace, 3, 4),
    "str_repeat": pure(_str_repeat, 2, 2), "str_pad": pure(_str_pad, 2, 4), "str_split": pure(_str_split, 1, 2), "strrev": pure(_strrev, 1, 1),
    "strcmp": pure(_comparer(False, False), 2, 2), "strcasecmp": pure(_comparer(True, False), 2, 2), "strncmp": pure(_comparer(False, True), 3, 3),
    "strncasecmp": pure(_comparer(True, True), 3, 3), "explode": pure(_explode, 2, 3), "implode": pure(_implode, 1, 2), "join": pure(_implode, 1, 2),
    "strtr": pure(_strtr, 2, 3), "htmlspecialchars": pure(_htmlspecialchars, 1, 1), "htmlspecialchars_decode": pure(_htmlspecialchars_decode, 1, 1),
    "addslashes": pure(_addslashes, 1, 1), "stripslashes": pure(_stripslashes, 1, 1), "nl2br": pure(_nl2br, 1, 1), "wordwrap": pure(_wordwrap, 1, 4),
    "chunk_split": pure(_chunk_split, 1, 3), "levenshtein": pure(_levenshtein, 2, 2), "similar_text": pure(_similar_text, 2, 2),
    "md5": pure(lambda v: hashlib.md5(octets(v)).hexdigest(), 1, 1), "sha1": pure(lambda v: hashlib.sha1(octets(v)).hexdigest(), 1, 1),
    "crc32": pure(lambda v: zlib.crc32(octets(v)), 1, 1), "base64_encode": pure(lambda v: base64.b64encode(octets(v)).decode(), 1, 1),
    "base64_decode": pure(_base64_decode, 1, 1), "bin2hex": pure(lambda v: octets(v).hex(), 1, 1), "hex2bin": pure(_hex2bin, 1, 1),
    "rawurlencode": pure(lambda v: quote(octets(v), safe="-_.~"), 1, 1),
    "urlencode": pure(lambda v: quote(octets(v), safe="-_. ").replace("~", "%7E").replace(" ", "+"), 1, 1),
    "rawurldecode": pure(lambda v: text(unquote_to_bytes(octets(v))), 1, 1),
    "urldecode": pure(lambda v: text(unquote_to_bytes(octets(v).replace(b"+", b" "))), 1, 1),
    "ord": pure(_nth, 1, 1), "chr": pure(_chr, 1, 1), "dechex": pure(_from_number("x"), 1, 1), "decbin": pure(_from_number("b"), 1, 1),
    "decoct": pure(_from_number("o"), 1, 1), "hexdec": pure(_to_number(16, "0-9a-fA-F"), 1, 1), "bindec": pure(_to_number(2, "01"), 1, 1),
    "octdec": pure(_to_number(8, "0-7"), 1, 1), "ctype_digit": pure(_kind("[0-9]+"), 1, 1), "ctype_alpha": pure(_kind("[A-Za-z]+"), 1, 1),
    "ctype_alnum": pure(_kind("[0-9A-Za-z]+"), 1, 1), "ctype_upper": pure(_kind("[A-Z]+"), 1, 1), "ctype_lower": pure(_kind("[a-z]+"), 1, 1),
    "ctype_space": pure(_kind("[ \\t\\n\\r\\x0b\\x0c]+"), 1, 1), "ctype_xdigit": pure(_kind("[0-9A-Fa-f]+"), 1, 1),
    "ctype_punct": pure(_kind("[!-/:-@\\[-`{-~]+"), 1, 1), "version_compare": pure(_version_compare, 2, 3), "basename": pure(_basename, 1, 2),
    "strpbrk": pure(_strpbrk, 2, 2), "strspn": pure(_span(True), 2, 2), "strcspn": pure(_span(False), 2, 2), "count_chars": pure(_count_chars, 2, 2),
    "number_format": pure(_number_format, 1, 4), "sprintf": pure(_sprintf, 1, 30), "vsprintf": pure(_vsprintf, 2, 2),
    "str_word_count": pure(_str_word_count, 1, 2), "quotemeta": pure(lambda v: text(re.sub(rb"[.\\+*?\[^\]$()]", rb"\\\g<0>", octets(v))), 1, 1),
}  # fmt: skip
"""By name, in small letters."""
