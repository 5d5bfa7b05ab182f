"""Functions of modules that come with Python (https://docs.python.org/3/library/index.html), as far as they are followed: those that give the
same on every system, asked of the interpreter that this runs on, and those that give values one by one."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from importlib import import_module

from protypon.core.languages.python import operations
from protypon.core.languages.python.library import plain, unfollowed
from protypon.core.languages.semantics import Native, Run
from protypon.core.languages.values import ABSENT, Box, Failure, Unknown, box

LARGEST = 1000
"""Numbers above this are not counted up to."""
PLAIN: Mapping[str, tuple[str, ...]] = {
    "math": (
        "ceil", "floor", "trunc", "sqrt", "gcd", "lcm", "isqrt", "factorial", "comb", "perm", "fabs", "copysign", "fmod", "isclose", "isfinite",
        "isinf", "isnan", "prod", "fsum", "frexp", "ldexp", "modf", "degrees", "radians",
    ),
    "html": ("escape", "unescape"), "urllib.parse": ("quote", "quote_plus", "unquote", "unquote_plus", "urlencode", "urljoin"),
    "textwrap": ("dedent", "indent", "shorten", "fill", "wrap"), "string": ("capwords",), "json": ("dumps", "loads"),
    "shlex": ("quote", "split", "join"), "fnmatch": ("fnmatchcase",), "statistics": ("mean", "median"), "re": ("escape",),
    "bisect": ("bisect_left", "bisect_right", "bisect"), "keyword": ("iskeyword",), "posixpath": ("join", "basename", "dirname", "splitext"),
}  # fmt: skip
"""By module: functions of plain values that give the same everywhere."""
COUNTING = frozenset({"math.factorial", "math.comb", "math.perm", "math.isqrt", "math.lcm", "math.prod", "math.ldexp"})
OPERATORS = {
    "add": "+", "sub": "-", "mul": "*", "truediv": "/", "floordiv": "//", "mod": "%", "pow": "**", "and_": "&", "or_": "|", "xor": "^",
    "lt": "<", "le": "<=", "gt": ">", "ge": ">=", "eq": "==", "ne": "!=", "neg": "neg", "not_": "not", "concat": "+", "is_": "is",
}  # fmt: skip


def _of(module: str, name: str) -> Native:
    """A function of a module, which is imported when it is first asked."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        counts = f"{module}.{name}" in COUNTING
        if counts and any(isinstance(value, int | float) and abs(value) > LARGEST for value in given):
            return Unknown("a very large number")
        return plain(getattr(import_module(module), name), nested=module == "json")(run, given, named)

    return native


def _operator(op: str) -> Native:
    single = op in ("neg", "not")

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if named or len(given) != (1 if single else 2):
            return Failure("TypeError")
        return run.operate(op, given)

    return native


def _contains(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.operate("in", given[::-1]) if len(given) == 2 and not named else Failure("TypeError")


# Functions that are made of others


def _getter(name: str) -> Native:
    """``itemgetter(0)``: a function that is told what it takes."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        return run.partial(run.own_function(f"operator.{name}()"), given, {}) if given and not named else Unknown()

    return native


def _items_got(run: Run, given: list[object], named: dict[str, object]) -> object:
    *keys, on = given
    found = [operations.item(on, key) for key in keys]
    for key, item in zip(keys, found, strict=True):
        if item is ABSENT:
            table = isinstance(on, Box) and on.kind == "dict"
            return Failure("KeyError", (key,)) if table else Failure("IndexError")
        if isinstance(item, Failure | Unknown):
            return item
    return found[0] if len(found) == 1 else tuple(found)


def _attributes_got(run: Run, given: list[object], named: dict[str, object]) -> object:
    *names, on = given
    found = []
    for name in names:
        value = on
        for part in str(name).split("."):
            value = run.attribute(value, part)
            if value is ABSENT:
                return Failure("AttributeError")
        found.append(value)
    return found[0] if len(found) == 1 else tuple(found)


def _reduce(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) not in (2, 3) or named:
        return unfollowed(run, *given[:1])
    rows = run.steps(given[1])
    value = given[2] if len(given) == 3 else next(rows, ABSENT)
    if value is ABSENT:
        return Failure("TypeError")
    for item in rows:
        value = run.call(given[0], [value, item], {})
    return value


def _copy_value(run: Run, given: list[object], named: dict[str, object]) -> object:
    value = given[0] if len(given) == 1 and not named else Unknown()
    if isinstance(value, Box) and isinstance(value.value, list | dict) and value.kind != "view":
        return box(value.kind, value.value.copy())
    return value if isinstance(value, str | int | float | tuple | None) else Unknown("a copy")


# What gives values one by one

Rows = Callable[[Run, list[object], dict[str, object]], Iterator[object] | None]


def _stream(make: Rows, calls: int = 0) -> Native:
    """A function that works its values out of others; of what it is given, the first ones are called."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        rows = make(run, given, named)
        return unfollowed(run, *given[:calls]) if rows is None else run.stream(rows, given[calls:], *given[:calls])

    return native


def _chain_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    return None if named else (item for each in given for item in run.steps(each))


def _chained_from(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    if len(given) != 1 or named:
        return None
    return (item for each in run.steps(given[0]) for item in run.steps(each))


def _slice_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    ends = [value for value in given[1:] if value is None or isinstance(value, int)]
    fits = 2 <= len(given) <= 4 and not named and len(ends) == len(given) - 1 and all(e is None or e >= 0 for e in ends)
    if not fits or (len(ends) == 3 and ends[2] == 0):
        return None
    return itertools.islice(run.steps(given[0]), *ends)


def _count_up(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    return itertools.count(*given) if not named and len(given) < 3 and all(isinstance(n, int) for n in given) else None


def _repeat_value(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    fits = given and not named and len(given) < 3 and all(isinstance(n, int) for n in given[1:])
    return itertools.repeat(*given) if fits else None


def _in_circles(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    return itertools.cycle(run.steps(given[0])) if len(given) == 1 and not named else None


def _accumulate(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    if not 1 <= len(given) <= 2 or named:
        return None
    function = given[1] if len(given) == 2 else None
    return itertools.accumulate(
        run.steps(given[0]),
        lambda a, b: run.operate("+", [a, b]) if function is None else run.call(function, [a, b], {}),
    )


def _while(make: Callable[..., Iterator[object]]) -> Rows:
    def rows(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
        if len(given) != 2 or named:
            return None

        def holds(item: object) -> bool:
            found = run.truth(item if given[0] is None else run.call(given[0], [item], {}))
            return found if isinstance(found, bool) else run.stop_uncountable("whether a condition holds")

        return make(holds, run.steps(given[1]))

    return rows


def _call_with_rows(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    if len(given) != 2 or named:
        return None
    return (run.call(given[0], list(run.steps(row)), {}) for row in run.steps(given[1]))


def _longest(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    if set(named) - {"fillvalue"}:
        return None
    return itertools.zip_longest(*map(run.steps, given), fillvalue=named.get("fillvalue"))


def _arrangements(make: Callable[..., Iterator[object]], sized: bool) -> Rows:
    """All ways to put values together; they are taken at once."""

    def rows(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
        sizes = given[1:] if sized else []
        tables = given[:1] if sized else given
        if named or not all(isinstance(size, int) and size >= 0 for size in sizes) or len(sizes) > 1 or not tables:
            return None
        return make(*[list(run.steps(each)) for each in tables], *sizes)

    return rows


def _select_items(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    if len(given) != 2 or named:
        return None
    pairs = zip(*map(run.steps, given), strict=False)
    return (item for item, kept in pairs if _is_true(run, kept))


def _is_true(run: Run, value: object) -> bool:
    found = run.truth(value)
    return found if isinstance(found, bool) else run.stop_uncountable("whether a value counts as true")


def _pairs(run: Run, given: list[object], named: dict[str, object]) -> Iterator[object] | None:
    return itertools.pairwise(run.steps(given[0])) if len(given) == 1 and not named else None


def _deeply(run: Run, given: list[object], named: dict[str, object]) -> object:
    return plain(lambda value: value)(run, given, named)


MODULES: Mapping[str, Native] = {
    **{f"{module}.{name}": _of(module, name) for module, names in PLAIN.items() for name in names},
    **{f"operator.{name}": _operator(op) for name, op in OPERATORS.items()}, "operator.contains": _contains,
    "operator.itemgetter": _getter("itemgetter"), "operator.itemgetter()": _items_got,
    "operator.attrgetter": _getter("attrgetter"), "operator.attrgetter()": _attributes_got,
    "functools.reduce": _reduce, "copy.copy": _copy_value, "copy.deepcopy": _deeply,
    "itertools.chain": _stream(_chain_items), "itertools.chain.from_iterable": _stream(_chained_from), "itertools.islice": _stream(_slice_items),
    "itertools.count": _stream(_count_up), "itertools.repeat": _stream(_repeat_value), "itertools.cycle": _stream(_in_circles),
    "itertools.accumulate": _stream(_accumulate), "itertools.takewhile": _stream(_while(itertools.takewhile), 1),
    "itertools.dropwhile": _stream(_while(itertools.dropwhile), 1), "itertools.filterfalse": _stream(_while(itertools.filterfalse), 1),
    "itertools.starmap": _stream(_call_with_rows, 1), "itertools.zip_longest": _stream(_longest),
    "itertools.product": _stream(_arrangements(itertools.product, False)), "itertools.permutations": _stream(_arrangements(itertools.permutations, True)),
    "itertools.combinations": _stream(_arrangements(itertools.combinations, True)), "itertools.compress": _stream(_select_items),
    "itertools.pairwise": _stream(_pairs),
}  # fmt: skip
"""By their full names."""
