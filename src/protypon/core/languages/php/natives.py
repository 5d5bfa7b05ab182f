"""Functions that come with PHP (https://www.php.net/manual/en/funcref.php): which there are, and those that are followed."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

from protypon.core.languages.php import operations
from protypon.core.languages.php.library.arrays import ARRAYS
from protypon.core.languages.php.library.numbers import NUMBERS
from protypon.core.languages.php.library.patterns import PATTERNS
from protypon.core.languages.php.library.texts import TEXTS
from protypon.core.languages.semantics import LEFT, Native, OwnFunction, Run
from protypon.core.languages.values import ABSENT, Unknown, in_theme, path_in_theme


@lru_cache(maxsize=1)
def _own_functions() -> tuple[dict[str, OwnFunction], tuple[str, ...]]:
    """Functions that come with PHP by name, and beginnings of names of further ones."""
    lines = Path(__file__).with_name("functions.txt").read_text("utf-8").split("\n")
    rows = [line.split() for line in lines if line and not line.startswith("#")]
    named = {row[0]: _row(row[1:]) for row in rows if not row[0].endswith("*")}
    return named, tuple(row[0][:-1] for row in rows if row[0].endswith("*"))


def _row(words: list[str]) -> OwnFunction:
    places = next((word[1:].split(",") for word in words if word.startswith("&")), [])
    rest = next((int(place[:-1]) for place in places if place.endswith("+")), None)
    changes = tuple(int(p) for p in places if not p.endswith("+"))
    return OwnFunction(changes, rest, "()" in words, ">" in words)


@lru_cache(maxsize=1)
def _constants() -> dict[str, object]:
    rows = Path(__file__).with_name("constants.txt").read_text("utf-8").split("\n")
    return {name: json.loads(value) for name, _, value in (row.partition(" ") for row in rows if row and row[0] != "#")}


def constant(name: str) -> object:
    """What a constant of the language is; ABSENT where it has none of that name."""
    if name.upper() in ("INF", "NAN"):
        return float(name) if name.isupper() else ABSENT
    return _constants().get(name, ABSENT)


def is_own(name: str) -> bool:
    """Whether a function may come with the interpreter: which ones do depends on its release and extensions."""
    names, beginnings = _own_functions()
    return name.lower() in names or name.lower().startswith(beginnings)


def own(name: str) -> OwnFunction | None:
    """What a function of the language does to its arguments; None where none is called so."""
    return _own_functions()[0].get(name.lower())


def _define(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) == 2 and isinstance(given[0], str):
        if run.constant(given[0]) is ABSENT:
            run.bind(given[0], given[1])
            return True
        return Unknown()
    return Unknown("a constant whose name is made at run time")


def _is_defined(run: Run, given: list[object], named: dict[str, object]) -> object:
    found = run.constant(given[0]) if given and isinstance(given[0], str) else ABSENT
    if found is ABSENT and given and isinstance(given[0], str) and run.is_guarded(given[0]):
        return False
    return Unknown("whether a constant is there") if found is ABSENT or isinstance(found, Unknown) else True


def _constant(run: Run, given: list[object], named: dict[str, object]) -> object:
    found = run.constant(given[0]) if given else ABSENT
    return Unknown("a constant that is not known") if found is ABSENT else found


def _call(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.call(given[0], given[1:], named) if given else Unknown()


def _call_with_list(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) == 2 and isinstance(given[1], list):
        return run.call(given[0], list(given[1]), {})
    if len(given) == 2 and isinstance(given[1], dict) and all(isinstance(k, str) for k in given[1]):
        return run.call(given[0], [], {str(k): v for k, v in given[1].items()})
    run.call(given[0] if given else Unknown(), [Unknown("arguments made at run time")] * 9, {})
    return Unknown("a call with arguments that are made at run time")


def _compact(run: Run, given: list[object], named: dict[str, object]) -> object:
    names: list[object] = []
    waiting = list(given)
    while waiting:
        each = waiting.pop(0)
        if isinstance(each, list):
            waiting = [*each, *waiting]
        elif isinstance(each, str):
            names.append(each)
        else:
            return Unknown("variables whose names are made at run time")
    values = [(name, run.read(f"${name}")) for name in names]
    return operations.literal_value([(name, value) for name, value in values if value is not ABSENT], "table")


def _extract(run: Run, given: list[object], named: dict[str, object]) -> object:
    table = given[0] if len(given) == 1 and not named else Unknown()
    if not isinstance(table, list | dict):
        run.lose_names("variables whose names are made at run time")
        return Unknown("how many variables there are")
    count = 0
    for name, value in table.items() if isinstance(table, dict) else ():
        if isinstance(name, str) and name.replace("_", "a").isalnum() and not name[0].isdigit() and name != "this":
            run.bind(f"${name}", value)
            count += 1
    return count


def _arguments(run: Run, given: list[object], named: dict[str, object]) -> object:
    return list(run.arguments())


def _exists(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.function_exists(given[0] if given else None)


def _class_exists(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.class_exists(given[0] if given else None)


def _method_exists(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.has(given[0], given[1], "method") if len(given) == 2 else Unknown()


def _count(run: Run, given: list[object], named: dict[str, object]) -> object:
    if len(given) == 1 and isinstance(given[0], list | dict):
        return len(given[0])
    found = run.ask(given[0], "count") if len(given) == 1 else ABSENT
    if found is not ABSENT:
        return found
    plain = len(given) == 1 and isinstance(given[0], str | int | float | None)
    return run.fail("TypeError") if plain else Unknown("how many items there are")


def _iterator_to_array(run: Run, given: list[object], named: dict[str, object]) -> object:
    keyed = given[1] if len(given) > 1 else named.get("preserve_keys", True)
    fits = given and isinstance(keyed, bool) and len(given) < 3 and not isinstance(given[0], list | dict)
    rows = run.items(given[0], True) if fits else None
    if rows is None:
        return Unknown("what an iterator gives")
    return operations.literal_value([(key if keyed else ABSENT, item) for key, item in rows], "table")


def _iterator_count(run: Run, given: list[object], named: dict[str, object]) -> object:
    fits = len(given) == 1 and not named and not isinstance(given[0], list | dict)
    rows = run.items(given[0]) if fits else None
    return Unknown("how many items there are") if rows is None else len(rows)


def takes_texts(name: str) -> bool:
    """Whether what a function of the language is given counts as a text; an object says itself as which."""
    return name.lower() in TEXTS


def _is_callable(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.is_callable(given[0]) if len(given) == 1 else Unknown()


def _get_class(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.class_of(given[0] if given else None)


def _called_class(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.static_class()


def _base(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.base_of(given[0]) if given else Unknown()


def _is_a(run: Run, given: list[object], named: dict[str, object]) -> object:
    return run.is_a(given[0], given[1]) if len(given) == 2 and not isinstance(given[0], str) else Unknown()


def _dirname(run: Run, given: list[object], named: dict[str, object]) -> object:
    place, levels = path_in_theme(given[0]) if given else None, given[1] if len(given) == 2 else 1
    if place is None or not isinstance(levels, int) or place.path.count("/") + bool(place.path) < levels:
        return Unknown("the folder of a path")
    for _ in range(levels):
        place = place._replace(path=place.path.rpartition("/")[0])
    return in_theme(*place)


def _autoloading(run: Run, given: list[object], named: dict[str, object]) -> object:
    run.finds_classes()
    return LEFT


def _is_there(what: str) -> Native:
    """Whether there is a ``file``, a ``folder``, or ``any`` of them, at a path."""
    return lambda run, given, named: run.has_file(given[0], what) if len(given) == 1 else Unknown()


def _buffering(how: str) -> Native:
    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if how == "begin" and given and given[0] is not None:
            run.call(given[0], [Unknown("what was printed"), Unknown()], {})
            run.buffer("lose")
            return Unknown()
        return run.buffer(how)

    return native


def _alias(run: Run, given: list[object], named: dict[str, object]) -> object:
    run.anything("another name of a class")
    return Unknown()


NATIVES: Mapping[str, Native] = {
    "define": _define, "defined": _is_defined, "constant": _constant, "call_user_func": _call, "call_user_func_array": _call_with_list,
    "compact": _compact, "extract": _extract, "func_get_args": _arguments, "function_exists": _exists,
    "class_exists": _class_exists, "interface_exists": _class_exists, "trait_exists": _class_exists, "enum_exists": _class_exists,
    "method_exists": _method_exists, "is_callable": _is_callable, "get_class": _get_class, "get_called_class": _called_class,
    "get_parent_class": _base, "is_a": _is_a, "dirname": _dirname, "file_exists": _is_there("any"), "is_file": _is_there("file"),
    "is_readable": _is_there("any"),
    "is_dir": _is_there("folder"),
    "spl_autoload_register": _autoloading, "ob_start": _buffering("begin"), "ob_get_clean": _buffering("get"),
    "ob_end_clean": _buffering("drop"), "ob_end_flush": _buffering("print"), "ob_get_flush": _buffering("lose"),
    "ob_get_contents": _buffering("look"), "ob_clean": _buffering("lose"), "ob_flush": _buffering("lose"),
    **TEXTS, **ARRAYS, **NUMBERS, **PATTERNS, "class_alias": _alias, "count": _count, "sizeof": _count,
    "iterator_to_array": _iterator_to_array, "iterator_count": _iterator_count, "parse_str": lambda run, given, named: Unknown(),
    "get_defined_vars": lambda run, given, named: Unknown("all variables"),
}  # fmt: skip
"""By name, in small letters."""
METHODS: Mapping[str, Native] = {}
