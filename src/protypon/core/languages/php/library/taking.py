"""How functions of the library take their arguments: what they are not sure of they leave alone."""

from __future__ import annotations

from collections.abc import Callable

from protypon.core.languages.semantics import LEFT, Changes, Native, Run
from protypon.core.languages.values import MOST_VALUES, Alias, Unknown, is_known

LONGEST = 1 << 16
UNEXPECTED = (TypeError, ValueError, OverflowError, RecursionError)
"""What this language makes of arguments that no function takes."""
Table = list[object] | dict[object, object]


class NotFollowed(Exception):
    """What a function gives in this case is not worked out here."""


def octets(value: object) -> bytes:
    """A text as the bytes that it is in PHP."""
    if not isinstance(value, str):
        raise NotFollowed
    try:
        return value.encode()
    except UnicodeEncodeError as error:
        raise NotFollowed from error


def text(data: bytes) -> str:
    """Bytes as a text; those that are none as UTF-8 are not followed, because two halves of a sign would never be one again."""
    if len(data) > LONGEST:
        raise NotFollowed
    try:
        return data.decode()
    except UnicodeDecodeError as error:
        raise NotFollowed from error


def whole(value: object) -> int:
    """A piece as a file of its own."""
    if not isinstance(value, int) or isinstance(value, bool):
        raise NotFollowed
    return value


def flag(value: object) -> bool:
    """A value that must be true or false. Raises NotFollowed for others."""
    if not isinstance(value, bool):
        raise NotFollowed
    return value


def table(value: object) -> Table:
    """A value that must be a list or table. Raises NotFollowed for others."""
    if not isinstance(value, list | dict):
        raise NotFollowed
    return value


def pairs(value: object) -> list[tuple[object, object]]:
    """Keys and values of an array, in order."""
    found = table(value)
    return list(enumerate(found)) if isinstance(found, list) else list(found.items())


def values(value: object) -> list[object]:
    """The items of a list or table, in their order."""
    return [item for _, item in pairs(value)]


def is_plain(value: object, deep: bool = True) -> bool:
    """Whether a value is known, and no item of it has another name; of one that is not gone through, only what is seen from outside."""
    if deep and not is_known(value):
        return False
    if isinstance(value, Unknown | Alias):
        return False
    items = value if isinstance(value, list) else value.values() if isinstance(value, dict) else ()
    return all(
        not isinstance(item, Alias) and (not deep or not isinstance(item, list | dict) or is_plain(item))
        for item in items
    )


def pure(function: Callable[..., object], fewest: int, most: int, deep: bool = True) -> Native:
    """A function of known values that asks nobody; outside of what it is sure of, it raises :class:`NotFollowed`."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        if named or not fewest <= len(given) <= most or not all(is_plain(value, deep) for value in given):
            return LEFT
        try:
            return function(*given)
        except (NotFollowed, *UNEXPECTED):
            return LEFT
        except Fails as error:
            return run.fail(error.cls, *error.said)

    return native


def shallow(function: Callable[..., object], fewest: int, most: int) -> Native:
    """The same of one that looks at no item of its arrays: those may be anything."""
    return pure(function, fewest, most, deep=False)


def asking(function: Callable[..., object], fewest: int, most: int) -> Native:
    """A function that calls what it is given: the run comes first."""

    def native(run: Run, given: list[object], named: dict[str, object]) -> object:
        tables = [value for value in given if isinstance(value, list | dict)]
        if named or not fewest <= len(given) <= most or not all(is_plain(value, False) for value in tables):
            return LEFT
        try:
            return function(run, *given)
        except (NotFollowed, *UNEXPECTED):
            return LEFT

    return native


class Fails(Exception):
    """An error of one of the language's own classes."""

    def __init__(self, cls: str, *said: object) -> None:
        self.cls, self.said = cls, said


def within_bounds(items: Table) -> Table:
    """The same table. Raises NotFollowed where it has too many items to be followed."""
    if len(items) > MOST_VALUES:
        raise NotFollowed
    return items


def change_first(result: object, now: object) -> Changes:
    """What a function gives, and what its first argument is from here on."""
    return Changes(result, {0: now})
