"""Functions of arrays (https://www.php.net/manual/en/ref.array.php), with those that change the array that they are given."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cmp_to_key
from itertools import pairwise

from protypon.core.languages.php.library.taking import (
    Fails,
    NotFollowed,
    Table,
    asking,
    change_first,
    flag,
    octets,
    pairs,
    pure,
    shallow,
    text,
    values,
    whole,
    within_bounds,
)
from protypon.core.languages.php.library.taking import table as array
from protypon.core.languages.php.operations import (
    compare_values,
    equal,
    identical,
    key_of,
    next_number,
    number,
    operate,
    truth,
    with_item,
)
from protypon.core.languages.php.operations import text as shown
from protypon.core.languages.semantics import Changes, Native, Run
from protypon.core.languages.values import ABSENT, Unknown, is_known

MOST_SORTED, MOST_CALLED = 200, 40


def make_array(rows: Iterable[tuple[object, object]]) -> Table:
    """An array of keys and values, those with the key ABSENT numbered."""
    found: object = []
    for key, value in rows:
        found = with_item(found, key, value)
        if isinstance(found, Unknown):
            raise NotFollowed
    return array(found)


def renumber(rows: Iterable[tuple[object, object]]) -> Table:
    """Numbers counted anew, other keys as they are."""
    return make_array((ABSENT if isinstance(key, int) else key, value) for key, value in rows)


def _same(one: object, other: object, strict: bool) -> bool:
    found = identical(one, other) if strict else equal(one, other)
    if isinstance(found, Unknown):
        raise NotFollowed
    return found


def _key(value: object) -> object:
    found = key_of(value)
    if isinstance(found, Unknown) or isinstance(value, float):
        raise NotFollowed
    return found


def _texts(items: Iterable[object]) -> list[str]:
    found = []
    for item in items:
        each = shown(item)
        if isinstance(each, Unknown) or isinstance(item, list | dict):
            raise NotFollowed
        found.append(each)
    return found


# Asking


def _in_array(wanted: object, items: object, strict: object = False) -> object:
    exactly = flag(strict)
    return any(_same(wanted, item, exactly) for item in values(items))


def _array_search(wanted: object, items: object, strict: object = False) -> object:
    exactly = flag(strict)
    return next((key for key, item in pairs(items) if _same(wanted, item, exactly)), False)


def _has_key(key: object, items: object) -> object:
    found = _key(key)
    if isinstance(key, bool):
        raise NotFollowed
    return any(each == found and type(each) is type(found) for each, _ in pairs(items))


def _array_keys(items: object, *wanted: object) -> object:
    if not wanted:
        return [key for key, _ in pairs(items)]
    if not is_known(items):
        raise NotFollowed
    strict = flag(wanted[1]) if len(wanted) > 1 else False
    return [key for key, item in pairs(items) if _same(item, wanted[0], strict)]


def _first_key(items: object) -> object:
    return next((key for key, _ in pairs(items)), None)


def _last_key(items: object) -> object:
    return next((key for key, _ in reversed(pairs(items))), None)


def _is_list(items: object) -> object:
    return all(key == n for n, (key, _) in enumerate(pairs(items)))


# Putting together


def _merge(*all_: object) -> object:
    return within_bounds(renumber(row for items in all_ for row in pairs(items)))


def _replace(first: object, *others: object) -> object:
    return within_bounds(make_array([*pairs(first), *(row for items in others for row in pairs(items))]))


def _combine(keys: object, items: object) -> object:
    names, found = values(keys), values(items)
    if len(names) != len(found):
        raise Fails("ValueError")
    return make_array(
        (_key(shown(name) if not isinstance(name, int | str) else name), item)
        for name, item in zip(names, found, strict=True)
    )


def _flip(items: object) -> object:
    if not all(isinstance(item, int | str) and not isinstance(item, bool) for item in values(items)):
        raise NotFollowed
    return make_array((_key(item), key) for key, item in pairs(items))


def _fill(start: object, count: object, value: object) -> object:
    first, size = whole(start), whole(count)
    if size < 0:
        raise Fails("ValueError")
    if first < 0 or size > 1000:
        raise NotFollowed
    return make_array((first + n, value) for n in range(size))


def _fill_keys(keys: object, value: object) -> object:
    return make_array(
        (_key(key if isinstance(key, int) and not isinstance(key, bool) else _texts([key])[0]), value)
        for key in values(keys)
    )


def _pad(items: object, size: object, value: object) -> object:
    wanted, rows = whole(size), pairs(items)
    missing = abs(wanted) - len(rows)
    if missing > 1000:
        raise NotFollowed
    if missing <= 0:
        return items
    more = [(ABSENT, value)] * missing
    return renumber([(0 if k is ABSENT else k, v) for k, v in ([*rows, *more] if wanted > 0 else [*more, *rows])])


def _range(first: object, last: object, step: object = 1) -> object:
    by = whole(step)
    if isinstance(first, str) and isinstance(last, str) and number(first) is None and number(last) is None:
        one, other = octets(first), octets(last)
        if len(one) != 1 or len(other) != 1 or not by:
            raise NotFollowed
        ends = one[0], other[0]
        codes = range(ends[0], ends[1] + 1, abs(by)) if ends[0] <= ends[1] else range(ends[0], ends[1] - 1, -abs(by))
        return [text(bytes([code])) for code in codes]
    begin, end = whole(first), whole(last)
    if not by or abs(by) > abs(begin - end) or abs(begin - end) // abs(by) > 1000:
        if begin == end and by:
            return [begin]
        raise NotFollowed
    return list(range(begin, end + 1, abs(by)) if begin <= end else range(begin, end - 1, -abs(by)))


# Taking apart


def _slice(items: object, offset: object, length: object = None, keep: object = False) -> object:
    rows = pairs(items)
    start = whole(offset)
    begin = max(len(rows) + start, 0) if start < 0 else start
    end = len(rows) if length is None else (len(rows) + whole(length) if whole(length) < 0 else begin + whole(length))
    cut = rows[begin : max(end, begin)]
    return make_array(cut) if flag(keep) else renumber(cut)


def _chunk(items: object, size: object, keep: object = False) -> object:
    rows, length, keys = pairs(items), whole(size), flag(keep)
    if length < 1:
        raise Fails("ValueError")
    parts = [rows[n : n + length] for n in range(0, len(rows), length)]
    return [make_array(part) if keys else [item for _, item in part] for part in parts]


def _column(items: object, name: object, index: object = None) -> object:
    rows = []
    for row in values(items):
        if not isinstance(row, list | dict):
            raise NotFollowed
        found = dict(pairs(row))
        if name is not None and _key(name) not in found:
            continue
        key: object = ABSENT
        if index is not None and _key(index) in found:
            key = found[_key(index)]
            if not isinstance(key, int | str) or isinstance(key, bool):
                raise NotFollowed
        rows.append((key, row if name is None else found[_key(name)]))
    return make_array(rows)


def _reverse(items: object, keep: object = False) -> object:
    rows = list(reversed(pairs(items)))
    return make_array(rows) if flag(keep) else renumber(rows)


def _unique(items: object) -> object:
    rows = pairs(items)
    found = _texts(item for _, item in rows)
    return make_array(row for n, row in enumerate(rows) if found[n] not in found[:n])


def _count_values(items: object) -> object:
    counts: dict[object, int] = {}
    for item in values(items):
        if not isinstance(item, int | str) or isinstance(item, bool):
            raise NotFollowed
        counts[_key(item)] = counts.get(_key(item), 0) + 1
    return make_array(counts.items())


def _apart(by_key: bool, by_value: bool, inside: bool) -> Callable[..., object]:
    """``array_diff`` and ``array_intersect`` and their kind: rows that are in none, or in all, of the others."""

    def native(first: object, *others: object) -> object:
        tables = [[(key, _texts([item])[0] if by_value else "") for key, item in pairs(items)] for items in others]
        rows = []
        for key, item in pairs(first):
            shown_ = _texts([item])[0] if by_value else ""
            hits = [
                any(
                    (not by_key or (key == k and type(key) is type(k))) and (not by_value or shown_ == v)
                    for k, v in items
                )
                for items in tables
            ]
            if all(hits) if inside else not any(hits):
                rows.append((key, item))
        return make_array(rows)

    return native


def _key_case(items: object, case: object = 0) -> object:
    if case not in (0, 1):
        raise NotFollowed
    return make_array(
        (text(octets(k).upper() if case else octets(k).lower()) if isinstance(k, str) else k, v)
        for k, v in pairs(items)
    )


# Counting


def _sum(items: object) -> object:
    return _fold_items(items, "+", 0)


def _product(items: object) -> object:
    return _fold_items(items, "*", 1)


def _fold_items(items: object, op: str, start: int) -> object:
    result: object = start
    for item in values(items):
        if not isinstance(item, int | float) or isinstance(item, bool):
            raise NotFollowed
        result = operate(op, [result, item])
    return result


def _most(sign: int) -> Callable[..., object]:
    def native(*given: object) -> object:
        items = list(given)
        if len(given) == 1:
            items = values(given[0])
            if not items:
                raise Fails("ValueError")
        best = items[0]
        for item in items[1:]:
            order = compare_values(item, best)
            if isinstance(order, Unknown) or order != order:
                raise NotFollowed
            if order * sign > 0:
                best = item
        return best

    return native


# Changing


def _push(items: object, *more: object) -> Changes:
    rows = within_bounds(
        make_array([*pairs(items), *((ABSENT, each) for each in more)])
        if not isinstance(items, list)
        else [*items, *more]
    )
    return change_first(len(rows), rows)


def _pop(items: object) -> Changes:
    rows = pairs(items)
    return change_first(rows[-1][1] if rows else None, make_array(rows[:-1]))


def _shift(items: object) -> Changes:
    rows = pairs(items)
    return change_first(rows[0][1] if rows else None, renumber(rows[1:]))


def _unshift(items: object, *more: object) -> Changes:
    rows = within_bounds(renumber([*((0, each) for each in more), *pairs(items)]))
    return change_first(len(rows), rows)


def _splice(items: object, offset: object, length: object = None, by: object = ()) -> Changes:
    rows, start = pairs(items), whole(offset)
    begin = max(len(rows) + start, 0) if start < 0 else min(start, len(rows))
    end = len(rows) if length is None else (len(rows) + whole(length) if whole(length) < 0 else begin + whole(length))
    end = min(max(end, begin), len(rows))
    news = [] if by == () else values(by) if isinstance(by, list | dict) else [by]
    left = renumber([*rows[:begin], *((0, each) for each in news), *rows[end:]])
    return change_first(renumber(rows[begin:end]), left)


def _compare_values(one: object, other: object) -> int:
    found = compare_values(one, other)
    if isinstance(found, Unknown) or found != found:
        raise NotFollowed
    return (found > 0) - (found < 0)


def _sorting(by_key: bool, keep: bool, sign: int) -> Callable[..., object]:
    def native(items: object) -> Changes:
        rows = pairs(items)
        if len(rows) > MOST_SORTED:
            raise NotFollowed
        place = 0 if by_key else 1
        kinds = {type(row[place]) for row in rows}
        if not (len(kinds) < 2 or kinds <= {int, float}):
            raise NotFollowed  # the order of unlike things hangs on how they are sorted
        if str in kinds and len({number(row[place]) is None for row in rows}) > 1:
            raise NotFollowed  # "10" comes before "9a", that before "9", and that before "10"

        def order(one: tuple[object, object], other: tuple[object, object]) -> int:
            return sign * _compare_values(one[place], other[place])

        rows.sort(key=cmp_to_key(order))
        return change_first(True, make_array(rows) if keep else [item for _, item in rows])

    return native


# Calling


def _called_for_sure(run: Run, function: object) -> None:
    if isinstance(function, Unknown) or run.is_callable(function) is not True:
        raise NotFollowed


def _map(run: Run, function: object, *tables: object) -> object:
    if function is None or not all(isinstance(items, list | dict) for items in tables):
        raise NotFollowed
    _called_for_sure(run, function)
    if len(tables) == 1:
        found = [(key, run.call(function, [item], {})) for key, item in pairs(tables[0])]
        return (
            [item for _, item in found]
            if isinstance(tables[0], list)
            else dict(found)
            if _plain(tables[0])
            else make_array(found)
        )
    lists = [values(items) for items in tables]
    most = max(map(len, lists))
    return [run.call(function, [each[n] if n < len(each) else None for each in lists], {}) for n in range(most)]


def _plain(items: object) -> bool:
    return isinstance(items, dict) and next_number(items) == next_number(dict(items))


def _filter(run: Run, items: object, function: object = None, mode: object = 0) -> object:
    if mode not in (0, 1, 2):
        raise NotFollowed
    if function is not None:
        _called_for_sure(run, function)
    kept = []
    for key, item in pairs(items):
        given = [key] if mode == 2 else [item, key] if mode == 1 else [item]
        hit = truth(item if function is None else run.call(function, list(given), {}))
        if isinstance(hit, Unknown):
            raise NotFollowed
        if hit:
            kept.append((key, item))
    return make_array(kept)


def _reduce(run: Run, items: object, function: object, start: object = None) -> object:
    _called_for_sure(run, function)
    for item in values(items):
        start = run.call(function, [start, item], {})
    return start


def _walk(run: Run, items: object, function: object, *more: object) -> Changes:
    """Each item is given by reference."""
    if not isinstance(items, list | dict):
        raise NotFollowed
    _called_for_sure(run, function)
    now = []
    for key, item in pairs(items):
        held = run.reference(item)
        run.call(function, [held, key, *more], {})
        if held.lost:
            raise NotFollowed
        now.append((key, held.value))
    return change_first(True, make_array(now))


def _sorting_by(by_key: bool, keep: bool) -> Callable[..., object]:
    def native(run: Run, items: object, function: object) -> Changes:
        rows = pairs(items)
        if len(rows) > MOST_CALLED or not run.only_gives(function):
            raise NotFollowed  # who is compared with whom, and how often, hangs on how they are sorted
        _called_for_sure(run, function)
        place = 0 if by_key else 1

        def order(one: tuple[object, object], other: tuple[object, object]) -> int:
            found = run.call(function, [one[place], other[place]], {})
            if not isinstance(found, int) or isinstance(found, bool):
                raise NotFollowed
            return found

        rows.sort(key=cmp_to_key(order))
        if not _agrees(rows, order):
            raise NotFollowed  # what comes out of an order that contradicts itself hangs on how they are sorted
        return change_first(True, make_array(rows) if keep else [item for _, item in rows])

    return native


Row = tuple[object, object]


def _agrees(rows: list[Row], order: Callable[[Row, Row], int]) -> bool:
    """Whether sorted rows stand in an order that does not contradict itself: then there is only one that is stable."""
    groups = [0]
    for before, row in pairwise(rows):
        groups.append(groups[-1] + (order(before, row) != 0))
    return all(
        (order(rows[n], rows[m]) < 0, order(rows[m], rows[n]) > 0) == (groups[n] < groups[m],) * 2
        and (order(rows[n], rows[m]) == 0) == (groups[n] == groups[m])
        for n in range(len(rows))
        for m in range(n + 1, len(rows))
    )


def _first(items: object) -> Changes:
    rows = pairs(items)
    return change_first(rows[0][1] if rows else False, items)


def _last(items: object) -> Changes:
    rows = pairs(items)
    return change_first(rows[-1][1] if rows else False, items)


ARRAYS: Mapping[str, Native] = {
    "in_array": pure(_in_array, 2, 3), "array_search": pure(_array_search, 2, 3), "array_key_exists": shallow(_has_key, 2, 2),
    "key_exists": shallow(_has_key, 2, 2), "array_keys": shallow(_array_keys, 1, 3), "array_values": shallow(values, 1, 1),
    "array_key_first": shallow(_first_key, 1, 1), "array_key_last": shallow(_last_key, 1, 1), "array_is_list": shallow(_is_list, 1, 1),
    "array_merge": shallow(_merge, 0, 30), "array_replace": shallow(_replace, 1, 30), "array_combine": shallow(_combine, 2, 2),
    "array_flip": pure(_flip, 1, 1), "array_fill": shallow(_fill, 3, 3), "array_fill_keys": shallow(_fill_keys, 2, 2), "array_pad": shallow(_pad, 3, 3),
    "range": pure(_range, 2, 3), "array_slice": shallow(_slice, 2, 4), "array_chunk": shallow(_chunk, 2, 3), "array_column": pure(_column, 2, 3),
    "array_reverse": shallow(_reverse, 1, 2), "array_unique": pure(_unique, 1, 1), "array_count_values": pure(_count_values, 1, 1),
    "array_diff": pure(_apart(False, True, False), 1, 20), "array_diff_key": shallow(_apart(True, False, False), 1, 20),
    "array_diff_assoc": pure(_apart(True, True, False), 1, 20), "array_intersect": pure(_apart(False, True, True), 1, 20),
    "array_intersect_key": shallow(_apart(True, False, True), 1, 20), "array_intersect_assoc": pure(_apart(True, True, True), 1, 20),
    "array_change_key_case": shallow(_key_case, 1, 2), "array_sum": pure(_sum, 1, 1), "array_product": pure(_product, 1, 1),
    "max": pure(_most(1), 1, 30), "min": pure(_most(-1), 1, 30), "array_push": shallow(_push, 1, 30), "array_pop": shallow(_pop, 1, 1),
    "array_shift": shallow(_shift, 1, 1), "array_unshift": shallow(_unshift, 1, 30), "array_splice": shallow(_splice, 2, 4),
    "sort": pure(_sorting(False, False, 1), 1, 1), "rsort": pure(_sorting(False, False, -1), 1, 1), "asort": pure(_sorting(False, True, 1), 1, 1),
    "arsort": pure(_sorting(False, True, -1), 1, 1), "ksort": pure(_sorting(True, True, 1), 1, 1), "krsort": pure(_sorting(True, True, -1), 1, 1),
    "array_map": asking(_map, 2, 9), "array_filter": asking(_filter, 1, 3), "array_reduce": asking(_reduce, 2, 3), "array_walk": asking(_walk, 2, 3),
    "usort": asking(_sorting_by(False, False), 2, 2), "uasort": asking(_sorting_by(False, True), 2, 2), "uksort": asking(_sorting_by(True, True), 2, 2),
    "reset": shallow(_first, 1, 1), "end": shallow(_last, 1, 1),
}  # fmt: skip
"""By name, in small letters."""
