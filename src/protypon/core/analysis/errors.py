"""Objects of the errors that come with a language, and of classes that extend them: what they are made with, and what they say of it."""

from __future__ import annotations

from protypon.core.analysis.classes import ancestry, find, own_bases
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.values import Thing
from protypon.core.languages.values import Unknown

ROOTS = frozenset({"throwable", "baseexception"})
FIELDS = {"getmessage": "message", "getcode": "code", "getprevious": "previous"}
"""Methods that no class can replace (https://www.php.net/manual/en/class.exception.php), and what they give."""
ELSEWHERE = ("file", "line", "trace")


def root_of(m: Machine, name: str) -> str:
    """The error of the language's own that a class is, or extends; empty where it is none."""
    cls = find(m, name)
    names = [name] if cls is None else [base for each in ancestry(m, cls).classes for base in each.node.bases]
    outside = (each for each in names if find(m, each) is None)
    return next((each for each in outside if ROOTS & {n.lower() for n in (each, *(own_bases(m, each) or ()))}), "")


def begin(m: Machine, made: Thing, given: list[object], named: dict[str, object], copies: bool) -> None:
    """What an error holds: its arguments, or in PHP what the first three of them are for."""
    if not copies:
        m.write(made.values, "args", tuple(given) if not named else Unknown("what an error was given"))
        return
    fits = root_of(m, made.cls).lower() != "errorexception" and not set(named) - set(FIELDS.values())
    for number, (field, default) in enumerate((("message", ""), ("code", 0), ("previous", None))):
        if number >= len(given) and field not in named and field in made.values:
            continue
        value = given[number] if number < len(given) else named.get(field, default)
        kind_fits = not isinstance(default, str | int) or type(value) is type(default)
        m.write(made.values, field, value if fits and kind_fits else Unknown("what an error was given"))
    for field in ELSEWHERE:
        m.write(made.values, field, Unknown(f"the {field} of an error"))


def text_of(m: Machine, error: Thing) -> object:
    """An error of Python as a text (https://docs.python.org/3/library/exceptions.html#BaseException)."""
    given = error.values.get("args")
    root = root_of(m, error.cls)
    plain = {"KeyError", "OSError", "UnicodeError", "ImportError", "SyntaxError", "StopIteration", "SystemExit"}
    if not isinstance(given, tuple) or plain & {root, *(own_bases(m, root) or ())} or len(given) > 1:
        return Unknown("what an error says")
    return given[0] if given and isinstance(given[0], str) else "" if not given else Unknown("what an error says")
