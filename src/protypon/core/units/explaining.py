"""What explanations of all kinds of unit share: places and reasons, as the table of ``protypon.explain/1`` has them."""

from __future__ import annotations

from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.state import Registered
from protypon.core.languages.values import Unknown as NotKnown
from protypon.core.languages.values import readable
from protypon.core.themes.reach import Location

Table = dict[str, Any]


def place(place: Location, **more: Any) -> Table:
    """A place as the table has it."""
    return {"theme": place.theme, "file": place.path, "line": place.line or None, **more}


def unknown_of(behaviour: Behaviour, why: str = "") -> Table:
    """Why what is said is not certain, as the table has it."""
    return {"unknown": behaviour.uncertain or why or None}


def words_of(place: Location) -> str:
    """A place as a person reads it."""
    return f"{place.theme}/{place.path} line {place.line}"


def set_row(found: Registered) -> Table:
    """What was set or registered, with its value and its place, as the table has it."""
    value = readable(found.value)
    plain = (
        value
        if isinstance(value, str | int | float | bool | None)
        else (value.why if isinstance(value, NotKnown) else "a list or table")
    )
    return place(found.site, value=plain)
